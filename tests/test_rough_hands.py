"""The thread of a batch in rough hands, by keys in the real window: forgotten, wrong, late and doubled keys, other moves.

Rules of the trade in here (limit of 230 degC, a house's rule of first crack) are common practice, no published source.
"""

import json
import re
from dataclasses import replace
from itertools import combinations, pairwise

import numpy as np
import pytest
from click.testing import CliRunner
from made import reading
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QLabel, QLineEdit, QPushButton
from scipy.interpolate import PchipInterpolator
from test_plan_and_cue import PLAN

from firnel.app.commands import main
from firnel.app.window import make_application, make_window
from firnel.core.guidance import Advice, Choice
from firnel.core.landing import Landing, Off
from firnel.core.model.foretelling import Forecast, Interval
from firnel.core.plan import PlanCurve
from firnel.core.settling import Became
from firnel.core.units import Units
from firnel.core.vocabulary import USUAL_CONTROLS, Control, Found, Lot, MarkKind, Quality
from firnel.core.words import KEYS, tr
from firnel.store.batch_list import BatchFilter
from firnel.ui.roast.curves import with_room
from firnel.ui.roast.word_places import EDGE, Ground, Place, Word, places_of
from firnel.ui.shared.actions import action, own_keys, use_keys
from firnel.ui.shared.key_press import CapButton
from firnel.ui.theme.look import Look
from firnel.work.desk import machine_of_kind
from firnel.work.roast import cue
from firnel.work.roast.advice_words import told_line, warnings_of
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.roast.coming import Coming, coming_of
from firnel.work.roast.cue import cue_of
from firnel.work.roast.guided import Guidance
from firnel.work.roast.hand_lines import HandLineError, HandLines
from firnel.work.roast.lookout import at_once, not_at_all
from firnel.work.roast.picture import MarkLabel, roast_picture
from firnel.work.roast.plan_thread import plan_notes
from firnel.work.roast.session import RoastSession
from firnel.work.settings import Settings

T = np.arange(0.0, 760.0, 1.0)
#: A bean probe that plunges, turns at 1:20, is yellow (155) at 5:00, cracks (198) at 8:30 and drops at 10:00 with 205 degC.
_KNOTS = ([0, 40, 80, 300, 510, 600, 760], [200, 110, 90, 155, 198, 205, 217])
BEAN = PchipInterpolator(*_KNOTS)(T) + np.random.default_rng(3).normal(0.0, 0.05, T.size)


class Roaster:
    """Time, readings and keys at the real window; nothing is foretold but what a test hands over."""

    def __init__(self, qtbot, library, reported=True, plan=PLAN, load=5.0, curve=True):
        machine = machine_of_kind("Drum Six", "gas-6")
        controls = {control: replace(scale, reported=reported) for control, scale in machine.controls.items()}
        self.machine = library.save_machine(replace(machine, controls=controls, yellow_c=154.0, first_crack_c=197.0))
        lot = library.save_lot(Lot("Rwanda Isuka"))
        kept = library.save_plan(replace(plan, lot="", machine="Drum Six", curve=plan.curve if curve else None))
        self.library, self.qtbot, self.now = library, qtbot, 1000.0
        self.window = make_window(library, Settings(), Look(make_application()), keep=lambda settings: None)
        qtbot.addWidget(self.window, before_close_func=lambda w: w.desk.session.close())
        self.window.show()
        qtbot.waitExposed(self.window)
        self.desk, self.session, self.roast = self.window.desk, self.window.desk.session, self.window.roast
        self.desk.look_by(not_at_all)
        self.desk.clock.run_by(lambda: self.now)
        self.session.set_machine(self.machine)
        self.desk.prepare(BatchOrder(lot, self.machine, kept, load))
        self.window.activateWindow()
        qtbot.waitUntil(self.window.isActiveWindow)
        self.roast.setFocus()
        self.hands = {Control.GAS: 0.0, Control.AIRFLOW: 25.0, Control.DRUM: 58.0}
        self.since = None

    def wait(self, until, bean=None):
        """Let the batch go on, a reading a second, up to so long after the charge."""
        while self.since is None or self.since < until:
            self.now += 1.0
            self.since = 0 if self.since is None else self.since + 1
            level = float(BEAN[self.since]) if bean is None else bean(self.since)
            values = [self.hands[control] for control in USUAL_CONTROLS] if self.machine.controls[Control.GAS].reported else []
            self.desk.take_reading(reading(self.now, level, level + 20.0, *values))
        self.desk.tick()
        return self

    def key(self, *keys):
        for key in keys:
            self.qtbot.keyClick(QApplication.focusWidget() or self.roast, key)
        return self.session.message

    def charge(self):
        self.wait(0)
        self.key(Qt.Key.Key_Space)
        return self

    @property
    def cue(self):
        return cue_of(self.session, Units())

    def shown(self):
        self.roast.refresh()
        return self.roast.cue


@pytest.fixture
def roaster(qtbot, library):
    return Roaster(qtbot, library)


def test_preheating_ticks_nothing_off_and_hands_that_stand_otherwise_are_told(roaster):
    for gas in (2.4, 1.6, 1.1, 2.4):  # the plan's own settings, on the way to the charge
        roaster.hands[Control.GAS] = gas
        roaster.now += 30.0
        roaster.desk.take_reading(reading(roaster.now, 205.0, 220.0, gas, 25.0, 58.0))
    assert not roaster.window.above.awake._held
    roaster.charge()
    roaster.qtbot.waitUntil(lambda: roaster.window.above.awake._held)
    assert roaster.session.settled == {}
    assert roaster.cue.headline == "Gas 2.4 → 0.0 kPa now", "the plan begins with the heat off"
    roaster.hands[Control.GAS] = 0.0
    roaster.wait(10)
    assert roaster.cue.headline == "Gas 0.0 → 2.4 kPa in 0:35"


def test_space_means_yellow_while_the_probe_still_falls_from_the_empty_drum(roaster):
    roaster.charge().wait(1)
    assert roaster.session.trace.level > 195.0, "as first crack reads, on the way down"
    assert roaster.cue.space == "marks yellow"
    assert roast_picture(roaster.session, Settings()).next_key == "mark yellow", "the same at every place"
    assert "before the turn?" in roaster.key(Qt.Key.Key_Space)
    roaster.now += 300.0
    assert roaster.cue.space == "marks yellow", "nothing was read of the beans since: the last reading tells nothing"
    assert MarkKind.FIRST_CRACK not in roaster.session.marks


def test_what_is_typed_in_stays_in_sight_when_the_note_above_pushes_the_view_down(qtbot, library):
    roaster = Roaster(qtbot, library, reported=False)
    roaster.desk.connect("hand:", roaster.machine)
    roaster.charge()
    strip, view = roaster.roast.strips.hand, roaster.roast
    roaster.key(Qt.Key.Key_1)
    view.refresh()
    assert strip._line.hasFocus(), "though drying has just begun"
    qtbot.waitUntil(roaster.window.above.typing.isVisible)
    qtbot.waitUntil(lambda: view.mapTo(roaster.window, view.rect().bottomLeft()).y() < roaster.window.height())
    assert strip.isVisible()
    assert strip.geometry().bottom() < view.height()
    roaster.desk.disconnect()


def test_a_missed_or_other_move_never_stands_in_the_way(roaster):
    roaster.charge().wait(100)
    assert "0:55 late: gas 0.0 → 2.4 kPa" in roaster.cue.detail
    assert roaster.cue.headline.startswith("Yellow in"), "what comes is the headline"
    roaster.hands[Control.GAS] = 2.0
    roaster.wait(140)
    assert roaster.session.settled[0].became is Became.OTHERWISE
    assert "late" not in roaster.cue.detail
    roaster.wait(301)
    roaster.key(Qt.Key.Key_Space)
    roaster.wait(400)
    assert "gas" not in roaster.cue.headline.lower(), "nor 1:28 after it"
    roaster.wait(510)
    roaster.key(Qt.Key.Key_Space)
    roaster.wait(592)
    assert roaster.cue.headline.startswith("Drop in"), "and the drop stands before all"
    kept = [note.text for note in plan_notes(roaster.session)]
    assert "move 1, gas to 2.4: made otherwise at 2" in kept
    assert any(text.startswith("move 2, gas to 1.6: passed by") for text in kept)
    roaster.session.close()
    record = roaster.library.batch(roaster.session.last_id)
    assert set(kept) <= {note.text for note in record.notes if note.kind == "plan"}


def test_a_forgotten_yellow_is_found_and_offered_and_space_takes_it(roaster):
    roaster.charge().wait(320)
    cue = roaster.cue
    assert cue.kicker == "found"
    assert cue.headline.startswith("Yellow probably 0:")
    assert cue.space == "takes yellow"
    assert roaster.session.phase == "browning", "it is gone by meanwhile"
    assert "about browning" in cue.clock_label
    assert MarkKind.YELLOW not in roaster.session.marks, "and not as if a hand had set it"
    roaster.key(Qt.Key.Key_Space)
    taken = roaster.session.marks[MarkKind.YELLOW]
    assert taken.found is Found.CURVE
    assert taken.t - roaster.session.marks[MarkKind.CHARGE].t == pytest.approx(297.0, abs=5.0)
    assert "O: it is now" in roaster.session.message
    roaster.key(Qt.Key.Key_O)
    assert roaster.session.marks[MarkKind.YELLOW].found is Found.KEY
    assert roaster.session.marks[MarkKind.YELLOW].t == pytest.approx(roaster.session.now(), abs=1.0)


def test_z_says_not_yet_and_takes_no_key_back(roaster):
    roaster.charge().wait(320)
    assert "not yet" in roaster.key(Qt.Key.Key_Z)
    assert MarkKind.CHARGE in roaster.session.marks
    assert roaster.session.phase == "drying"
    assert "probably" not in roaster.cue.headline
    roaster.wait(370)
    assert "probably" in roaster.cue.headline, "it is offered again when it is still not set"


def test_space_at_a_moment_that_can_only_be_first_crack_is_not_yellow_in_silence(roaster):
    roaster.charge().wait(505)
    said = roaster.key(Qt.Key.Key_Space)
    marks = roaster.session.marks
    assert said == "Taken as first crack. O: it was yellow."
    assert marks[MarkKind.FIRST_CRACK].found is Found.KEY
    assert marks[MarkKind.YELLOW].found is Found.CURVE, "found on the way, not set by a hand"
    assert roaster.key(Qt.Key.Key_O).startswith("Yellow at 19"), "asked back: nothing is yellow there"
    assert MarkKind.FIRST_CRACK in roaster.session.marks
    for _ in range(2):
        roaster.now += 2.0
        roaster.key(Qt.Key.Key_Z)
    assert set(roaster.session.marks) <= {MarkKind.CHARGE, MarkKind.TURNING}


def test_behind_a_gap_no_rate_is_told_before_it_is_known_and_no_line_is_drawn_over_it(roaster):
    roaster.charge().wait(300)
    before = roaster.session.trace.rate_now
    roaster.now, roaster.since = roaster.now + 200.0, roaster.since + 200
    roaster.wait(501)
    assert roaster.session.trace.latest("rate_sd") > 10.0
    assert roaster.session.trace.rate_now is None
    roaster.roast.curves.show_picture(roast_picture(roaster.session, Settings()))
    t, bean = roaster.roast.curves._bean.getData()
    gap = np.flatnonzero(np.isnan(bean))
    assert gap.size == 1
    assert (t[gap[0] - 1], t[gap[0] + 1]) == (300.0, 501.0)
    roaster.wait(560)
    assert 0.0 < roaster.session.trace.rate_now < before


@pytest.mark.parametrize("tall_px", [120.0, 240.0, 700.0])
def test_no_word_on_the_curve_is_cut_however_low_the_chart(roaster, tall_px):
    labels = (MarkLabel("turn 1:09", 69.0, 68.0, below=True), MarkLabel("drop 13:04", 784.0, 219.0, expected=True))
    low, high = with_room((70.0, 230.0), labels, tall_px)
    px = tall_px / (high - low)
    assert min(px * (68.0 - low), px * (high - 219.0)) >= 14.0 + 0.055 * tall_px, "the word and its tick"
    assert with_room((20.0, 330.0), labels, 700.0) == (20.0, 330.0), "where there is room none is made"


@pytest.mark.parametrize(("wide", "tall"), [(960, 540), (1280, 800)])
def test_words_of_marks_near_each_other_keep_apart_and_inside(roaster, wide, tall):
    roaster.charge().wait(601)
    roaster.qtbot.waitUntil(lambda: roaster.roast.curves._picture is not None)
    curves = roaster.roast.curves
    near = (MarkLabel("First Crack 8:30", 510.0, 198.0), MarkLabel("Auswurf 10:00", 600.0, 205.0))
    picture = replace(curves._picture, labels=(MarkLabel("Wende 1:24", 84.0, 88.0, below=True), *near))
    roaster.window.resize(wide, tall)
    QApplication.processEvents()
    curves.show_picture(picture)
    for height in (curves.height(), curves.minimumSizeHint().height()):  # the cue above grows, and the lane is lower
        curves.setFixedHeight(height)
        QApplication.processEvents()
        boxes = [text.mapRectToScene(text.boundingRect()) for text in curves._labels if text.isVisible()]
        assert len(boxes) == 3
        assert not any(one.intersects(other) for one, other in combinations(boxes, 2)), boxes
        lane = curves._top.plot.sceneRect().adjusted(-EDGE, -EDGE, EDGE, EDGE)
        assert all(lane.contains(box) for box in boxes), (lane, boxes)


def test_words_of_marks_take_the_cheapest_places_and_stay_there():
    bean = (np.array([0.0, 100.0, 500.0]), np.array([40.0, 160.0, 40.0]))
    ground = Ground(500.0, 200.0, 10.0, (bean,), now=420.0)
    words = [
        Word(100.0, 160.0, 80.0, 20.0, below=True),
        *(Word(x, 190.0 - 0.3 * x, 110.0, 20.0, share=0.85) for x in (380.0, 410.0, 440.0)),
    ]
    places = places_of(words, ground)
    boxes = [ground.box(word, place) for word, place in zip(words, places, strict=True)]
    apart = [
        one.right <= two.left or two.right <= one.left or one.bottom <= two.top or two.bottom <= one.top
        for one, two in combinations(boxes, 2)
    ]
    assert all(apart), boxes
    assert not any(ground.outside(box) or ground.struck(box) for box in boxes)
    assert places[0] == Place(0.0, True), "what is wanted and free is taken"
    nearer = [replace(word, x=word.x + 1.0) for word in words]
    assert places_of(nearer, ground, places) == places, "a second later nothing jumps"
    assert places_of(words[:1], Ground(500.0, 185.0, 10.0)) == [Place(0.0, False)], "what would be cut stands on the other side"


def test_a_mark_that_does_not_come_any_more_is_not_counted_down_to(roaster):
    roaster.charge().wait(150)
    assert cue_of(roaster.session, Units()).headline.startswith("Yellow in 2:")
    nothing = Forecast(roaster.session.now(), "model")
    never = Coming("lost", 0.0, "yellow does not come like this", Choice(Control.GAS, 0.0, 2.4, nothing), MarkKind.YELLOW)
    roaster.session.take_guidance(replace(told(roaster.session.now(), 206.0), forecast=nothing, landing=None, coming=(never,)))
    cue = cue_of(roaster.session, Units())
    assert cue.headline == "Yellow is not in sight"
    assert "first crack in" not in cue.detail
    assert set(roaster.session.expected()) == {MarkKind.CHARGE, MarkKind.TURNING}
    assert told_line(roaster.session, Units()).text == "Yellow does not come like this: gas 0.0 → 2.4 kPa now."


def test_beans_that_fell_in_before_anybody_had_said_what_they_are_get_their_plan_on_the_way(roaster, qtbot, library):
    session = roaster.session
    session.close()
    session.set_machine(replace(roaster.machine, id=None, name="6 kg drum"))  # a stand-in, as of a device that nobody has named
    kept = library.save_plan(replace(library.plans()[0], machine_id=roaster.machine.id, machine=roaster.machine.name))
    (waits,) = library.waiting_book.add(kept, 1, kept.load_kg)
    for _ in range(60):
        roaster.now += 1.0
        roaster.desk.take_reading(reading(roaster.now, 200.0, 220.0, 0.0, 25.0, 58.0))
    roaster.key(Qt.Key.Key_N)
    qtbot.waitUntil(lambda: roaster.roast._side.preparing)
    roaster.wait(48)  # charged while the sheet is open
    roaster.hands[Control.GAS] = 2.4
    roaster.wait(90)
    label = session.label
    assert session.unnamed
    assert roaster.cue.detail == "N: say what is in the drum"
    with pytest.raises(ValueError, match="plan or a lot"):
        session.name(BatchOrder(load_kg=4.0))
    assert "N: say what they are" in session.message
    qtbot.waitUntil(lambda: not _inside(roaster.roast.prepare))
    assert roaster.key(Qt.Key.Key_Space).startswith("Yellow"), "the keys drive the roast"
    assert f"What is in the drum? Batch {label}" in [one.text() for one in roaster.roast.prepare.findChildren(QLabel)]
    roaster.key(Qt.Key.Key_N)
    qtbot.waitUntil(lambda: _inside(roaster.roast.prepare))
    roaster.key(Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: not session.unnamed)
    assert not roaster.roast._side.preparing
    roaster.wait(100)
    assert (session.label, session.order.plan.name) == (label, kept.name)
    assert session.settled[0].became is Became.MADE, "what the hand did before counts"
    assert roaster.cue.headline.startswith("Yellow in ")
    library.waiting_book.add(kept, 1, kept.load_kg)
    assert "drop it first. N again: other lot" in roaster.key(Qt.Key.Key_N), "one key is none"
    assert not roaster.roast._side.preparing
    roaster.now += 2.0
    roaster.key(Qt.Key.Key_N)
    qtbot.waitUntil(lambda: _inside(roaster.roast.prepare))
    roaster.roast.prepare.findChild(QLineEdit, "figures").setText("4.2")
    roaster.key(Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: session.order.load_kg == 4.2)
    assert (session.label, session.order.plan.name) == (label, kept.name)
    assert session.settled[0].became is Became.MADE
    roaster.desk.look_by(at_once)
    for machine in (roaster.machine, library.save_machine(machine_of_kind("Long Fifteen", "gas-15"))):
        session.set_machine(machine)
        roaster.wait(roaster.since + 1)
        assert roaster.desk._lookout._live[0] == (session.run, machine.id), (
            "looked ahead as the machine that is told, also on the way"
        )
    session.close()
    record = library.batch(library.find_batch(label))
    assert (record.plan, record.load_kg) == (kept.name, 4.2)
    (left,) = library.waiting_book.all()
    assert left.number != waits.number, "that is what was charged, and what was told of it later charges no other"


def _inside(widget):
    focus = QApplication.focusWidget()
    return focus is not None and widget.isAncestorOf(focus)


def test_a_hand_that_went_elsewhere_before_answers_the_next_move_from_where_it_stood(qtbot, library):
    small = replace(PLAN, moves=(replace(PLAN.moves[0], to=1.8), PLAN.moves[1]))
    roaster = Roaster(qtbot, library, plan=small)
    roaster.charge().wait(44)
    roaster.hands[Control.GAS] = 2.4
    roaster.wait(284)
    roaster.hands[Control.GAS] = 1.72  # less than half of the way as planned, most of it as it stood
    roaster.wait(290)
    assert [one.became for _, one in sorted(roaster.session.settled.items())] == [Became.OTHERWISE, Became.MADE]


def test_space_well_behind_first_crack_that_was_taken_for_none_may_have_been_the_drop(roaster):
    roaster.charge().wait(300)
    roaster.key(Qt.Key.Key_Space)
    roaster.wait(600)
    while MarkKind.FIRST_CRACK in roaster.session.offers:
        roaster.key(Qt.Key.Key_Z)  # not yet, a stray key says
    assert roaster.key(Qt.Key.Key_Space) == "Taken as first crack. O: it was drop."
    assert roaster.key(Qt.Key.Key_O).startswith("Drop it was")
    assert MarkKind.FIRST_CRACK not in roaster.session.marks


def test_doubled_keys_and_marks_that_cannot_be_yet_are_asked_back(roaster):
    roaster.charge()
    roaster.now += 0.3
    assert roaster.key(Qt.Key.Key_Space) == "Space once: charge is marked."
    roaster.wait(20)
    assert roaster.key(Qt.Key.Key_Space) == "Yellow 20 s after the charge, before the turn? If so, press it again."
    roaster.wait(140)
    assert roaster.key(Qt.Key.Key_Space) == "Yellow at 99 °C? If so, press it again."
    assert roaster.session.phase == "drying"
    roaster.wait(300)
    assert "First crack is not marked yet" in roaster.key(Qt.Key.Key_E)
    roaster.key(Qt.Key.Key_Space)
    roaster.wait(303)
    assert roaster.key(Qt.Key.Key_Space) == "First crack 3 s after yellow? If so, press it again."
    roaster.wait(305)
    roaster.key(Qt.Key.Key_Space)
    assert roaster.session.marks[MarkKind.FIRST_CRACK].t == pytest.approx(roaster.session.now(), abs=1.1), "the roaster knows"


def test_one_key_too_many_ends_no_batch_and_a_drop_that_is_meant_early_stands_where_its_first_key_was(roaster):
    roaster.charge().wait(301)
    roaster.key(Qt.Key.Key_Space)
    roaster.wait(512)
    roaster.key(Qt.Key.Key_Space)
    roaster.wait(540)
    assert re.fullmatch(r"Drop 6\d s before its time\? If so, press it again\.", roaster.key(Qt.Key.Key_Space))
    assert roaster.session.phase == "development"
    roaster.wait(543)
    roaster.key(Qt.Key.Key_Space)
    charge, drop = roaster.session.marks[MarkKind.CHARGE], roaster.session.marks[MarkKind.DROP]
    assert drop.t - charge.t == pytest.approx(540.0, abs=1.1)
    roaster.session.undo()
    roaster.wait(590)
    assert roaster.key(Qt.Key.Key_Space) == "", "near its time nothing is asked"
    assert roaster.session.phase == "cooling"


def test_space_again_behind_a_first_crack_taken_as_found_is_no_drop(roaster):
    roaster.charge().wait(301)
    roaster.key(Qt.Key.Key_Space)
    while MarkKind.FIRST_CRACK not in roaster.session.offers:
        roaster.wait(roaster.since + 5)
    roaster.wait(roaster.since + 5)
    assert "taken as found" in roaster.key(Qt.Key.Key_Space)
    roaster.wait(roaster.since + 2)
    assert roaster.key(Qt.Key.Key_Space) == "Drop 2 s after the key for first crack? If so, press it again."
    assert roaster.session.phase == "development"


def test_a_first_crack_that_is_late_stands_before_a_yellow_that_was_found_long_ago(roaster, monkeypatch):
    roaster.charge()
    while MarkKind.YELLOW not in roaster.session.offers:
        roaster.wait(roaster.since + 5)
    roaster.wait(roaster.since + cue.OFFERED_S + 5)
    monkeypatch.setattr(cue, "_unhurried", lambda session, kind: session.now() - 40.0)
    monkeypatch.setattr(RoastSession, "expected", lambda self: {MarkKind.FIRST_CRACK: self.now()})
    told = [matter.headline for matter in cue.matters_of(roaster.session, Units()) if matter.rank is cue.Rank.REST]
    assert told[0] == "First crack is late"
    assert told[1].startswith("Yellow found")


def test_an_empty_drum_is_told_and_a_forgotten_drop_is_kept_as_found(roaster):
    roaster.charge().wait(301)
    roaster.key(Qt.Key.Key_Space)
    roaster.wait(510)
    roaster.key(Qt.Key.Key_Space)

    def emptied(second):
        return float(BEAN[600] - 0.6 * (second - 600)) if second > 600 else float(BEAN[second])

    roaster.wait(640, emptied)
    assert roaster.cue.headline.startswith("Dropped 0:")
    assert roaster.session.phase == "development"
    roaster.key(Qt.Key.Key_Space)
    assert roaster.session.marks[MarkKind.DROP].found is Found.CURVE
    assert not roaster.session.dropped_unseen, "a hand has said so: an empty drum that heats up has no beans to burn"
    roaster.wait(660, emptied)
    assert "not yet" not in dict(roaster.cue.keys).values(), "it is not on offer any more"
    roaster.session.undo()
    roaster.session.close()
    kept = roaster.library.batch(roaster.session.last_id)
    drop = kept.mark(MarkKind.DROP)
    assert drop.found is Found.CURVE
    assert drop.t - kept.charge_t == pytest.approx(600.0, abs=6.0)


def test_a_forgotten_drop_with_the_heat_left_on_is_found_where_it_was_however_near_first_crack(roaster):
    roaster.charge().wait(301)
    roaster.key(Qt.Key.Key_Space)
    roaster.wait(588)
    roaster.key(Qt.Key.Key_Space, Qt.Key.Key_O)
    roaster.wait(660, lambda s: float(BEAN[min(s, 600)]) + 100.0 * (1.0 - np.exp(-max(s - 600, 0) / 60.0)))
    drop, charge = roaster.session.offers[MarkKind.DROP].mark, roaster.session.marks[MarkKind.CHARGE]
    assert drop.t - charge.t == pytest.approx(600.0, abs=4.0)
    assert drop.bean == pytest.approx(205.0, abs=5.0)
    assert roaster.cue.headline.startswith("Beans still in? Heat off now")


def test_a_hot_drum_whose_drop_nobody_told_is_asked_for_and_one_key_says_which(roaster):
    roaster.charge().wait(301)
    roaster.key(Qt.Key.Key_Space)
    roaster.wait(510)
    roaster.key(Qt.Key.Key_Space)

    def emptied(second):  # the empty drum cools, then its probe reads the air of a heat that nobody has turned down
        return float(BEAN[min(second, 600)]) - 0.6 * min(max(second - 600, 0), 40) + 0.5 * max(second - 640, 0)

    roaster.wait(790, emptied)
    assert "nobody has told it" in roaster.session.message
    assert roaster.cue.space == "says that the drum is empty"
    roaster.wait(820, emptied)
    assert roaster.cue.headline.startswith("Beans still in? Heat off now: bean probe at "), "whether they are it does not know"
    assert roaster.cue.keys == (("undo", "beans are still in"),)
    assert "empty" in roaster.key(Qt.Key.Key_Space)
    roaster.wait(824, emptied)
    assert roaster.cue.urgency != "danger"
    roaster.session.undo()
    roaster.wait(828, emptied)
    assert roaster.cue.urgency == "danger", "the word that it is empty was taken back"
    roaster.session.undo()
    roaster.wait(832, emptied)
    assert roaster.session.phase == "development"
    assert roaster.cue.headline.startswith("Heat off now: beans at ")
    roaster.key(Qt.Key.Key_Space)
    assert roaster.session.marks[MarkKind.DROP].t == pytest.approx(roaster.session.now(), abs=2.0)


def test_a_probe_that_jumps_away_and_back_is_no_drum_that_was_emptied(roaster):
    roaster.charge().wait(301)
    roaster.key(Qt.Key.Key_Space)
    roaster.wait(400, lambda s: float(BEAN[s]) + (80.0 if 320 <= s < 345 else 0.0))
    assert not roaster.session.offers
    assert roaster.session.phase == "browning"
    assert roaster.session.trace.level == pytest.approx(BEAN[400], abs=2.0)


def test_any_mark_can_be_picked_and_nudged_by_keys_of_every_keyboard(roaster):
    roaster.charge().wait(301)
    roaster.key(Qt.Key.Key_Space)
    roaster.wait(310)
    before = dict(roaster.session.marks)
    assert roaster.key(Qt.Key.Key_M) == "Picked: charge. , and . nudge it."
    roaster.key(Qt.Key.Key_Comma, Qt.Key.Key_Comma, Qt.Key.Key_Period)
    assert roaster.session.marks[MarkKind.CHARGE].t == before[MarkKind.CHARGE].t - 1.0
    assert roaster.session.marks[MarkKind.YELLOW] == before[MarkKind.YELLOW]
    assert MarkKind.TURNING in roaster.session.marks, "a nudge does not lose the turn"
    roaster.key(Qt.Key.Key_M)
    roaster.qtbot.keyClick(roaster.roast, Qt.Key.Key_Left, Qt.KeyboardModifier.ControlModifier)
    assert roaster.session.marks[MarkKind.YELLOW].t == before[MarkKind.YELLOW].t - 5.0
    with pytest.raises(ValueError, match="both"):
        own_keys(["undo=O"])
    with pytest.raises(ValueError, match="no action"):
        own_keys(["fly=U"])
    try:
        roaster.window.use_settings(replace(roaster.desk.settings, keys=("undo=U", "mark=F9")))
        assert (tr("{mark} marks it"), roaster.shown()._space.cap.text()) == ("F9 marks it", "F9"), "what is said is so"
        roaster.roast.setFocus()
        roaster.key(Qt.Key.Key_Z)
        assert roaster.session.marks[MarkKind.YELLOW].t == before[MarkKind.YELLOW].t - 5.0, "Z is no key any more"
        roaster.key(Qt.Key.Key_U)
        assert roaster.session.marks[MarkKind.YELLOW] == before[MarkKind.YELLOW]
    finally:
        use_keys([])
    assert {name: action(name).shown or action(name).keys[0] for name in KEYS if not name.startswith("nudge")} == {
        name: key for name, key in KEYS.items() if not name.startswith("nudge")
    }


def test_a_batch_is_driven_by_mouse_or_finger_too(roaster):
    def press(part):
        roaster.roast.refresh()
        QApplication.processEvents()
        assert part.isVisible(), part.accessibleName()
        roaster.qtbot.mouseClick(part, Qt.MouseButton.LeftButton)

    cue = roaster.roast.cue
    roaster.wait(0)
    press(cue._space)
    assert MarkKind.CHARGE in roaster.session.marks
    roaster.wait(200)
    assert roaster.shown()._others["undo"].isHidden(), "what was half a minute ago is no news any more"
    roaster.wait(301)
    press(cue._space)
    assert MarkKind.YELLOW in roaster.session.marks
    press(cue._others["undo"])
    assert MarkKind.YELLOW not in roaster.session.marks
    assert cue._space.height() >= 40, "hit in a hurry: interface guidelines ask for some 10 mm"
    roaster.key(Qt.Key.Key_C)
    words = [one for one in roaster.roast.strips.words.findChildren(CapButton) if one.isVisible()]
    press(words[1])
    assert [note.text for note in roaster.session.notes] == [roaster.desk.settings.colour_words[1]]


def test_space_marks_whatever_has_the_focus_but_a_text_field_says_so_large(roaster):
    roaster.charge().wait(301)
    window = roaster.window
    window.show_station("Green")
    window._show_now()
    assert not window.above.typing.isVisible(), "a station that is shown takes no keys for itself"
    field = window.view("Green").search
    field.setFocus()
    window._show_now()
    assert window.above.typing.isVisible()
    assert "then Space marks" in window.above.typing.findChild(QLabel).text()
    roaster.key(Qt.Key.Key_Space)
    assert (field.text(), MarkKind.YELLOW in roaster.session.marks) == (" ", False)
    roaster.key(Qt.Key.Key_Escape)
    button = next(one for one in window.view("Green").findChildren(QPushButton) if one.isVisible())
    button.setFocus()
    roaster.qtbot.keyClick(button, Qt.Key.Key_Space)
    assert MarkKind.YELLOW in roaster.session.marks


def test_a_batch_ends_otherwise_by_two_keys_and_is_kept_out_of_charts(roaster):
    roaster.charge().wait(200)
    label = roaster.session.label
    roaster.key(Qt.Key.Key_Backspace)
    roaster.key(Qt.Key.Key_3)
    assert f"Batch {label} ended: fire." in roaster.session.message
    assert not roaster.session.recording
    roaster.qtbot.keyClicks(QApplication.focusWidget(), "chaff")
    roaster.key(Qt.Key.Key_Return)
    [line] = roaster.library.batch_lines(BatchFilter(statuses=("done",)))
    record = roaster.library.batch(line.id)
    assert record.left_out == "ended otherwise: fire, chaff"
    assert record.trace.t.size > 190
    assert roaster.library.batch_lines(BatchFilter(statuses=("dropped",))) == [], "and nobody waits for its weight"
    assert roaster.library.batch_lines(BatchFilter(statuses=("done",), counting=True)) == []
    for step in range(5):
        roaster.now += 1.0
        roaster.desk.take_reading(reading(roaster.now, 229.0 + step, 240.0))
    assert roaster.cue.urgency == "danger", "its beans may still be in the drum"


def test_past_the_machines_limit_the_whole_cue_is_the_warning(roaster):
    roaster.charge().wait(301)
    roaster.key(Qt.Key.Key_Space)
    roaster.wait(420, lambda s: float(BEAN[s]) if s < 310 else 155.0 + 0.8 * (s - 310))
    cue, panel = roaster.cue, roaster.shown()
    assert (cue.urgency, cue.headline) == ("danger", "Heat off now: beans at 243 °C")
    assert "running cooling tray" in cue.detail
    assert "fire code" in cue.detail
    assert all(step.isVisible() and step.font().pixelSize() >= 28 for step in panel._steps)
    assert not roaster.roast.told.isVisible()
    calmer = replace(roaster.machine, limit_c=260.0)
    roaster.session.set_machine(calmer)
    roaster.wait(422, lambda s: 243.0)
    assert roaster.cue.urgency != "danger", "the limit is the machine's own"


def test_a_runaway_is_told_before_second_crack_with_what_to_do(roaster):
    roaster.hands[Control.GAS] = 2.4
    roaster.charge().wait(301)
    roaster.key(Qt.Key.Key_Space)
    roaster.wait(440, lambda s: float(BEAN[s]) if s < 310 else 155.0 + 0.36 * (s - 310))
    told = told_line(roaster.session, Units())
    assert (told.urgency, told.text.startswith("Rising 2"), told.text.endswith("gas down now.")) == ("warn", True, True)
    assert len(told.text) <= 60


def test_a_probe_that_plunges_into_the_beans_runs_away_from_nothing(qtbot, library):
    curve = replace(PLAN.curve, ror=np.full_like(PLAN.curve.ror, -200.0))  # the plan has it plunge faster
    roaster = Roaster(qtbot, library, plan=replace(PLAN, curve=curve))
    roaster.hands[Control.GAS] = 2.4
    roaster.charge().wait(6, lambda s: 207.0 - 2.0 * s)
    assert -140.0 < roaster.session.trace.latest("rate") < 0.0
    assert not any("Rising" in warned.text for warned in warnings_of(roaster.session, Units()))


def test_beans_that_cool_are_told_whatever_the_forecast_reaches(roaster):
    roaster.charge().wait(301)
    roaster.key(Qt.Key.Key_Space)
    roaster.wait(380, lambda s: float(BEAN[300]))
    assert any("Stalled" in warned.text and "More heat" in warned.text for warned in warnings_of(roaster.session, Units()))
    frozen = [reading(roaster.now + n, 155.0, 170.0, 0.0, 25.0, 58.0, Quality.FROZEN) for n in range(1, 8)]
    for one in frozen:
        roaster.now = one.time
        roaster.session.take_reading(one)
    assert not any("Stalled" in warned.text for warned in warnings_of(roaster.session, Units())), (
        "a frozen probe tells of no stall"
    )


@pytest.mark.parametrize(("drop_c", "told"), [(206.5, False), (200.0, True)])
def test_no_heat_is_asked_for_against_the_flat_end_of_a_batch_that_lands(roaster, drop_c, told):
    roaster.charge().wait(301)
    roaster.key(Qt.Key.Key_Space)
    roaster.wait(510)
    roaster.key(Qt.Key.Key_Space)
    roaster.wait(570, lambda s: float(BEAN[510]))
    landing = Landing(95.0, drop_c, 95.0, 206.0, 5.0, 2.0)
    roaster.session.take_guidance(Guidance(roaster.session.now(), Forecast(570.0, "model"), {}, landing))
    assert any("More heat" in warned.text for warned in warnings_of(roaster.session, Units())) is told


def flat(rate, own=None, at=420.0):
    t = np.arange(at, at + 180.0, 4.0)
    bean = 170.0 + rate * (t - at) / 60.0
    yellow = Interval(300.0, 300.0, 300.0)
    return coming_of(Forecast(at, "model", yellow, None, None, fan_t=t, fan=np.stack([bean, bean, bean])), own)


def test_a_stall_is_foreseen_where_no_mark_is_reached_and_a_coast_that_is_meant_is_none():
    assert [one.kind for one in flat(0.5)] == ["stall"]
    coast = PlanCurve(np.array([0.0, 900.0]), np.array([170.0, 172.0]), np.zeros(2), np.array([0.6, 0.6]))
    assert flat(0.5, coast) == ()
    assert flat(8.0) == ()


def told(at, drop_c, advice=None):
    landing = Landing(90.0, drop_c, 90.0, 206.0, 5.0, 2.0, (Off("drop_c", drop_c - 206.0, 2.0, 1.0),))
    forecast = Forecast(
        400.0, "model", None, Interval(540.0, 535.0, 545.0), Interval(630.0, 625.0, 635.0), Interval(drop_c, 205, 207)
    )
    return Guidance(at, forecast, {}, landing, advice=advice, tried=True)


def test_what_lies_at_the_border_is_told_as_that_and_what_helps_does_not_flicker(roaster):
    roaster.charge().wait(301)
    roaster.key(Qt.Key.Key_Space)
    session, said = roaster.session, []
    for second in range(60):  # to and fro about the border of the box, and about what is worth a move
        roaster.wait(302 + second)
        session.take_guidance(told(session.now(), 208.2 if second % 2 else 207.9))
        said.append(told_line(session, Units()).text)
    assert {text.rpartition(": ")[2] for text in said} == {"at the edge of the box"}
    for second in range(60):
        roaster.wait(362 + second)
        session.take_guidance(told(session.now(), 209.0 if second % 2 else 209.3))
        said.append(told_line(session, Units()).text)
    changes = [one != before for before, one in pairwise(text.rpartition(": ")[2] for text in said)]
    assert sum(changes) == 1, "outside, once; whether a step helps is not known from one second to the next"


def test_a_bend_that_was_asked_for_and_a_landing_rise_are_no_trouble(qtbot, library):
    slow = replace(PLAN.curve, ror=np.full_like(PLAN.curve.ror, 6.0))
    roaster = Roaster(qtbot, library, plan=replace(PLAN, curve=slow))
    choice = Choice(Control.GAS, 1.1, 2.0, Forecast(400.0, "model"))
    advice = Advice(choice, Off("drop_c", -3.0, 2.0, 1.0), -0.5)
    flick = Coming("flick", 30.0, "flick coming: the rate turns up by 3 K/min")
    roaster.hands[Control.GAS] = 1.1
    roaster.charge().wait(301)
    roaster.key(Qt.Key.Key_Space)
    roaster.wait(540, lambda s: 155.0 + 0.19 * (s - 310))
    session = roaster.session
    session.take_guidance(replace(told(session.now(), 203.0, advice), coming=(flick,)))
    assert any("Flick" in warned.text for warned in warnings_of(session, Units())), "nobody has followed it yet"
    roaster.hands[Control.GAS] = 2.0
    roaster.wait(560, lambda s: 155.0 + 0.19 * (s - 310))
    assert any("Rising" in warned.text for warned in warnings_of(session, Units()))
    session.take_guidance(replace(told(session.now(), 206.0), coming=(flick,)))
    assert warnings_of(session, Units()) == [], "it bends as was asked for, and lands in the box"


def test_one_judgement_that_does_not_flip_back(roaster):
    roaster.charge().wait(301)
    roaster.key(Qt.Key.Key_Space)
    session, places = roaster.session, []
    QApplication.processEvents()
    assert roaster.roast.minimumSizeHint().height() <= 800, "marks and moves where nothing is foretold fit the window"
    for second in range(40):
        roaster.wait(302 + second)
        session.take_guidance(told(session.now(), 206.0 + (2.3 if second % 2 else 1.0)))
        places.append(session.place)
        said = told_line(session, Units()).text
        assert str(session.place) in said
        assert "no single step helps" not in said, "a tenth more than is let pass is no news"
    t = session.now() - session.marks[MarkKind.CHARGE].t + np.arange(0.0, 200.0, 4.0)
    fan = np.tile(190.0 + 0.2 * (t - t[0]), (3, 1))
    session.mark(MarkKind.FIRST_CRACK, roaster.now)
    for step in range(12):
        roaster.wait(343 + step)
        hot = told(session.now(), 212.0)
        session.take_guidance(replace(hot, forecast=replace(hot.forecast, fan_t=t, fan=fan)))
    assert told_line(session, Units()).text.endswith(", no single step helps; 205.0 °C comes at 1:15 of development")
    flips = [index for index in range(1, 40) if places[index] is not places[index - 1]]
    assert all(later - earlier >= 10 for earlier, later in zip(flips, flips[1:], strict=False))


def test_a_reading_by_hand_is_typed_again_asked_back_and_taken_back(qtbot, library):
    roaster = Roaster(qtbot, library, reported=False)
    roaster.desk.connect("hand:", roaster.machine)
    roaster.session.mark_next(roaster.now)

    def reading(second, text):
        roaster.now = 1000.0 + second
        roaster.roast.setFocus()
        qtbot.keyClicks(roaster.roast, text[0])
        qtbot.keyClicks(QApplication.focusWidget(), text[1:])
        qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
        QApplication.processEvents()
        return roaster.session.message

    for second, text in ((90, "95"), (120, "105"), (150, "115"), (180, "125")):
        reading(second, text)
    assert reading(210, "40") == "40 °C? 135 °C expected. If so, type it again."
    reading(213, "135")
    reading(219, "137")
    bean = roaster.session.trace.column("bean")
    assert [value for value in bean if np.isfinite(value)] == [95.0, 105.0, 115.0, 125.0, 137.0], "typed again, it is replaced"
    assert any(note.text == "135.0 °C" for note in roaster.session.notes), "and the old value kept"
    roaster.now += 2.0
    roaster.roast.setFocus()
    assert "137 °C is taken back" in roaster.key(Qt.Key.Key_Z)
    assert MarkKind.CHARGE in roaster.session.marks
    roaster.session.flush()
    kept = roaster.library.batch(roaster.session.batch_id).trace.bean
    assert [value for value in kept if np.isfinite(value)] == [95.0, 105.0, 115.0, 125.0]


def test_a_small_load_trusts_time_and_says_so(qtbot, library):
    roaster = Roaster(qtbot, library, load=1.2, plan=replace(PLAN, wins="drop_c"))
    roaster.charge().wait(301)
    assert any("drive by time, colour and sound" in warned.text for warned in warnings_of(roaster.session, Units()))
    roaster.key(Qt.Key.Key_Space)
    roaster.wait(510)
    roaster.key(Qt.Key.Key_Space)
    roaster.wait(585)
    assert roaster.cue.headline == "Drop in 0:15", "by development time, though the plan is won by the reading"
    assert "The probe is bare" in roaster.cue.detail


def test_a_lone_pop_changes_nothing_and_the_rule_of_the_house_is_kept(roaster):
    roaster.charge().wait(301)
    roaster.key(Qt.Key.Key_Space)
    roaster.wait(480)
    assert "lone pop" in roaster.key(Qt.Key.Key_P)
    assert roaster.session.phase == "browning"
    roaster.wait(505)
    assert roaster.cue.space == "marks first crack, rolling"
    roaster.key(Qt.Key.Key_Space)
    roaster.session.flush()
    notes = {note.kind: note.text for note in roaster.library.batch(roaster.session.batch_id).notes}
    assert (notes["first crack by"], notes["outlier"]) == ("rolling", "a lone pop")


def test_it_is_read_from_two_metres_and_grows_with_its_window(roaster):
    roaster.charge().wait(301)
    panel = roaster.shown()
    assert panel.headline.font().pixelSize() == 38
    roaster.session.take_guidance(told(roaster.session.now(), 212.0, None))
    roaster.window.resize(1920, 1080)
    roaster.qtbot.waitUntil(lambda: panel.headline.font().pixelSize() > 46)
    roaster.key(Qt.Key.Key_F11)
    roaster.qtbot.waitUntil(lambda: panel.headline.font().pixelSize() >= 76)
    assert not roaster.window.rail.isVisible()
    assert roaster.roast._far_landing.isVisible()
    roaster.key(Qt.Key.Key_F11)
    assert roaster.window.rail.isVisible()
    roaster.window.beside.open_second_screen()
    second = roaster.window.beside.second
    roaster.window.show_station("Green")
    roaster.wait(305)
    second.roast.refresh()
    assert second.roast.far
    assert (
        second.roast.cue.accessibleName()
        == f"{roaster.cue.kicker}: {roaster.cue.headline}. {roaster.cue.clock_label} {roaster.cue.clock}"
    )
    second.close()
    assert roaster.window.beside.second is None


def test_lines_drive_a_batch_as_keys_do(roaster):
    hand = HandLines(roaster.desk)
    roaster.wait(0)
    hand.do("mark charge", roaster.now)
    roaster.wait(20)
    assert "before the turn? If so" in hand.do("mark yellow", roaster.now)
    roaster.wait(320)
    assert hand.do("not yet", roaster.now) == "Yellow: not yet. Space marks it when it comes."
    hand.do("mark yellow", roaster.now)
    hand.do("note colour tan", roaster.now)
    hand.do("done", roaster.now)
    assert roaster.session.settled
    hand.do("undo", roaster.now)
    for wrong in (
        "fly",
        "set gas",
        "set gas 99",
        "set steam 2",
        "reading hot",
        "reading nan",
        "reading 200 mbar",
        "reading 800 F",
        "mark turning",
        "",
    ):
        with pytest.raises(HandLineError):
            hand.do(wrong, roaster.now)
    assert "ended: no gas" in hand.do("abandon no gas", roaster.now)
    assert hand.abandoned == "no gas"


def test_a_byte_that_is_no_letter_spoils_its_line_and_not_the_hand(library, tmp_path):
    plan = tmp_path / "plan.json"
    plan.write_text(json.dumps({"format": "firnel-plan-1", "name": "by hand", "machine": "Drum Six", "load_kg": 5.0}))
    args = [
        "roast",
        "--device",
        "hand:",
        "--plan",
        str(plan),
        "--hand",
        "-",
        "--follow",
        "--library",
        str(tmp_path / "own.sqlite"),
    ]
    said = b"mark \xff\xfe\nreading 200\nmark charge\nnote remark caf\xc3\xa9\nabandon spill\n"
    result = CliRunner().invoke(main, [*args, "--timeout", "20"], input=said)
    done = {e["line"]: e["text"] for e in map(json.loads, result.stdout.splitlines()) if e["event"] == "hand"}
    assert "not something that a hand does" in done["mark \ufffd\ufffd"]
    assert "café" in done["note remark café"]
    assert (result.exit_code, "ended: spill" in done["abandon spill"]) == (0, True)


@pytest.mark.parametrize("abandoned", [False, True])
def test_the_command_has_hands(library, tmp_path, abandoned):
    plan = tmp_path / "plan.json"
    lines = ["reading 200", "mark charge", "set gas 2.4", "fly", "x" * 5000, "reading 90", "mark drop", "abandon spill"]
    lines = lines if abandoned else lines[:-1]
    (tmp_path / "hand").write_text("\n".join(lines) + "\n")
    plan.write_text(json.dumps({"format": "firnel-plan-1", "name": "by hand", "machine": "Drum Six", "load_kg": 5.0}))
    at = str(tmp_path / "own.sqlite")
    runner = CliRunner()
    args = ["roast", "--device", "hand:", "--plan", str(plan), "--hand", str(tmp_path / "hand"), "--follow", "--library", at]
    result = runner.invoke(main, [*args, "--timeout", "600" if abandoned else "5"])
    events = [json.loads(line) for line in result.stdout.splitlines()]
    done = {event["line"]: event["text"] for event in events if event["event"] == "hand"}
    assert "not something that a hand does" in done["fly"]
    assert len(done["x" * 5000]) < 100
    assert "s after the charge? If so" in done["mark drop"]
    if abandoned:
        assert result.exit_code == 0
        assert "ended: spill" in done["abandon spill"]
    else:
        assert result.exit_code == 1, "it never came to its drop"
