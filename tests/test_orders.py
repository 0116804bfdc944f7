"""Orders become batches, plans become ladders."""

from dataclasses import replace
from math import sqrt
from statistics import mean, stdev

import pytest
from test_plan_and_cue import PLAN

from firnel.core.plan import Targets
from firnel.core.vocabulary import Lot
from firnel.work.desk import machine_of_kind
from firnel.work.plan.orders import USUAL_LOSS, expected_loss, ladder, split_order

DRUM = replace(machine_of_kind("Drum Six", "gas-6"), tray_litres=19.0)
LOSSES = (0.125, 0.131, 0.128, 0.122)


@pytest.fixture
def lot(library, record):
    lot = library.save_lot(Lot("Rwanda Isuka", "Rwanda", density_g_per_l=742.0, on_hand_kg=200.0))
    for number, loss in enumerate(LOSSES):
        library.add_record(replace(record, label=f"{number}", lot=lot.name, roasted_kg=5.0 * (1.0 - loss)))
    return next(known for known in library.lots() if known.id == lot.id)


def test_the_loss_is_the_lots_own_with_its_interval(library, lot):
    expected = expected_loss(library, lot)
    assert expected.batches == 4
    assert expected.loss == pytest.approx(mean(LOSSES))
    # Prediction interval of one more batch, spread times root(1 + 1/n), 80 % of a normal (any statistics text).
    assert expected.high - expected.loss == pytest.approx(1.2816 * stdev(LOSSES) * sqrt(1.25), rel=1e-3)


def test_without_weighed_batches_the_usual_is_taken_widely(library):
    new = library.save_lot(Lot("Uganda Rwebisho"))
    expected = expected_loss(library, new)
    assert (expected.loss, expected.batches) == (USUAL_LOSS, 0)
    assert expected.high - expected.low > 0.02


@pytest.mark.parametrize(("ordered", "batches"), [(4.0, 1), (8.0, 2), (30.0, 7), (0.5, 1)])
def test_an_order_is_split_into_equal_batches_that_fit(library, lot, ordered, batches):
    split = split_order(library, lot, DRUM, ordered)
    assert split.batches == batches
    assert split.load_kg <= DRUM.useful_load_kg
    assert split.green_kg == pytest.approx(split.batches * split.load_kg)
    assert split.roasted_kg >= ordered, "the order is filled"
    assert split.green_kg * (1.0 - split.expected.high) >= ordered - 0.02


def test_the_tray_can_be_smaller_than_the_drum(library, lot):
    split = split_order(library, lot, replace(DRUM, tray_litres=9.0), 8.0)
    assert split.load_kg < 3.8
    assert not any("overflow" in sentence for sentence in split.warnings)


def test_too_little_green_and_a_bare_probe_are_told(library, lot):
    assert any("are there" in sentence for sentence in split_order(library, lot, DRUM, 400.0).warnings)
    assert any("bare" in sentence for sentence in split_order(library, lot, DRUM, 0.5).warnings)
    for none in (0.0, -3.0):
        with pytest.raises(ValueError, match="is no order"):
            split_order(library, lot, DRUM, none)


def test_a_ladder_varies_development_alone_in_equal_steps():
    plans = ladder(PLAN, count=5, step=15.0)
    assert [plan.targets.development_s for plan in plans] == [60.0, 75.0, 90.0, 105.0, 120.0]
    assert {plan.targets.browning_s for plan in plans} == {PLAN.targets.browning_s}
    assert all(plan.targets.drop_c is None and plan.id is None for plan in plans)
    assert len({plan.name for plan in plans}) == 5


@pytest.mark.parametrize(("on", "step"), [("browning_s", 20.0), ("charge_c", 4.0)])
def test_a_ladder_climbs_browning_or_charge_and_keeps_the_rest(on, step):
    plan = replace(PLAN, targets=replace(PLAN.targets, charge_c=200.0, browning_s=200.0, development_s=90.0))
    values = [getattr(variant.targets, on) for variant in ladder(plan, on, 3)]
    assert values == [200.0 - step, 200.0, 200.0 + step]
    assert {variant.targets.development_s for variant in ladder(plan, on, 3)} == {90.0}


@pytest.mark.parametrize(
    ("plan", "on", "count", "step", "words"),
    [
        (replace(PLAN, targets=Targets()), "development_s", 5, 15.0, "no development to vary"),
        (PLAN, "development_s", 1, 15.0, "2 to 12"),
        (PLAN, "development_s", 5, 0.0, "2 to 12"),
        (PLAN, "development_s", 7, 30.0, "smaller steps"),
        (PLAN, "loss", 5, None, "climbs development, browning, charge"),
    ],
)
def test_a_ladder_that_cannot_be_is_refused(plan, on, count, step, words):
    with pytest.raises(ValueError, match=words):
        ladder(plan, on, count, step)
