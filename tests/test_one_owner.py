"""State with one owner: undo is the hand's, drafts outlast everything, numbers are promises, what went comes back."""

from dataclasses import replace

import numpy as np
import pytest
from conftest import press
from made import gas_of, reading
from PyQt6.QtWidgets import QLineEdit
from test_plan_and_cue import PLAN
from test_roast_session import Bench

from firnel.app.window import make_application, make_window
from firnel.core.plan import Plan, Targets
from firnel.core.units import Units
from firnel.core.vocabulary import Control, Found, Lot, Mark, MarkKind
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.store.writing import ChangedMeanwhileError
from firnel.ui.shared.actions import ACTIONS, STATIONS, key_groups
from firnel.ui.shared.frame import STATIONS as RAIL
from firnel.ui.theme.look import Look
from firnel.work.day import queue
from firnel.work.day.labels import labels_for
from firnel.work.desk import Desk, machine_of_kind
from firnel.work.green.intake import lot_sheet, measure, strike_measurement
from firnel.work.machines.care import CARE_JOBS, care_sheet, note_done, strike_entry
from firnel.work.plan.draft import PlanDraft, draft_from_document, draft_to_document
from firnel.work.plan.workbench import PlanWorkbench
from firnel.work.review.over_time import chosen_lines
from firnel.work.roast.advice_words import warnings_of
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.roast.hand_history import HandHistory
from firnel.work.roast.lookout import not_at_all
from firnel.work.settings import Settings

# Undo


def test_undo_gives_back_the_last_key_and_never_what_the_machine_reported(library):
    bench = Bench(library)
    session = bench.session
    session.prepare(bench.order())
    bench.feed(62)
    session.mark_next(bench.time)
    bench.feed(120)
    machines = session.moves
    session.note("smell", "hay", bench.time)
    bench.feed(380)  # the machine moves its gas meanwhile
    reported = session.moves
    assert len(reported) > len(machines)
    session.undo()
    assert session.notes == ()
    assert session.moves == reported, "what the machine reported stays"
    session.undo()
    assert session.marks[MarkKind.CHARGE].found is Found.CURVE, "the beans are in the drum, whatever key is taken back"
    assert session.moves == reported
    session.undo()
    assert session.message == "Nothing to undo."
    session.close()


def test_a_keyed_setting_that_is_taken_back_is_taken_back_everywhere(library):
    bench = Bench(library, reported=False)
    session = bench.session
    session.prepare(bench.order())
    session.set_control(Control.GAS, 2.0, bench.time)
    bench.feed(30)
    session.set_control(Control.GAS, 3.5, bench.time)
    wrong_from = session.now()
    bench.feed(40)
    assert session.trace.latest("gas") == 3.5
    session.undo()
    assert session.held[Control.GAS] == 2.0
    assert session.trace.latest("gas") == 2.0
    assert [move.to for move in session.moves if move.control == Control.GAS] == [2.0]
    assert session.flush()
    kept = library.batch(session.batch_id).trace
    assert set(gas_of(kept)[kept.t >= wrong_from]) == {2.0}, "in the library too"
    assert session.trace._moves_t == [move.t for move in session.moves]
    session.close()


def test_a_history_leaves_alone_what_somebody_else_has_changed_since():
    history = HandHistory()
    mark = Mark(MarkKind.YELLOW, 300.0)
    with history.by_hand():
        history.set("marks", MarkKind.YELLOW, mark)
        history.set("held", Control.GAS, 2.0)
    history.set("held", Control.GAS, 1.5)  # the machine says otherwise
    undone = history.undo()
    assert [change.table for change in undone] == ["marks"]
    assert history.held == {Control.GAS: 1.5}
    assert history.undo() == ()


def test_a_spike_or_a_broken_probe_is_no_fire_and_a_true_rise_is(library):
    bench = Bench(library)
    session = bench.session
    session.prepare(bench.order())
    bench.feed(62)
    session.mark_next(bench.time)
    bench.feed(600)

    def said(*beans):
        for bean in beans:
            bench.time += 1.0
            session.take_reading(reading(bench.time, bean, 230.0))
        return any("Heat off now" in warned.text for warned in warnings_of(session, Units()))

    last = float(session.trace.level)
    assert not said(640.0, last)
    assert not said(*[650.0] * 20), "a wire that broke jumps, and stays there"
    assert not said(*[last] * 130)
    assert said(*np.arange(last, 262.0, 1.5)), "a fire rises"
    session.close()


# Drafts


class Later:
    """Jobs that are done when the test says so."""

    def __init__(self):
        self.jobs = []

    def __call__(self, name, function, done, failed=None):
        self.jobs.append((name, function, done, failed))

    def do(self, name):
        for job in [job for job in self.jobs if job[0] == name]:
            self.jobs.remove(job)
            job[2](job[1]())


@pytest.fixture
def desk(library):
    library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    library.save_machine(machine_of_kind("Other drum", "gas-15"))
    for name in ("Rwanda Isuka", "Timor soft"):
        library.save_lot(Lot(name))
    return Desk(library, Settings(), lambda call: call(), not_at_all)


def test_an_answer_to_an_older_state_is_dropped(desk, monkeypatch):
    answers = []
    monkeypatch.setattr(
        "firnel.work.plan.draft_solving.solve_plan",
        lambda library, machine, plan, usual, how: answers.append(plan) or plan,
    )
    later = Later()
    bench = PlanWorkbench(desk, later, Later())
    bench.begin(desk.library.save_plan(PLAN))
    settled = []
    monkeypatch.setattr(PlanDraft, "settle", lambda self, token, solved: settled.append((token, self.token)) or False)
    first = replace(bench.plan, targets=replace(bench.plan.targets, development_s=100.0))
    bench.edit(first)
    bench.undo()
    for job in list(later.jobs):
        later.do(job[0])
    assert len(answers) == 3, "each was asked for"
    assert [token == now for token, now in settled] == [False, False, True], "only the newest is the plan's as it stands"


def test_an_answer_for_one_draft_settles_no_other(desk, monkeypatch):
    """Both stand at their first state: the number of the state alone did not tell them apart."""
    monkeypatch.setattr("firnel.work.plan.draft_solving.solve_plan", lambda library, machine, plan, usual, how: plan)
    settled, later = [], Later()
    monkeypatch.setattr(PlanDraft, "settle", lambda self, token, solved: settled.append((self.plan.name, solved.name)) or False)
    bench = PlanWorkbench(desk, later, Later())
    first, second = (desk.library.save_plan(replace(PLAN, name=name)) for name in ("one", "other"))
    bench.begin(first)
    bench.begin(second)
    later.do("solve")
    assert settled == [("other", "other")]


def test_a_version_that_another_has_kept_meanwhile_is_told_before_it_is_gone_over(desk):
    kept = desk.library.save_plan(PLAN)
    bench = PlanWorkbench(desk, Later(), Later())
    bench.begin(kept)
    bench.edit(replace(bench.plan, targets=replace(bench.plan.targets, development_s=100.0)))
    theirs = desk.library.save_plan(replace(kept, targets=replace(kept.targets, development_s=80.0)))
    with pytest.raises(ChangedMeanwhileError, match=f"kept version {theirs.version}"):
        bench.keep()
    assert bench.open, "what was typed is still there"
    assert bench.keep().version == theirs.version + 1
    seconds = [version.plan.targets.development_s for version in desk.library.plan_book.versions(kept.id)]
    assert seconds[:2] == [100.0, 80.0], "both are there"


def test_a_draft_and_its_way_back_outlast_a_crash(desk):
    writer = Later()
    bench = PlanWorkbench(desk, Later(), writer)
    kept = desk.library.save_plan(PLAN)
    bench.begin(kept)
    assert desk.library.draft_book.read("plan") is None
    for seconds in (100.0, 105.0, 110.0):
        bench.edit(replace(bench.plan, targets=replace(bench.plan.targets, development_s=seconds)))
    bench.undo()
    bench.rename("another name")
    writer.do("draft")
    again = PlanWorkbench(desk, Later(), Later())  # as after a crash
    assert again.waiting()
    assert again.take_up()
    assert (again.plan.targets.development_s, again.name, again.begun.id) == (105.0, "another name", kept.id)
    again.redo()
    assert again.plan.targets.development_s == 110.0
    for _ in range(3):
        again.undo()
    assert again.plan.targets == kept.targets
    saved = again.keep()
    assert (saved.id, saved.name) == (kept.id, "another name")
    draft, about = draft_from_document(draft_to_document(again.draft, {"name": "x"}))
    assert (draft.plan.name, about) == (again.plan.name, {"name": "x"})


def test_another_lot_of_a_kept_plan_is_a_new_plan_unless_it_is_told_otherwise(desk):
    kept = desk.library.save_plan(PLAN)
    other = next(lot for lot in desk.library.lots() if lot.name == "Timor soft")
    for as_version in (False, True):
        bench = PlanWorkbench(desk, Later(), Later())
        bench.begin(kept)
        assert not bench.asks_new
        bench.choose_lot(other.id)
        assert bench.asks_new
        if as_version:
            bench.choose_new(False)
        bench.rename(f"as version {as_version}")
        saved = bench.keep()
        assert (saved.id == kept.id) == as_version
        assert saved.lot == "Timor soft"
    own = desk.library.plan_book.versions(kept.id)
    assert [version.plan.lot for version in own][-1] == PLAN.lot, "the recipe that it began with is there still"


def test_a_plan_is_kept_that_no_solver_has_solved(qtbot, desk):
    window = make_window(desk.library, Settings(), Look(make_application()), keep=lambda settings: None)
    qtbot.addWidget(window, before_close_func=lambda w: w.desk.session.close())
    window.show()
    window.show_station("Plan")
    plans = window.view("Plan")
    press(qtbot, plans, "New plan")
    plans.editor.bench.edit(replace(plans.editor.bench.plan, load_kg=None))
    qtbot.waitUntil(lambda: "can be kept as it stands" in plans.editor._said.text())
    name = next(e for e in plans.findChildren(QLineEdit) if e.accessibleName() == "Name of the plan")
    name.setText("By hand")
    window.show_station("Green")
    window.toggle_theme()
    window.show_station("Plan")
    assert plans.editor.isVisible(), "a plan that is worked on is there, whatever was looked at meanwhile"
    assert name.text() == "By hand"
    press(qtbot, plans, "Keep the plan")
    assert [plan.name for plan in desk.library.plans()] == ["By hand"]


# Numbers


def test_a_printed_number_belongs_to_its_load_whatever_becomes_of_the_queue(desk):
    library = desk.library
    plan = library.save_plan(replace(PLAN, load_kg=5.0))
    printed = labels_for(library, plan, 3, Units())
    assert [item.number for item in printed] == ["0001", "0002", "0003"]
    first, second, third = queue.queue(library)
    queue.remove(library, second)
    assert [one.number for one in queue.queue(library)] == ["0001", "0003"], "taking one out renumbers nothing"
    assert library.add_record(replace(make(), label="")) is not None
    assert library.batch_lines(BatchFilter())[0].label == "0004"
    changed = library.save_plan(replace(plan, targets=Targets(charge_c=205.0)))
    assert desk.prepare(queue.order_of(library, third)) == "0003"
    assert desk.session.order.plan.version == plan.version != changed.version, "as it was when it was queued"
    queue.put_back(library, second)
    assert [one.number for one in queue.queue(library)] == ["0001", "0002"]
    assert desk.prepare(BatchOrder(None, None, replace(plan), 5.0)) == "0001", "the load that waits for this plan"
    desk.session.close()
    assert [one.number for one in queue.queue(library)] == ["0001", "0002", "0003"], "never charged: they wait again"
    assert [(one.lot, one.machine, one.load_kg) for one in queue.queue(library)][0] == (first.lot, first.machine, 5.0)


def make():
    from conftest import make_record

    return make_record()


# Taken away, and brought back


def test_single_measurements_come_and_go_and_the_lots_figures_follow(desk):
    library = desk.library
    lot = library.lots()[0]
    for share in (0.110, 0.095):
        lot, _ = measure(library, lot, "moisture", {"share": share})
    wrong = library.lot_book.measurements(lot.id)[-1].id
    lot = strike_measurement(library, lot, wrong, True)
    assert lot.moisture == pytest.approx(0.110)
    told = lot_sheet(library, lot, None, desk.clock.wall().date()).measured
    assert sorted(one.struck for one in told) == [False, True]
    assert strike_measurement(library, lot, wrong, False).moisture == pytest.approx(0.095)
    for one in library.lot_book.measurements(lot.id):
        lot = strike_measurement(library, lot, one.id, True)
    assert lot.moisture is None


def test_care_is_dated_says_who_can_be_taken_back_and_keeps_its_place(desk):
    library, machine = desk.library, desk.library.machines()[0]
    now = desk.clock.wall()
    before = [state.job.key for state in care_sheet(library, machine, now).states]
    key = note_done(library, machine, "probe", now, by="Ana")
    sheet = care_sheet(library, machine, now)
    assert [state.job.key for state in sheet.states] == before == [job.key for job in CARE_JOBS], "no row moves"
    assert "by Ana" in sheet.done["probe"]
    strike_entry(library, key, True)
    sheet = care_sheet(library, machine, now)
    assert ("probe" in sheet.done, sheet.entries[0].struck) == (False, True)
    strike_entry(library, key, False)
    assert "probe" in care_sheet(library, machine, now).done


def test_batches_left_out_are_in_the_list_and_in_no_chart(library):
    keys = [library.add_record(replace(make(), label=f"000{number}")) for number in (1, 2, 3)]
    library.leave_out(keys[1], "the door stood open")
    assert library.batch_list.count(BatchFilter()) == 3
    assert [line.label for line in chosen_lines(library, "", "")] == ["0001", "0003"]
    assert library.batch(keys[1]).left_out == "the door stood open"
    library.leave_out(keys[1], "")
    assert len(chosen_lines(library, "", "")) == 3


def test_plans_and_machines_are_archived_in_the_window_and_brought_back(qtbot, desk):
    library = desk.library
    library.save_plan(PLAN)
    window = make_window(library, Settings(), Look(make_application()), keep=lambda settings: None)
    qtbot.addWidget(window, before_close_func=lambda w: w.desk.session.close())
    window.show()
    for station, known in (("Plan", library.plans), ("Machines", library.machines)):
        window.show_station(station)
        view = window.view(station)
        press(qtbot, view, "Archive")
        assert [one.archived for one in known()].count(True) == 1
        view._which.setCurrentText("archived")
        press(qtbot, view, "Bring back")
        assert not any(one.archived for one in known())


# The table of actions


def test_every_key_is_in_the_table_once_and_on_the_sheet():
    by_place = [(one.where, key) for one in ACTIONS for key in one.keys]
    assert len(by_place) == len(set(by_place))
    everywhere = {key for where, key in by_place if where == "Everywhere"}
    assert not everywhere & {key for where, key in by_place if where == "While roasting"}
    assert [name for name, _ in RAIL] == list(STATIONS)
    shown = {keys for _, group in key_groups() for keys, _ in group}
    assert {"Space", "Z", "Ctrl+K", "Ctrl+L", "Up  Down"} <= shown


def test_a_found_mark_is_not_the_hands(library):
    bench = Bench(library)
    bench.session.prepare(bench.order())
    bench.feed(110)
    assert bench.session.marks[MarkKind.CHARGE].found is Found.CURVE
    bench.session.undo()
    assert MarkKind.CHARGE in bench.session.marks
    bench.session.close()


def test_a_plan_of_a_renamed_lot_is_still_for_it(tmp_path):
    library = Library(tmp_path / "library.sqlite")
    lot = library.save_lot(Lot("Rwanda Isuka"))
    kept = library.save_plan(Plan("first", lot="Rwanda Isuka"))
    library.save_lot(replace(lot, name="Rwanda Isuka, bags of May"))
    again = library.save_plan(replace(kept, remark="changed"))
    assert (again.lot, again.lot_id) == ("Rwanda Isuka, bags of May", lot.id)
    library.close()
