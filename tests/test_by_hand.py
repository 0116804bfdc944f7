"""Plans by hand: moves typed as they are said, every anchor, nothing changed unless asked; and how a lot is to be handled."""

from dataclasses import replace

import numpy as np
import pytest
from test_plan_and_cue import PLAN

from firnel.core.green.handling import HouseRules, handling
from firnel.core.green.process import process_of
from firnel.core.plan import Anchor, Plan, PlanCurve, PlannedMove, Targets, due_moves
from firnel.core.plan_document import plan_from_document, plan_to_document
from firnel.core.units import Units
from firnel.core.vocabulary import Control, Lot, Mark, MarkKind
from firnel.ui.shared.entries import FigureEntry
from firnel.work.desk import machine_of_kind
from firnel.work.plan.draft import hold_all
from firnel.work.plan.planning import usual_stage
from firnel.work.plan.typed import with_typed
from firnel.work.roast.move_words import when_sentence

GAS, NINE = machine_of_kind("Drum Six", "gas-6"), machine_of_kind("Ridge Nine", "electric-9")
BARE = Plan("by hand", "Drum Six", load_kg=4.0, targets=Targets(200.0, 300.0, 280.0, 100.0), start={Control.GAS: 2.4})


def typed(text, plan=BARE, machine=GAS, units=None):
    return with_typed(plan, machine, text, units or Units())


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("gas 1.8 at yellow +20", ("gas", 1.8, Anchor.YELLOW, 20.0, None)),
        ("Gas 1,85 kPa 12 s before first crack", ("gas", 1.85, Anchor.FIRST_CRACK, -12.0, None)),
        ("air 50 at 4:37", ("airflow", 50.0, Anchor.TIME, 277.0, None)),
        ("gas to 2 at bean 151.5", ("gas", 2.0, Anchor.BEAN, 0.0, 151.5)),
        ("gas 0 when the air falls to 190", ("gas", 0.0, Anchor.AIR, 0.0, 190.0)),
        ("gas 2.2 at the turn", ("gas", 2.2, Anchor.TURNING, 0.0, None)),
        ("gas 0 1:10 after first crack", ("gas", 0.0, Anchor.FIRST_CRACK, 70.0, None)),
        ("airflow 70 at second crack -5", ("airflow", 70.0, Anchor.SECOND_CRACK, -5.0, None)),
        ("burner 0 at drop -30", ("gas", 0.0, Anchor.DROP, -30.0, None)),
    ],
)
def test_a_move_is_typed_as_it_is_said_and_kept_to_the_second(text, wanted):
    (move,) = typed(text).moves
    assert (str(move.control), move.to, move.anchor, move.offset_s, move.at_c) == wanted
    assert move.held
    again = plan_from_document(plan_to_document(typed(text)))
    assert again.moves == (move,)


def test_a_unit_that_is_typed_counts_whatever_the_scale_has():
    assert typed("gas 20 mbar at bean 302 °F").moves[0].to == pytest.approx(2.0)  # NIST SP 811: a millibar is 0.1 kPa
    assert typed("gas 20 mbar at bean 302 °F").moves[0].at_c == pytest.approx(150.0)
    with pytest.raises(ValueError, match="no conversion"):
        typed("gas 2 rpm at yellow")


def test_a_unit_counts_in_differences_settings_and_facts_too(qtbot):
    entry = FigureEntry("Rise")
    qtbot.addWidget(entry)
    for text, units, wanted in (("9 F", Units(), 5.0), ("5K", Units("°F"), 5.0), ("-9", Units("°F"), -5.0), ("±", None, None)):
        entry.setText(text)
        if wanted is None:
            pytest.raises(ValueError, entry.read_difference, Units())
        else:
            assert entry.read_difference(units) == pytest.approx(wanted)  # NIST SP 811: a degree Fahrenheit is 5/9 K
    for text, unit, wanted in (
        ("728 g/L", "g/L", 728.0),
        ("11,5 %", "%", 11.5),
        ("80 mbar", "kPa", 8.0),
        ("3.2 m³", "m³", 3.2),
    ):
        entry.setText(text)
        assert entry.read(Units(), unit) == pytest.approx(wanted)
    for text in ("8:30", "510", "510 s"):
        entry.setText(text)
        assert entry.seconds() == 510.0


def test_degrees_and_settings_are_typed_in_the_chosen_units():
    units = Units(temperature="°F", pressure="inH2O")
    (move,) = typed("gas 6 at bean 302", units=units).moves
    assert move.at_c == pytest.approx(150.0)
    assert move.to == pytest.approx(6 * 0.24908891)  # conventional inch of water, NIST SP 811 appendix B


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("gas 9 at yellow", "runs from 0 to 4 kPa"),
        ("flame 2 at yellow", "names no control"),
        ("gas 2", "but when"),
        ("gas 2 at noon", "is no moment"),
        ("gas at yellow", "to what"),
        ("gas 2 20 s after airflow", "no move of airflow yet"),
        ("gas 2 at bean 900", "no reading of a roast"),
        ("soak 900", "5 to 300 s"),
    ],
)
def test_what_cannot_be_typed_is_told_in_a_sentence(text, words):
    with pytest.raises(ValueError, match=words):
        typed(text)


def test_a_move_follows_another_by_so_many_seconds_and_the_hand_that_made_that_one():
    plan = typed("air 60 20 s after gas", typed("gas 1.8 at yellow"))
    first, second = plan.moves
    assert (first.label, second.anchor, second.after, second.offset_s) == ("gas", Anchor.MOVE, "gas", 20.0)
    charge, yellow = Mark(MarkKind.CHARGE, 0.0), Mark(MarkKind.YELLOW, 310.0)
    due = {entry.move.control: entry.due_t for entry in due_moves(plan, [charge, yellow], 311.0)}
    assert (due["gas"], due["airflow"]) == (310.0, 330.0)
    late = {entry.move.control: entry.due_t for entry in due_moves(plan, [charge, yellow], 330.0, done={0: 322.0})}
    assert late["airflow"] == 342.0
    ring = replace(plan, moves=(replace(first, anchor=Anchor.MOVE, after="b"), replace(second, label="b")))
    assert all(entry.due_t is None for entry in due_moves(ring, [charge], 0.0)), "a ring is never due, and does not hang"


def test_a_move_hangs_on_the_air_rising_or_falling():
    t = np.arange(0.0, 600.0, 10.0)
    air = 225.0 - 40.0 * np.exp(-(((t - 100.0) / 60.0) ** 2))  # down to 185 and up again
    plan = replace(BARE, curve=PlanCurve(t, 100.0 + 0.2 * t, air, np.zeros_like(t)))
    charge = [Mark(MarkKind.CHARGE, 0.0)]
    falls, rises = (
        due_moves(typed(f"gas 1 when the air {way} to 200", plan), charge, 0.0)[0].due_t for way in ("falls", "rises")
    )
    assert falls < 100.0 < rises
    (entry,) = due_moves(typed("gas 1 when the air rises to 200", plan), charge, 300.0, air=(t[:20], air[:20] - 5.0))
    assert entry.due_t > rises, "as the probe came, not as planned"
    assert when_sentence(entry.move, Units()) == "when the air rises to 200 °C"


def test_a_soak_is_the_burner_truly_off_and_a_coast_too():
    minute = typed("soak 60")
    assert minute.start[Control.GAS] == 0.0
    assert [(move.to, move.anchor, move.offset_s) for move in minute.moves] == [(2.4, Anchor.CHARGE, 60.0)]
    turn = typed("soak to the turn")
    assert turn.moves[0].anchor is Anchor.TURNING
    coast = typed("coast 40", replace(PLAN, machine="Drum Six"))
    assert [(m.to, m.offset_s) for m in coast.moves if m.anchor is Anchor.FIRST_CRACK and m.control == Control.GAS][-1][
        0
    ] == 0.0


def test_three_heaters_are_typed_by_their_names():
    plan = Plan("nine", "Ridge Nine", start={})
    for text in ("hot air 80 at charge", "radiant 40 at yellow", "drum heater 30 20 s after radiant", "radiant 0 at fc −60"):
        plan = typed(text, plan, NINE)
    assert plan.start == {"hot_air": 80.0}
    assert [(str(m.control), m.to) for m in plan.moves] == [("radiant", 40.0), ("drum_heater", 30.0), ("radiant", 0.0)]


def test_hold_all_keeps_the_recipe():
    held = hold_all(PLAN)
    assert all(move.held for move in held.moves)
    assert held.start_held
    assert not any(move.held for move in hold_all(held, False).moves)


def test_an_anchor_that_lacks_its_reading_is_refused():
    for anchor in (Anchor.BEAN, Anchor.AIR, Anchor.MOVE):
        with pytest.raises(ValueError, match=r"at_c|after"):
            PlannedMove(Control.GAS, 1.0, anchor)


# How a lot is to be handled: common practice, no published source


def charge_of(**traits):
    lot = Lot("x", **({"density_g_per_l": 700.0, "moisture": 0.11} | traits))
    return handling(lot, GAS).charge_c - HouseRules().usual_charge_c


def test_shifts_are_bounded_together_and_have_no_cliffs():
    worst = charge_of(process="natural decaf", density_g_per_l=640.0, moisture=0.08, altitude_m=900.0)
    assert worst == pytest.approx(-8.0)
    densities = np.arange(640.0, 780.0, 0.5)
    charges = np.array([charge_of(density_g_per_l=float(density)) for density in densities])
    assert np.abs(np.diff(charges)).max() < 0.5, "half a gram moves nothing by a class"
    assert charges[0] < charges[len(charges) // 2] < charges[-1]


@pytest.mark.parametrize("process", ["carbonic maceration", "co-ferment", "yeast inoculated washed", "experimental", "moonlit"])
def test_a_process_that_nobody_can_foresee_asks_for_a_ladder_and_is_less_sure(process):
    known, odd = (handling(Lot("x", process=p, density_g_per_l=700.0, moisture=0.11), GAS) for p in ("washed", process))
    assert any("ladder" in hint for hint in odd.hints)
    assert odd.charge_sd_c > known.charge_sd_c
    assert not any("ladder" in hint for hint in known.hints)


@pytest.mark.parametrize("process", ["decaf", "Sugarcane EA decaffeinated", "CO2 process", "Entkoffeiniert", "caffeine free"])
def test_decaffeinated_is_known_however_it_is_called(process):
    assert process_of(process).decaf
    assert not process_of("washed, fermented 36 hours").unpredictable


def test_usual_stages_go_with_the_load():
    assert usual_stage([], 2.5, 5.0, 300.0, 0.45) == pytest.approx(300.0 * 0.5**0.45, abs=1.0)
    seen = [(load, 300.0 * (load / 5.0) ** 0.6) for load in (2.0, 2.5, 3.5, 5.0, 5.0, 4.0)]
    assert usual_stage(seen, 2.5, 5.0, 300.0, 0.45) == pytest.approx(300.0 * 0.5**0.6, rel=0.03)
