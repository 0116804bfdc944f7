from dataclasses import replace

import numpy as np
import pytest

from firnel.core.plan import (
    Anchor,
    Plan,
    PlanCurve,
    PlannedMove,
    Targets,
    due_moves,
    expected_marks,
    shifted_curve,
)
from firnel.core.plan_document import plan_from_document, plan_to_document
from firnel.core.settling import Became, Settled, passed, settled_by
from firnel.core.units import Units
from firnel.core.vocabulary import Control, Mark, MarkKind
from firnel.work.desk import machine_of_kind
from firnel.work.plan.picture import plan_picture
from firnel.work.roast.move_words import move_sentence, when_sentence

T = np.arange(0.0, 601.0, 1.0)
PLAN = Plan(
    "test", "Drum Six", "Rwanda Isuka", 5.0,
    targets=Targets(200.0, 300.0, 210.0, 90.0, 205.0),
    start={Control.GAS: 0.0, Control.AIRFLOW: 25.0},
    moves=(
        PlannedMove(Control.GAS, 2.4, Anchor.CHARGE, 45.0),
        PlannedMove(Control.GAS, 1.6, Anchor.YELLOW, 12.0),
        PlannedMove(Control.AIRFLOW, 80.0, Anchor.FIRST_CRACK, -20.0),
        PlannedMove(Control.GAS, 1.1, Anchor.BEAN, at_c=190.0),
        PlannedMove(Control.GAS, 0.6, Anchor.TIME, 580.0),
    ),
    curve=PlanCurve(T, 90 + T * 0.2, T * 0 + 220, T * 0 + 12),
)  # fmt: skip
CHARGE = Mark(MarkKind.CHARGE, 60.0)


def test_without_a_charge_nothing_is_expected():
    assert expected_marks(PLAN, (), 10.0) == {}
    assert shifted_curve(PLAN, (), 10.0) is None


def test_marks_are_expected_one_stage_after_the_other():
    expected = expected_marks(PLAN, [CHARGE], 61.0)
    assert [expected[kind] for kind in (MarkKind.YELLOW, MarkKind.FIRST_CRACK, MarkKind.DROP)] == [360.0, 570.0, 660.0]


def test_behind_a_move_that_is_late_the_next_goes_from_where_the_control_stands():
    for late_s, begins in ((10.0, 2.4), (30.0, 1.6)):
        gas = [e for e in due_moves(PLAN, [CHARGE], 105.0 + late_s, held={Control.GAS: 1.6}) if e.move.control == Control.GAS]
        assert [entry.from_value for entry in gas[:2]] == [1.6, begins]


def test_yellow_twenty_seconds_late_moves_all_that_hangs_on_it():
    before = due_moves(PLAN, [CHARGE], 100.0)
    after = due_moves(PLAN, [CHARGE, Mark(MarkKind.YELLOW, 380.0)], 381.0)
    shift = {b.index: a.due_t - b.due_t for b in before for a in after if a.index == b.index}
    assert shift == {0: 0.0, 1: 20.0, 2: 20.0, 3: pytest.approx(20.0, abs=1.1), 4: 0.0}  # the last hangs on the clock alone


def test_an_early_crack_reckons_the_drop_anew_from_development():
    marks = [CHARGE, Mark(MarkKind.YELLOW, 360.0), Mark(MarkKind.FIRST_CRACK, 530.0)]
    assert expected_marks(PLAN, marks, 531.0)[MarkKind.DROP] == 620.0
    curve = shifted_curve(PLAN, marks, 531.0)
    assert (np.diff(curve.t) > 0).all(), "what the early crack overtook is gone"
    assert curve.t[-1] == pytest.approx(620.0)


def test_an_overdue_mark_is_expected_now():
    assert expected_marks(PLAN, [CHARGE], 400.0)[MarkKind.YELLOW] == 400.0
    assert expected_marks(PLAN, [CHARGE], 400.0)[MarkKind.DROP] == 700.0


def test_a_free_stage_leaves_the_rest_unknown():
    free = replace(PLAN, targets=replace(PLAN.targets, browning_s=None))
    assert MarkKind.FIRST_CRACK not in expected_marks(free, [CHARGE], 61.0)
    assert next(entry for entry in due_moves(free, [CHARGE], 61.0) if entry.index == 2).due_t is None


def test_a_hand_settles_the_move_it_meant_and_those_it_went_past():
    due = due_moves(PLAN, [CHARGE], 100.0)
    made = {0: Settled(Became.MADE, 108.0)}
    assert settled_by(due, Control.GAS, 2.4, 108.0, 0.1) == made
    assert settled_by(due, Control.GAS, 2.3, 108.0, 0.1) == made, "a hand that misses by a step has still made it"
    assert settled_by(due, Control.GAS, 2.0, 108.0, 0.1) == {0: Settled(Became.OTHERWISE, 108.0, 2.0)}
    assert settled_by(due, Control.GAS, 2.0, 250.0, 0.1) == {0: Settled(Became.OTHERWISE, 250.0, 2.0)}, "gone past"
    assert settled_by(due, Control.GAS, 1.6, 365.0, 0.1) == {0: Settled(Became.PASSED, 365.0), 1: Settled(Became.MADE, 365.0)}
    assert settled_by(due_moves(PLAN, [CHARGE], 100.0, {0: 105.0}), Control.GAS, 2.4, 108.0, 0.1) == {}
    assert settled_by(due, Control.DRUM, 60.0, 108.0, 1.0) == {}


def test_time_marks_and_a_setting_that_stands_anyway_settle_the_rest():
    def became(now, marks=(CHARGE,), held=None):
        due = due_moves(PLAN, marks, now)
        settled = passed(due, {mark.kind: mark.t for mark in marks}, now, held or {}, {Control.GAS: 0.1})
        return {index: one.became for index, one in settled.items()}

    assert became(110.0) == {}
    assert became(110.0, held={Control.GAS: 2.4}) == {0: Became.THERE}
    assert became(200.0) == {0: Became.PASSED}, "nobody waits for it any more"
    crack = Mark(MarkKind.FIRST_CRACK, 350.0)
    hangs_on_yellow = [index for index, move in enumerate(PLAN.moves) if move.anchor is Anchor.YELLOW]
    settled = became(352.0, (CHARGE, Mark(MarkKind.YELLOW, 345.0), crack))
    assert set(hangs_on_yellow) <= set(settled), "nothing that hangs on yellow falls due after first crack"
    assert len(became(500.0, (CHARGE, Mark(MarkKind.DROP, 480.0)))) == len(PLAN.moves)


def test_moves_are_said_as_sentences_in_the_chosen_units():
    machine, due = machine_of_kind("Drum Six", "gas-6"), due_moves(PLAN, [CHARGE], 61.0)
    said = {entry.index: (move_sentence(entry, Units(), machine), when_sentence(entry.move, Units())) for entry in due}
    assert said[0] == ("Gas 0.0 → 2.4 kPa", "45 s after charge")
    assert said[1] == ("Gas 2.4 → 1.6 kPa", "12 s after yellow")
    assert said[2] == ("Airflow 25 → 80 Pa", "20 s before first crack")
    assert said[3][1] == "at 190 °C"
    assert said[4] == ("Gas 1.1 → 0.6 kPa", "9:40 after charge")
    shown = Units(temperature="°F", pressure="mbar")
    assert move_sentence(due[0], shown, machine) == "Gas 0.0 → 24.0 mbar"
    assert when_sentence(PLAN.moves[3], shown) == "at 374 °F"
    electric = machine_of_kind("Sample One", "electric-1")
    assert move_sentence(due[0], Units(), electric).startswith("Power ")


def test_a_plan_comes_back_from_its_document():
    back = plan_from_document(plan_to_document(PLAN))
    assert replace(back, curve=None) == replace(PLAN, curve=None)
    np.testing.assert_allclose(back.curve.bean, PLAN.curve.bean, atol=0.01)


@pytest.mark.parametrize(
    "document", [{}, {"name": "x", "moves": [{"control": "gas"}]}, {"name": "x", "targets": {"bitterness": 3}}]
)
def test_what_is_no_plan_is_refused_in_words(document):
    with pytest.raises(ValueError, match="This is no plan"):
        plan_from_document(document)


def test_a_move_at_a_temperature_needs_one():
    with pytest.raises(ValueError, match="needs at_c"):
        PlannedMove(Control.GAS, 1.0, Anchor.BEAN)


def test_a_plan_is_pictured_with_its_stages_and_ribbons():
    picture = plan_picture(PLAN, machine_of_kind("Drum Six", "gas-6"), Units(temperature="°F"))
    assert picture.stage_ends == (300.0, 510.0, 600.0)
    assert picture.bean[0] == pytest.approx(194.0)
    gas = picture.ribbons[0]
    assert [value for _, _, value in gas.done] == [0.0, 2.4, 1.6, 1.1, 0.6]
    assert picture.targets[0] == ("Charge", "392 °F")
