"""Practice: the model of the machine under the keys, surprises, and a debrief that grades."""

from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from test_guidance import SOUTH, lot_of, model, plan  # noqa: F401 - fixtures

from firnel.app.window import make_application
from firnel.core.model.document import model_to_document
from firnel.core.model.planned import run_plan
from firnel.core.model.virtual import VirtualRoaster
from firnel.core.units import Units
from firnel.core.vocabulary import Control, MarkKind
from firnel.store.batch_list import BatchFilter
from firnel.ui.roast.practice import PracticeWindow
from firnel.ui.theme.look import Look
from firnel.work.machines.forecasting import traits_of
from firnel.work.practice.debrief import debrief
from firnel.work.practice.practice import SURPRISES, Practice, surprise_names
from firnel.work.roast.lookout import not_at_all
from firnel.work.settings import Settings


@pytest.fixture
def house(library, model, plan):  # noqa: F811
    machine = library.save_machine(SOUTH)
    library.machine_book.save_model(machine.id, model_to_document(model, ["gas"]))
    library.save_lot(lot_of("south-010"))
    return library, library.save_plan(plan)


def roasted(house, surprise="nothing", late_s=1.0, by_step=0, fitted=True):
    """A practice driven by a hand that obeys every cue, so many seconds late and steps off."""
    library, kept = house
    if not fitted:
        other = library.save_machine(replace(SOUTH, id=None, name="new drum"))
        kept = library.save_plan(replace(kept, id=None, name="on the new drum", machine=other.name))
    now = [1000.0]
    practice = Practice(library, kept, Settings(), surprise, seed=4, source=lambda: now[0])
    practice.desk.look_by(not_at_all)
    session = practice.desk.session
    waits = {}

    def after(what, at):
        waits.setdefault(what, at)
        return session.now() >= waits[what] + late_s

    for _ in range(1500):
        now[0] += 1.0
        practice.tick()
        level = session.trace.level
        if session.phase == "ready" and level is not None and level < kept.targets.charge_c + 0.5:
            session.mark_next(now[0])
        for kind, t in practice.truth.items():
            if kind not in session.marks and session.next_expected() is kind and after(kind, t):
                session.mark_next(now[0])
        for entry in session.due():
            if entry.done_t is None and entry.due_t is not None and session.now() >= entry.due_t + late_s:
                scale = session.machine.controls[entry.move.control]
                session.set_control(entry.move.control, scale.nearest(entry.move.to + by_step * scale.step), now[0])
        if session.phase == "development":
            ends = session.marks[MarkKind.FIRST_CRACK].t + kept.targets.development_s
            if session.now() >= ends + late_s:
                session.mark_next(now[0])
                break
    return practice


def test_the_virtual_machine_roasts_what_the_model_plans(model, plan):  # noqa: F811
    green, rng = traits_of(lot_of("south-010")), np.random.default_rng(1)
    charge = plan.targets.charge_c
    roaster = VirtualRoaster(model, SOUTH, green, rng, charge + model.steel_over_charge_c, charge)
    with pytest.raises(ValueError, match="no beans"):
        roaster.drop()
    for control, value in plan.start.items():
        roaster.set(control, value)
    roaster.charge(plan.load_kg)
    with pytest.raises(ValueError, match="already"):
        roaster.charge(1.0)
    planned = run_plan(model, SOUTH, plan, green)
    for move, at in sorted(zip(plan.moves, planned.expected_t, strict=True), key=lambda pair: pair[1]):
        if at < 300.0:
            roaster.step(max(at - roaster.t, 0.0) or 1e-6)
            roaster.set(move.control, move.to)
    roaster.step(300.0 - roaster.t)
    assert roaster.read()[0] == pytest.approx(
        np.interp(300.0, planned.simulated.t, planned.simulated.bean_probe[:, 0]), abs=2.0
    )


def test_a_hand_that_obeys_every_cue_is_graded_well_and_one_that_does_not_is_not(house):
    good = roasted(house)
    told = debrief(good, Units())
    assert told.points > 0.85, told.graded
    assert told.surprise == SURPRISES[0].told
    assert {one.part for one in told.graded} == {"moves", "marks", "landing"}
    good.close()
    bad = roasted(house, late_s=20.0, by_step=1)
    worse = debrief(bad, Units())
    assert worse.points < 0.5
    assert any("late" in one.came for one in worse.graded)
    bad.close()


def test_surprises_change_the_roast_and_nothing_of_it_is_kept(house):
    library, _ = house
    count = len(library.batch_lines(BatchFilter()))
    yellow = {}
    for name in surprise_names():
        practice = roasted(house, name)
        marks = practice.desk.session.marks
        yellow[name] = practice.truth[MarkKind.YELLOW] - marks[MarkKind.CHARGE].t
        practice.close()
    for slow in ("late yellow", "colder drum", "wrong load"):
        assert yellow[slow] > yellow["nothing"] + 6.0, slow
    assert yellow["hotter drum"] < yellow["nothing"] - 4.0
    assert len(library.batch_lines(BatchFilter())) == count
    with pytest.raises(ValueError, match="no surprise"):
        roasted(house, "meteor")


def test_without_a_model_the_simulated_machine_is_practised_on(house):
    practice = roasted(house, "colder drum", fitted=False)
    assert practice.truth[MarkKind.YELLOW] > 60.0
    with pytest.raises(ValueError, match="1 to 10"):
        practice.set_speed(20.0)
    practice.close()
    library, kept = house
    with pytest.raises(ValueError, match="needs a machine and a load"):
        Practice(library, replace(kept, load_kg=None), Settings())


def test_the_practice_window_is_driven_by_keys_and_ends_in_its_debrief(qtbot, house):
    library, kept = house
    now = [1000.0]
    window = PracticeWindow(
        lambda: Practice(library, kept, Settings(), "nothing", seed=2, source=lambda: now[0]), Look(make_application())
    )
    qtbot.addWidget(window)
    window.show()
    qtbot.waitExposed(window)
    window._tick.stop()
    practice, roast = window.practice, window.roast
    practice.desk.look_by(not_at_all)
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    roast.setFocus()

    def wind(seconds):
        for _ in range(int(seconds)):
            now[0] += 1.0
            practice.tick()

    wind(5)
    qtbot.keyClick(roast, Qt.Key.Key_Space)
    wind(60)
    qtbot.keyClick(roast, Qt.Key.Key_Up)
    wind(2)
    assert practice.roaster.settings[Control.GAS] == pytest.approx(practice.desk.session.held[Control.GAS])
    assert "trier shows green" in practice.seen
    for seconds in (300, 240, 60):
        wind(seconds)
        qtbot.keyClick(roast, Qt.Key.Key_Space)
    wind(2)
    qtbot.keyClick(roast, Qt.Key.Key_Space)  # so early it is asked back
    wind(8)
    window.speed.setCurrentIndex(2)
    assert practice.desk.clock.rate == 5.0
    window._on_tick()
    assert window._pages.currentWidget() is window.debriefing
    assert "%" in window.debriefing._points.text()
    window.debriefing.again.click()
    assert window.practice is not practice
    assert window.practice.desk.session.phase == "ready"
    window.close()
    assert window.practice is None


def test_nobody_is_marked_down_for_what_the_surprise_did(house):
    practice = roasted(house, "colder drum")
    alone = practice.by_the_plan()
    assert alone["drying_s"] > practice.plan.tolerance("drying_s"), "a colder drum dries longer, whatever the hand does"
    told = debrief(practice, Units())
    drying = next(one for one in told.graded if (one.part, one.text) == ("landing", "drying"))
    assert drying.grade == "held"
    assert "the surprise alone" in drying.came
    practice.close()
    calm = roasted(house)
    assert all(abs(by) < 15.0 for by in calm.by_the_plan().values())
    calm.close()


def test_a_practice_is_driven_by_keys_alone(qtbot, house):
    now, kept = [1000.0], house[1]
    window = PracticeWindow(
        lambda: Practice(house[0], kept, Settings(), "nothing", 4, lambda: now[0]), Look(make_application())
    )
    qtbot.addWidget(window, before_close_func=lambda w: w.close())
    window.show()
    qtbot.waitExposed(window)
    practice = window.practice
    practice.desk.look_by(not_at_all)
    qtbot.keyClick(window, Qt.Key.Key_Plus)
    assert window.speed.currentIndex() == 1, "a step faster"
    while practice.desk.session.trace.level is None or practice.desk.session.trace.level > kept.targets.charge_c:
        now[0] += 1.0
        practice.tick()
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    window.roast.setFocus()
    qtbot.keyClick(window.roast, Qt.Key.Key_Space)
    assert MarkKind.CHARGE in practice.desk.session.marks
    for _ in range(200):
        now[0] += 1.0
        practice.tick()
    window.speed.setFocus()
    qtbot.keyClick(window.speed, Qt.Key.Key_Space)
    assert "Yellow" in practice.desk.session.message or MarkKind.YELLOW in practice.desk.session.marks, "whatever has the focus"
