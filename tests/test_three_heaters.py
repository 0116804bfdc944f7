"""An electric drum with three heaters: planned, roasted by keys, forecast, practised, reviewed, written and read."""

import json
from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from firnel.app.demo_batches import LOTS, RECIPES, plan_of
from firnel.app.window import make_application, make_window
from firnel.core.model.constants import LoadState, hands_of
from firnel.core.model.document import scales_of
from firnel.core.model.identification import constants_of
from firnel.core.model.prior import prior_model
from firnel.core.model.rescaled import rescaled
from firnel.core.model.simulation import simulate
from firnel.core.settling import Became
from firnel.core.vocabulary import Control, MarkKind, Role
from firnel.devices.clock import Clock
from firnel.devices.reading import Reading
from firnel.devices.simulator.kinds import KINDS
from firnel.devices.simulator.physics import DrumRoaster
from firnel.ui.shared.ribbons import HandsLane
from firnel.ui.theme.look import Look
from firnel.work.desk import machine_of_kind
from firnel.work.machines.forecasting import forecast_record
from firnel.work.machines.knowledge import fit_machine, model_of
from firnel.work.plan.planning import solve_plan
from firnel.work.practice.practice import Practice
from firnel.work.review.records import ImportWishes, export_text, import_file
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.roast.lookout import at_once, not_at_all
from firnel.work.settings import Settings

LOOK_S = 10.0  #: between two looks ahead.
HEATS = [Control("hot_air"), Control("radiant"), Control("drum_heater")]


class Roastery:
    """The window, and the drum beside it; what the keys set is what the drum does."""

    def __init__(self, qtbot, library):
        self.qtbot, self.library, self.now = qtbot, library, 1000.0
        shipped = machine_of_kind("Ridge Nine", "electric-9")
        own = {control: replace(scale, reported=False) for control, scale in shipped.controls.items()}
        self.machine = library.save_machine(replace(shipped, controls=own))
        recipe = next(recipe for recipe in RECIPES if recipe.machine == "Ridge Nine")
        self.lot = library.save_lot(LOTS[recipe.lot].lot)
        self.plan = library.save_plan(plan_of(recipe, self.machine))
        self.window = make_window(
            library, Settings(learning="by the button"), Look(make_application()), keep=lambda settings: None,
            clock=Clock(lambda: self.now),
        )  # fmt: skip
        qtbot.addWidget(self.window, before_close_func=lambda w: w.desk.session.close())
        self.window.show()
        self.window.activateWindow()
        qtbot.waitUntil(self.window.isActiveWindow)
        desk = self.window.desk
        desk.fed("Reading.")
        desk.session.set_machine(self.machine)
        self.drum = DrumRoaster(KINDS["electric-9"], np.random.default_rng(3), steel_c=207.0)
        self.drum.bean_probe_c = self.plan.targets.charge_c + 2.0

    def key(self, key):
        widget = self.window.roast if QApplication.focusWidget() is None else QApplication.focusWidget()
        self.qtbot.keyClick(widget, key)

    def type_setting(self, text):
        """V, the words, Enter."""
        self.key(Qt.Key.Key_V)
        for sign in text:
            self.key(sign)
        self.key(Qt.Key.Key_Return)

    def wind(self, seconds):
        for _ in range(round(seconds)):
            for control, value in self.window.desk.session.held.items():
                self.drum.set(control, value)
            self.drum.step(1.0)
            self.now += 1.0
            if self.now % 2.0 == 0.0:
                self.window.desk.look_by(at_once if self.now % LOOK_S == 0.0 else not_at_all)
                bean, air = self.drum.read()
                self.window.desk.take_reading(Reading(self.now, bean, air))

    def roast(self):
        """A whole batch by keys: the plan's moves by Enter when they fall due, marks by Space."""
        session = self.window.desk.session
        self.window.show_station("Roast")
        self.window.desk.prepare(BatchOrder(self.lot, self.machine, self.plan, self.plan.load_kg))
        for control, value in self.plan.start.items():
            self.type_setting(f"{self.machine.word(control)} {value:g}")
        self.wind(3)
        self.key(Qt.Key.Key_Space)
        self.drum.charge(replace(LOTS[self.lot.name].load, mass_kg=self.plan.load_kg))
        seen = set()
        for _ in range(1100):
            self.wind(1)
            beans = self.drum.beans
            for kind, level in ((MarkKind.YELLOW, beans.yellow_c), (MarkKind.FIRST_CRACK, beans.crack_c)):
                if beans.mean_c >= level and kind not in seen:
                    seen.add(kind)
                    self.key(Qt.Key.Key_Space)
            due = next((entry for entry in session.due() if entry.done_t is None and entry.due_t is not None), None)
            if due is not None and due.due_t <= session.now():
                self.key(Qt.Key.Key_Return)
            crack = session.marks.get(MarkKind.FIRST_CRACK)
            if crack is not None and session.now() >= crack.t + self.plan.targets.development_s:
                self.key(Qt.Key.Key_Space)
                self.drum.drop()
                break
        self.wind(5)
        return session


@pytest.fixture
def roastery(qtbot, library):
    return Roastery(qtbot, library)


def test_three_heaters_from_the_plan_to_the_next_plan(qtbot, library, roastery, tmp_path):
    solved = solve_plan(library, roastery.machine, replace(roastery.plan, moves=(), start={}))
    assert {str(move.control) for move in solved.plan.moves} >= {"radiant", "airflow"}, "before anything is learned of it"
    session = roastery.roast()
    assert session.phase == "cooling"
    made = {str(move.control) for move in session.moves}
    assert {"hot_air", "radiant", "drum_heater", "airflow"} <= made
    assert {one.became for one in session.settled.values()} <= {Became.MADE, Became.THERE}
    qtbot.waitUntil(lambda: library.batch(library.find_batch("0001")).mark(MarkKind.DROP) is not None)
    key = library.find_batch("0001")
    library.set_status(key, "done")
    record = library.batch(key)
    crack = record.mark(MarkKind.FIRST_CRACK).t - record.charge_t
    off = [
        control
        for control in HEATS
        if record.trace.control(control)[record.trace.t < crack + record.charge_t - 30.0][-1] == 0.0
    ]
    assert off == [Control("radiant")], "radiant heat is off before first crack, the others are not"

    model, _ = fit_machine(library, library.machine("Ridge Nine"))
    assert len(model.fitted.constants.more) == 2
    told, _ = forecast_record(library, record, library.machine("Ridge Nine"), crack - 90.0)
    assert told.basis == "model"
    said, high = told.first_crack.value, told.first_crack.high or np.inf  # whether this lot cracks at all it does not know
    assert abs(crack - said) <= 2.0 * max(high - said, said - told.first_crack.low), "twice an 80 % interval holds 99 of 100"

    practice = Practice(library, roastery.plan, Settings(), "nothing", seed=1, source=lambda: 1.0)
    assert practice.machine.heat_kinds == ("hot-air", "radiant", "drum")
    practice.close()

    review = roastery.window.view("Review")
    roastery.window.show_station("Review")
    qtbot.waitUntil(lambda: review.record is not None)
    shown = {ribbon.name for lane in review.sheet.findChildren(HandsLane) for ribbon in lane._ribbons}
    assert {"hot air", "radiant", "drum heater"} <= shown

    for form in ("json", "csv"):
        path = tmp_path / f"nine.{form}"
        path.write_text(export_text(library, record, form))
        marks = {kind.value: mark.t for kind in (MarkKind.YELLOW, MarkKind.FIRST_CRACK) if (mark := record.mark(kind))}
        wishes = ImportWishes(machine="Ridge Nine", load_kg=7.0, marks=marks if form == "csv" else {})
        back = library.batch(import_file(library, path, wishes, again=True)[0])
        there = np.searchsorted(back.trace.t, record.trace.t, side="right") - 1
        for control in (*HEATS, Control.AIRFLOW):
            mine, its = record.trace.control(control), back.trace.control(control)[there]
            assert np.nanmax(np.abs(mine - its)) < 1e-3, f"{control} as {form}"
    assert json.loads((tmp_path / "nine.json").read_text())["machine"] == "Ridge Nine"
    assert model_of(library, library.machine("Ridge Nine"))[0].batches == 1


def test_what_was_learned_on_shorter_scales_gives_the_same_roast_by_the_same_settings():
    short = machine_of_kind("Ridge Nine", "electric-9")
    longer = {
        control: replace(scale, high=(1.2 + 0.1 * n) * scale.high) for n, (control, scale) in enumerate(short.controls.items())
    }
    wide = replace(short, controls=longer)
    guess = prior_model(7.5, short.heat_kinds)
    at = {control: np.linspace(0.9, 0.3, 300) * scale.high for control, scale in short.controls.items()}
    model = replace(guess, heat_at_charge=(0.2, 0.3, 0.1))

    def bean(model, machine, members=1):
        fitted, rng = model.fitted, np.random.default_rng(5)
        rows = fitted.values[None, :] if members == 1 else fitted.values + 0.1 * (fitted.draw(members, rng) - fitted.values)
        constants = constants_of(fitted.priors, rows, fitted.full_load)
        start = model.charged(210.0, 205.0, 22.0)
        return simulate(constants, LoadState(6.0), start, hands_of(machine, at, 300), members=members).bean_probe

    other = rescaled(model, wide, scales_of(short))
    assert bean(other, wide) == pytest.approx(bean(model, short), abs=1e-6)
    assert np.abs(bean(model, wide) - bean(model, short)).max() > 10.0, "the shares are others"
    apart, before = (np.std(bean(of, on, 4000)[-1]) for of, on in ((other, wide), (model, short)))
    assert apart == pytest.approx(before, rel=0.05), "and is known as well as before"
    assert rescaled(model, short, scales_of(short)) is model
    gas = {
        control: replace(scale, unit="Pa") if short.role(control) is Role.AIRFLOW else scale
        for control, scale in longer.items()
    }
    assert rescaled(model, replace(short, controls=gas), scales_of(short)) is None, "another law of flow is another machine"
