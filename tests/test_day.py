"""The day: orders as they are typed, blends, needs after the stock, dealing, sequence, time line, the whole in a window."""

import itertools
import json
import re
from dataclasses import replace
from datetime import UTC, date, datetime, time, timedelta

import numpy as np
import pytest
from click.testing import CliRunner
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication

from firnel.app.commands import main
from firnel.app.window import make_application
from firnel.core.day.coffee import Blending, Coffee, CoffeeError, Component, GreenFacts, Level, Rest, check_coffee, misfits
from firnel.core.day.dealing import Station, Way, deal, fullest
from firnel.core.day.need import Loss, Need, Stock, green_for, loss_from, needs_of, sure_of_each
from firnel.core.day.order import Order, OrderError, order_from_line
from firnel.core.day.sequence import Rules, _costs, in_order
from firnel.core.day.timeline import can_roast_kg, laid_out, plan_day, what_moves
from firnel.core.model.thresholds import CRACK, GreenTraits, Threshold
from firnel.core.plan import Plan, Targets
from firnel.core.units import Units
from firnel.core.vocabulary import Lot, Machine
from firnel.devices.clock import Clock
from firnel.store.writing import ChangedMeanwhileError
from firnel.ui.day.view import DayView
from firnel.ui.day.wall import wall_of
from firnel.ui.shared.background import Background
from firnel.ui.shared.parts import ElidedLabel
from firnel.ui.theme.look import Look
from firnel.work.bench import cupping
from firnel.work.bench.mixes import keep_reference, mix_of, on_offer, with_references
from firnel.work.day import orders as shop
from firnel.work.day import queue
from firnel.work.day.behind import sold
from firnel.work.day.day_report import day_document, day_report
from firnel.work.day.house_day import Chosen, HouseDay, chosen_for, house_day, keep_chosen, keep_house_day
from firnel.work.day.labels import label_the_day, tick_off
from firnel.work.day.planning import assign, can_we, day_sheet, hold, let_go, rest_machine, send_to_queue
from firnel.work.day.shelf_stock import blend_facts, on_shelf
from firnel.work.day.succession import followers, let_follow
from firnel.work.desk import Desk
from firnel.work.machines.care import keep_interval, note_done
from firnel.work.machines.forecasting import traits_of
from firnel.work.machines.meters import note_meter, used
from firnel.work.plan.whose import lot_of
from firnel.work.review.reports import month_report
from firnel.work.settings import Settings

TODAY = date(2026, 12, 2)  # a Wednesday
HOUSE = Coffee("House blend", (Component("A", 0.6, (1,)), Component("B", 0.4, (2,))))
FRIDAY = Coffee("Friday for all", (Component("A", 1.0, (1,)),), level=Level.LIGHT)
SIX = Station("six", 5.0, 6.0, 2.0, 1800.0, 240.0)
TEN = Station("ten", 10.0, 12.0, 4.0, 1800.0, 300.0)
USUAL = Loss(0.13, 0.003, 0.005)


# Orders on one line


@pytest.mark.parametrize(
    ("line", "kg", "due", "customer", "every"),
    [
        ("12 kg House blend friday for Corner Café", 12.0, date(2026, 12, 4), "Corner Café", 0),
        ("20 x 250 g house blend 4 Dec every week", 5.0, date(2026, 12, 4), "", 7),
        ("house 3,5kg wednesday", 3.5, date(2026, 12, 9), "", 0),  # the next one, not today
        ("2x5kg + 3 × 1 kg house", 13.0, date(2026, 12, 3), "", 0),
        ("4 kg Friday for all 5 jan for Mill Lane", 4.0, date(2027, 1, 5), "Mill Lane", 0),  # a name with a day and a for in it
        ("900 g house 2026-12-02 every 2 weeks", 0.9, TODAY, "", 14),
    ],
)
def test_an_order_is_read_as_it_is_said(line, kg, due, customer, every):
    order = order_from_line(line.replace("+", ","), [HOUSE, FRIDAY], TODAY)
    assert (round(order.kg, 6), order.due, order.customer, order.every_days) == (kg, due, customer, every)
    assert sum(count * weight for count, weight in order.packs) in (0.0, pytest.approx(kg))


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("0 kg house", "is no order"),
        ("10000 kg house", "a slip"),
        ("5 kg house 2026-12-01", "is over"),
        ("5 kg house 31 feb", "no day of the calendar"),
        ("5 kg mocha", "no coffee is called"),
        ("5 kg", "which coffee"),
        ("house friday", "how much"),
        ("5 kg 3 kg house", "two weights"),
        ("5 kg house 2029-01-01", "days ahead"),
        ("5 kg o", "could be"),
        ("", "how much of which coffee"),
    ],
)
def test_what_is_no_order_is_refused_in_a_sentence(line, said):
    with pytest.raises(OrderError, match=said):
        order_from_line(line, [HOUSE, FRIDAY], TODAY)


# Coffees


def test_a_blend_of_99_per_cent_a_lot_twice_and_no_lot_are_refused():
    for parts, said in (
        ((Component("A", 0.59), Component("B", 0.4)), "come to 99 %"),
        ((Component("A", 0.5), Component("A", 0.5)), "twice"),
        ((), "no lot"),
        ((Component("A", float("nan")),), "more than 0 %"),
    ):
        with pytest.raises(CoffeeError, match=said):
            check_coffee(replace(HOUSE, components=parts))
    check_coffee(replace(HOUSE, components=tuple(Component(name, 1.0 / 3.0) for name in "ABC")))


def test_green_that_does_not_go_together_is_told_and_roasted_apart_it_does_not_matter():
    facts = [GreenFacts("A", 0.088, 760.0, 6.2, "washed"), GreenFacts("B", 0.118, 690.0, None, "natural")]
    green = replace(HOUSE, blending=Blending.GREEN)
    said = misfits(green, facts)
    assert [sentence.split()[0:3] for sentence in said[:3]] == [["A", "is", "dry"], ["A", "is", "drier"], ["A", "is", "denser"]]
    assert "by 70 g/L" in said[2]
    assert "natural, washed" in said[3]
    assert misfits(HOUSE, facts) == []
    assert misfits(green, [GreenFacts("A", 0.11, 720.0), GreenFacts("B", 0.112, 735.0)]) == []


# Needs


def test_the_loss_to_expect_is_the_normal_mean_with_a_normal_prior():
    seen = [0.150, 0.152, 0.148, 0.151]
    loss = loss_from(seen)
    # The posterior of a normal mean: A. Gelman and others, Bayesian Data Analysis, 3rd ed., equation 2.12.
    weight = 0.015**2 / (0.015**2 + loss.batch**2 / 4)
    assert loss.mean == pytest.approx(0.135 + weight * (np.mean(seen) - 0.135))
    assert loss.doubt == pytest.approx((1.0 / 0.015**2 + 4 / loss.batch**2) ** -0.5)
    assert loss_from([0.15, 0.6, -0.2]).mean == loss_from([0.15]).mean, "slips of the scale"
    assert loss_from([]) == Loss(0.135, 0.015, 0.006)


def test_green_suffices_as_often_as_is_asked():
    rng = np.random.default_rng(3)
    loss, batches = Loss(0.14, 0.006, 0.005), 4
    green = green_for(20.0, loss, batches, 0.9)
    means = rng.normal(loss.mean, loss.doubt, 20000)
    came = np.array([np.sum(green / batches * (1.0 - rng.normal(mean, loss.batch, batches))) for mean in means])
    assert np.mean(came >= 20.0) == pytest.approx(0.9, abs=0.01)
    assert sure_of_each(5, 0.9) ** 5 == pytest.approx(0.9)


def test_the_shelf_is_used_first_the_oldest_that_is_not_past_and_for_the_first_due():
    coffee = Coffee("One", (Component("A", 1.0, (1,)),), ready_days=2, past_days=20)
    stock = [
        Stock("old", "A", 1, TODAY - timedelta(days=30), 9.0),
        Stock("ready", "A", 1, TODAY - timedelta(days=5), 2.0),
        Stock("fresh", "A", 1, TODAY - timedelta(days=1), 3.0),
        Stock("other plan", "A", 9, TODAY - timedelta(days=5), 9.0),
    ]
    later, first = Order("One", 4.0, TODAY + timedelta(days=3)), Order("One", 4.0, TODAY)
    needs, taken = needs_of([later, first], {"One": coffee}, stock, TODAY)
    assert [(one.order is first, one.stock.batch, one.kg, one.rest) for one in taken] == [
        (True, "ready", 2.0, Rest.READY), (True, "fresh", 2.0, Rest.FRESH), (False, "fresh", 1.0, Rest.READY),
    ]  # fmt: skip
    assert [(need.kg, need.due) for need in needs] == [(3.0, later.due)]
    strict, _ = needs_of([first], {"One": coffee}, stock, TODAY, fresh_too=False)
    assert strict[0].kg == 2.0


def test_a_blend_is_roasted_apart_by_roasted_weight_or_as_one_green():
    order = Order("House blend", 10.0, TODAY)
    apart, _ = needs_of([order], {"House blend": HOUSE}, [], TODAY)
    assert {need.lot: need.kg for need in apart} == pytest.approx({"A": 6.0, "B": 4.0})
    as_one, _ = needs_of([order], {"House blend": replace(HOUSE, blending=Blending.GREEN)}, [], TODAY)
    assert [(need.lot, need.kg, need.plans) for need in as_one] == [("House blend", 10.0, (1,))]


# Dealing, sequence and time


def need_of(name, kg, due=TODAY, **more):
    return Need(Coffee(name, (Component(name, 1.0, (1,)),), **more), name, (1,), kg, due)


def end_of(counts, stations, roast_s=(600.0, 700.0)):
    """When the last machine is done, of counts of batches for each need and machine. [s]"""
    machines = zip(zip(*counts, strict=True), roast_s, stations.values(), strict=True)
    return max(one.begins_s + sum(own) * (each + one.between_s) for own, each, one in machines if any(own))


def test_batches_are_equal_never_over_the_load_and_end_as_early_as_any_dealing_could():
    rng = np.random.default_rng(5)
    for _ in range(12):
        needs = [need_of(name, float(rng.uniform(10.0, 50.0))) for name in "ABC"[: int(rng.integers(1, 4))]]
        ways = {need.key: [Way("six", 1, 600.0, 9, USUAL), Way("ten", 1, 700.0, 9, USUAL)] for need in needs}
        stations = {"six": SIX, "ten": TEN}
        dealt = deal(needs, ways, stations)
        for share in dealt.shares:
            assert stations[share.way.machine].least_kg <= share.load_kg <= stations[share.way.machine].most_kg
        for need in needs:
            assert sum(share.roasted_kg for share in dealt.shares if share.need is need) >= need.kg

        sure = sure_of_each(len(needs))
        every = []
        for need in needs:
            gives = [fullest(need, way, stations[way.machine], sure) for way in ways[need.key]]
            every.append([c for c in itertools.product(range(13), range(7)) if c[0] * gives[0] + c[1] * gives[1] >= need.kg])
        best = min(end_of(counts, stations) for counts in itertools.product(*(sorted(c, key=sum)[:25] for c in every)))
        ours = [[sum(s.batches for s in dealt.shares if s.need is n and s.way.machine == m) for m in stations] for n in needs]
        assert end_of(ours, stations) <= 1.03 * best + 300.0  # loads near the best count too, for some minutes


def test_a_plan_that_is_proven_on_one_machine_is_roasted_there_and_a_hand_has_the_last_word():
    need = need_of("A", 15.0)
    ways = {need.key: [Way("six", 1, 600.0, 12, USUAL), Way("ten", 2, 600.0, 0, USUAL)]}
    stations = {"six": SIX, "ten": TEN}
    assert {share.way.machine for share in deal([need], ways, stations).shares} == {"six"}
    assert {share.way.machine for share in deal([need], ways, stations, {need.key: "ten"}).shares} == {"ten"}
    nothing = deal([need, need_of("B", 9.0)], ways, {"ten": replace(TEN, name="ten")}, {need.key: "six"})
    assert [need.lot for need, _ in nothing.left] == ["A", "B"]
    assert "no machine has a plan of B" in nothing.left[1][1]


def test_the_order_is_the_best_of_all_orders():
    rng = np.random.default_rng(11)
    for _ in range(6):
        shares = []
        for index in range(6):
            level = list(Level)[int(rng.integers(3))]
            need = need_of(
                f"c{index}", 10.0, TODAY + timedelta(days=int(rng.integers(3))), level=level, last=bool(rng.random() < 0.2)
            )
            share_of = deal([need], {need.key: [Way("six", 1, 600.0, int(rng.integers(6)), USUAL)]}, {"six": SIX}).shares[0]
            shares.append(share_of)
        costs = _costs(shares, Rules(), {})
        best = min(costs.of(order) for order in itertools.permutations(range(6)))
        found = [shares.index(placed.share) for placed in in_order(shares)]
        assert costs.of(found) == pytest.approx(best)
    place = {shares[4].need.key: 2}
    held = in_order(shares, held=place)
    assert held[2].share is shares[4]
    assert (held[2].held, held[2].why) == (True, "held here")


def test_light_comes_before_dark_decaf_last_and_each_place_has_its_reason():
    needs = [need_of("dark", 9.0, level=Level.DARK), need_of("decaf", 9.0, last=True), need_of("light", 9.0, level=Level.LIGHT)]
    needs.append(need_of("late", 9.0, TODAY + timedelta(days=3), level=Level.LIGHT))
    ways = {need.key: [Way("six", 1, 600.0, 9, USUAL)] for need in needs}
    plan = plan_day(TODAY, needs, ways, [SIX])
    order = list(dict.fromkeys(block.share.need.lot for block in plan.batches))
    assert order.index("light") < order.index("dark") < order.index("decaf") == 3
    assert plan.batches[-1].why == "the same coffee as before"
    assert "decaffeinated or flavoured: last" in {block.why for block in plan.batches}


@pytest.mark.parametrize(("at_once", "people"), [(1, "one"), (2, "one"), (1, "two")])
def test_nobody_roasts_on_more_machines_at_one_time_than_they_can(at_once, people):
    pause = ((5000.0, 6800.0),)
    twin = replace(SIX, name="twin", pauses=pause, who="Ines" if people == "one" else "Paulo")
    machines = [replace(SIX, who="Ines", pauses=pause), twin]
    need = need_of("A", 40.0)
    ways = {need.key: [Way(one.name, number, 600.0, 9, USUAL) for number, one in enumerate(machines)]}
    plan = plan_day(TODAY, [need], ways, machines, at_once=at_once)
    batches = plan.batches
    assert sum(block.share.load_kg for block in batches) * 0.87 >= 40.0
    assert {block.machine for block in batches} == {SIX.name, "twin"}
    together = max(sum(other.start_s <= block.start_s < other.end_s for other in batches) for block in batches)
    assert together == (1 if (at_once, people) == (1, "one") else 2)
    assert all(block.end_s <= 5000.0 or block.start_s >= 6800.0 for block in batches)
    for machine in machines:
        own = [block for block in batches if block.machine == machine.name]
        assert all(later.start_s - earlier.end_s >= SIX.between_s for earlier, later in itertools.pairwise(own))
    if together == 1:  # while one cools and is loaded the other roasts: little time is lost in a day of 10 min batches
        alone = sum(600.0 for _ in batches) + 2 * 1800.0
        assert plan.done_s - SIX.begins_s <= alone


def test_nothing_runs_when_a_pause_begins_and_what_ends_after_closing_is_told():
    station = replace(SIX, pauses=((1800.0 + 1500.0, 1800.0 + 3300.0),), closes_s=1800.0 + 3000.0)
    need = need_of("A", 18.0)
    plan = plan_day(TODAY, [need], {need.key: [Way("six", 1, 600.0, 9, USUAL)]}, [station])
    ((start, end),) = station.pauses
    for block in plan.batches:
        assert block.end_s <= start or block.start_s >= end
    gaps = [later.start_s - earlier.end_s for earlier, later in itertools.pairwise(plan.batches)]
    assert min(gaps) >= station.between_s
    assert [plan.of("six")[0].kind, plan.of("six")[-1].kind] == ["preheat", "cooling"]
    assert len(plan.late) == 2
    assert "2 batches of A on six end after closing; due today" in what_moves(plan)[0]
    assert laid_out([(station, [])]) == {station.name: []}
    # A day from opening to closing, counted by hand: 6 h of 15 min each for a 10 min batch and 5 min between.
    six_hours = replace(TEN, preheat_s=0.0, closes_s=6 * 3600.0)
    assert can_roast_kg([six_hours], {"ten": 600.0}, 0.1, {}) == pytest.approx(24 * 10.0 * 0.9)
    # One person on two of them has six hours of roasting, 36 batches of ten minutes; two at one time make all 48.
    both = [replace(six_hours, who="Asha"), replace(six_hours, name="twin", who="Asha")]
    minutes = {"ten": 600.0, "twin": 600.0}
    assert can_roast_kg(both, minutes, 0.1, {}) == pytest.approx(36 * 10.0 * 0.9)
    assert can_roast_kg(both, minutes, 0.1, {}, 2) == pytest.approx(48 * 10.0 * 0.9)
    assert can_roast_kg([both[0], replace(both[1], who="Bo")], minutes, 0.1, {}) == pytest.approx(48 * 10.0 * 0.9)


# From a library


@pytest.fixture
def library(either):
    """What is planned from a library is planned alike from a file and from a server."""
    return either


@pytest.fixture
def roastery(library):
    """Two machines, three lots and their plans, five days' batches, and two coffees on sale."""
    machines = [library.save_machine(Machine(name, "gas-6", stated_load_kg=most, useful_load_kg=load)) for name, load, most in
                (("Six", 5.0, 6.0), ("Ten", 10.0, 12.0))]  # fmt: skip
    lots = [library.save_lot(Lot(name, on_hand_kg=60.0)) for name in ("Isuka", "Kelavani")]
    targets = Targets(drying_s=300.0, browning_s=240.0, development_s=90.0)
    plans = [
        library.save_plan(Plan(f"{lot.name} {machine.name}", machine.name, lot.name, machine.useful_load_kg, targets=targets,
                               lot_id=lot.id, machine_id=machine.id))
        for lot, machine in ((lots[0], machines[0]), (lots[1], machines[1]), (lots[0], machines[1]))
    ]  # fmt: skip
    single = Coffee("Isuka Filter", (Component("Isuka", 1.0, (plans[0].id, plans[2].id)),), level=Level.LIGHT)
    blend = Coffee("House", (Component("Kelavani", 0.5, (plans[1].id,)), Component("Isuka", 0.5, (plans[0].id,))))
    for coffee in (single, blend):
        shop.keep_coffee(library, coffee, at_seven() - timedelta(days=40))
    return library, plans


def at_seven(day=TODAY):
    return datetime.combine(day, time(7, 0)).astimezone()


def test_orders_become_batches_a_weigh_list_and_a_packing_list(roastery):
    library, plans = roastery
    shop.add_lines(library, "20 kg House 2026-12-02 for Mill Lane\n12 x 250 g isuka filter 2026-12-02", TODAY)
    sheet = day_sheet(library, TODAY, at_seven())
    green = {row.lot: row.kg for row in sheet.weigh}
    assert green["Kelavani"] == pytest.approx(10.0 / (1.0 - 0.135), rel=0.08)
    assert green["Isuka"] == pytest.approx(13.0 / (1.0 - 0.135), rel=0.08)
    assert green["Isuka"] > 13.0 / (1.0 - 0.135), "so that nothing is short nine days in ten"
    assert [(row.order.customer, row.to_roast_kg) for row in sheet.pack] == [("Mill Lane", 20.0), ("", 3.0)]
    assert f"{sheet.at(sheet.plan.batches[0].start_s):%H:%M}" == "08:00", "preheated before the house opens"
    queued = send_to_queue(library, sheet)
    assert len(queued) == len(sheet.plan.batches)
    again = day_sheet(library, TODAY, at_seven())
    assert again.plan.batches == (), "what waits is planned already"
    assert {row.lot: row.kg for row in again.weigh} == pytest.approx(green, abs=0.01)
    with pytest.raises(ValueError, match="nothing is planned"):
        send_to_queue(library, again)


def test_what_is_due_earlier_is_roasted_earlier_and_takes_the_shelf_first(roastery):
    library, plans = roastery
    done = library.new_batch(plans[0].lot_id, plans[0].machine_id, plans[0].id, 5.0, at_seven().astimezone(UTC), status="done")
    library.set_results(done[0], {"roasted_kg": 4.0})
    shop.add_lines(library, "3 kg isuka filter 2026-12-02\n5 kg isuka filter 2026-12-03\n2 kg isuka filter 2026-12-05", TODAY)
    today, thursday, friday = (day_sheet(library, TODAY + timedelta(days=ahead), at_seven()) for ahead in range(3))
    assert (today.pack[0].ready, today.plan.batches) == (True, ())
    assert [row.order.kg for row in thursday.pack] == [5.0]
    assert thursday.pack[0].to_roast_kg == pytest.approx(4.0), "one kilogram is left of the batch"
    assert [row.order.kg for row in friday.pack] == [2.0], "what is due on Saturday is roasted on Friday"


def test_green_that_is_blended_before_is_weighed_by_lot_and_sold_as_one(roastery):
    library, plans = roastery
    parts = (Component("Isuka", 0.7, (plans[0].id,)), Component("Kelavani", 0.3))
    shop.keep_coffee(library, Coffee("Field", parts, Blending.GREEN))
    order = shop.add_lines(library, "4 kg field 2026-12-02", TODAY)[0]
    sheet = day_sheet(library, TODAY, at_seven())
    load = sheet.plan.batches[0].share.load_kg
    assert {row.lot: row.kg for row in sheet.weigh} == pytest.approx({"Isuka": 0.7 * load, "Kelavani": 0.3 * load}, abs=0.002)
    done = library.new_batch(plans[0].lot_id, plans[0].machine_id, plans[0].id, load, at_seven().astimezone(UTC), status="done")
    library.set_results(done[0], {"roasted_kg": 4.2})
    assert on_shelf(library, TODAY)[0].coffees == ("Field",)
    assert shop.pack(library, order, TODAY).state == "packed"


def test_a_batch_that_fails_is_roasted_again_and_one_that_is_weighed_flows_into_orders(roastery):
    library, plans = roastery
    shop.add_lines(library, "4 kg isuka filter 2026-12-02", TODAY)
    first = day_sheet(library, TODAY, at_seven())
    assert len(first.plan.batches) == 1
    done = library.new_batch(
        plans[0].lot_id, plans[0].machine_id, plans[0].id, 5.0, at_seven().astimezone(UTC), status="dropped"
    )
    assert day_sheet(library, TODAY, at_seven()).plan.batches == (), "it is roasted, and will be weighed"
    library.set_results(done[0], {"roasted_kg": 2.0})
    short = day_sheet(library, TODAY, at_seven())
    assert short.pack[0].to_roast_kg == pytest.approx(2.0)
    assert len(short.plan.batches) == 1, "half of it went into the bin: roasted again"
    order = shop.open_orders(library)[0]
    with pytest.raises(OrderError, match="cannot be packed yet"):
        shop.pack(library, order, TODAY)
    library.set_results(done[0], {"roasted_kg": 4.3})
    packed = shop.pack(library, replace(order), TODAY)
    assert packed.state == "packed"
    assert [stock.kg for _, stock in shop.stock_of(library)] == [pytest.approx(0.3)]


def test_what_another_has_changed_is_never_overwritten_unseen(roastery):
    library, _ = roastery
    order = shop.add_lines(library, "4 kg isuka filter 2026-12-03 every week", TODAY)[0]
    theirs = shop.change(library, replace(order, kg=6.0), TODAY)
    with pytest.raises(ChangedMeanwhileError, match="Somebody else has changed the order"):
        shop.change(library, replace(order, customer="Mill Lane"), TODAY)
    assert shop.open_orders(library) == [theirs]
    coffee = shop.coffees(library)[0]
    shop.keep_coffee(library, replace(coffee, level=Level.DARK))
    with pytest.raises(ChangedMeanwhileError):
        shop.keep_coffee(library, replace(coffee, level=Level.LIGHT))
    with pytest.raises(Exception, match="is called 'House' already"):
        shop.keep_coffee(library, replace(coffee, id=None, name="House"))
    shop.cancel(library, theirs)
    assert shop.open_orders(library) == []


def test_a_shortage_is_told_with_what_takes_the_lots_place_and_a_gone_plan_is_named(roastery):
    library, plans = roastery
    library.save_lot(Lot("Isuka second", on_hand_kg=30.0, replaces="Isuka", arrival="2026-12"))
    shop.add_lines(library, "70 kg isuka filter 2026-12-02\n6 kg House 2026-12-02", TODAY)
    library.save_plan(replace(plans[1], archived=True))
    sheet = day_sheet(library, TODAY, at_seven())
    said = " ".join(sheet.short)
    assert "Isuka is short by" in said
    assert "Isuka second takes its place, 30 kg, arrives 2026-12" in said
    assert "House: no machine has a plan of House for Kelavani that is still kept" in said


def test_a_hand_holds_a_block_lets_it_go_and_a_machine_rests(roastery):
    library, _ = roastery
    shop.add_lines(library, "4 kg isuka filter 2026-12-02", TODAY)
    key = "Isuka Filter/Isuka"
    need = day_sheet(library, TODAY, at_seven()).plan.batches[0].share.need
    before = hold(library, TODAY, need, "Ten", 0)
    held = day_sheet(library, TODAY, at_seven())
    assert (held.plan.batches[0].machine, held.plan.batches[0].why) == ("Ten", "held here")
    keep_chosen(library, TODAY, before)  # undone
    assert day_sheet(library, TODAY, at_seven()).plan.batches[0].machine == "Six"
    with pytest.raises(ValueError, match="has no plan for Isuka on Nine"):
        hold(library, TODAY, need, "Nine", 0)
    hold(library, TODAY, need, "Ten", 0)
    let_go(library, TODAY, key)
    rest_machine(library, TODAY, "Six", True)
    assert day_sheet(library, TODAY, at_seven()).plan.batches[0].machine == "Ten"
    rest_machine(library, TODAY, "Six", False)
    assert day_sheet(library, TODAY, at_seven()).chosen == Chosen()


def test_what_can_be_roasted_by_a_day_is_answered_on_working_days(roastery):
    library, _ = roastery
    friday, sunday = TODAY + timedelta(days=2), TODAY + timedelta(days=4)
    assert can_we(library, 100.0, friday, at_seven()).startswith("Yes: 100 kg can be roasted by Wednesday")
    no = can_we(library, 5000.0, friday, at_seven())
    assert no.startswith("No:")
    assert can_we(library, 5000.0, sunday, at_seven()).split("by")[0] == no.split("by")[0], (
        "nobody roasts on Saturday and Sunday"
    )
    for kg, by, said in ((0.0, friday, "no amount to ask"), (9.0, TODAY - timedelta(days=1), "is over")):
        with pytest.raises(ValueError, match=said):
            can_we(library, kg, by, at_seven())


def test_the_shelf_says_how_it_has_rested_and_a_blend_what_its_lots_give_and_cost(roastery):
    library, plans = roastery
    coffee = next(one for one in shop.coffees(library) if one.name == "House")
    for lot in library.lots():
        library.save_lot(
            replace(lot, price_per_kg=6.0 if lot.name == "Isuka" else 4.0, process="washed", density_g_per_l=720.0)
        )
    library.lot_book.count(plans[1].lot_id, 10.0)
    library.save_lot(Lot("Lindal", process="washed", density_g_per_l=722.0, on_hand_kg=40.0))
    facts = blend_facts(library, coffee)
    makes = {part.lot: part.makes_kg for part in facts.parts}
    assert makes == {"Kelavani": pytest.approx(10.0 * 0.865 / 0.5), "Isuka": pytest.approx(60.0 * 0.865 / 0.5)}
    assert facts.green_per_kg == pytest.approx((0.5 * 6.0 + 0.5 * 4.0) / 0.865)
    assert facts.makes_kg == makes["Kelavani"]
    assert "Kelavani runs low first: it makes 17 kg more. The most like it in store: Lindal, 40 kg." in facts.said
    started = datetime.combine(TODAY, time(9, 0)).astimezone(UTC)
    key, label = library.new_batch(
        plans[0].lot_id, plans[0].machine_id, plans[0].id, 5.0, started + timedelta(days=30), status="done"
    )
    library.set_results(key, {"roasted_kg": 4.3})
    (there,) = on_shelf(library, TODAY + timedelta(days=31))
    assert (there.batch, there.kg, there.days, there.coffees, there.rest) == (
        label,
        4.3,
        1,
        ("House", "Isuka Filter"),
        Rest.FRESH,
    )
    assert on_shelf(library, TODAY + timedelta(days=90))[0].rest is Rest.PAST


def test_the_houses_day_is_kept_and_nonsense_is_refused(library):
    usual = HouseDay()
    assert house_day(library) == usual
    own = replace(usual, opens=time(6, 30), pauses=(), rules=Rules(light_first=0.0))
    keep_house_day(library, own)
    assert house_day(library) == own
    for wrong in (replace(usual, closes=time(7, 0)), replace(usual, rules=Rules(due_first=float("nan"))),
                  replace(usual, closed=tuple(range(7)))):  # fmt: skip
        with pytest.raises(ValueError):
            keep_house_day(library, wrong)
    assert house_day(library) == own


def test_a_table_of_orders_is_taken_whole_or_not_at_all(roastery, tmp_path):
    library, _ = roastery
    table = tmp_path / "orders.csv"
    table.write_text("Coffee;Packs;Pack;Due;Customer\nisuka filter;12;250;2026-12-04;Mill Lane\nHouse;2;5;2026-12-05;\n")
    assert [(order.kg, order.customer) for order in shop.take_in_orders(library, table, TODAY)] == [
        (3.0, "Mill Lane"),
        (10.0, ""),
    ]
    table.write_text("coffee,kg,due\nHouse,4,2026-12-04\nHouse,4,someday\n")
    with pytest.raises(shop.ImportRefusedError, match="row 3: 'someday' is not understood as a day"):
        shop.take_in_orders(library, table, TODAY)
    table.write_text("3 kg House friday\n2 kg isuka filter\n")
    assert len(shop.take_in_orders(library, table, TODAY)) == 2
    assert len(shop.open_orders(library)) == 4


def test_the_command_line_sells_orders_plans_and_exports(roastery, tmp_path):
    library, plans = roastery
    run = CliRunner()

    def firnel(*words):
        answer = run.invoke(main, [*words, "--library", library.url])
        assert answer.exit_code == 0, answer.output
        return answer.stdout

    part = f"Kelavani=100%:{plans[1].name}"
    assert json.loads(firnel("coffees", "add", "Kelavani House", "--of", part, "--json"))["components"][0]["plans"] == [
        plans[1].id
    ]
    assert "9 kg of Kelavani House for Friday" in firnel("orders", "add", "9", "kg", "kelavani house", "friday")
    number = json.loads(firnel("orders", "list", "--json"))[0]["id"]
    due = json.loads(firnel("orders", "list", "--json"))[0]["due"]
    told = json.loads(firnel("day", "plan", "--date", due, "--json"))
    assert [one["coffee"] for one in told["batches"]] == ["Kelavani House"] * len(told["batches"])
    assert sum(one["expected_kg"] for one in told["batches"]) >= 9.0
    firnel("day", "export", "--date", due, "-o", str(tmp_path / "day.xlsx"))
    assert (tmp_path / "day.xlsx").stat().st_size > 3000
    firnel("orders", "cancel", str(number))
    refused = run.invoke(main, ["orders", "pack", str(number), "--library", library.url])
    assert (refused.exit_code, "no open order" in refused.stderr) == (1, True)


def test_of_a_blended_load_each_lot_gives_its_share_and_the_crack_is_less_certain(roastery):
    library, plans = roastery
    for lot, density in zip(library.lots(), (700.0, 780.0), strict=True):  # Isuka, Kelavani
        library.save_lot(replace(lot, density_g_per_l=density, moisture=0.11, process="washed"), lot)
    parts = (Component("Isuka", 0.7, (plans[0].id,)), Component("Kelavani", 0.3))
    shop.keep_coffee(library, Coffee("Field", parts, Blending.GREEN))
    library.new_batch(plans[0].lot_id, plans[0].machine_id, plans[0].id, 5.0, datetime.now(UTC) + timedelta(1), status="done")
    assert {lot.name: lot.on_hand_kg for lot in library.lots()} == pytest.approx({"Isuka": 56.5, "Kelavani": 58.5})
    blend = lot_of(library, plans[0])
    assert (blend.name, blend.density_g_per_l) == ("Field", pytest.approx(724.0))
    alike = GreenTraits("Field", blend.density_g_per_l, blend.moisture, blend.process)
    one_kind, together = (Threshold(CRACK).expect(traits)[1] for traits in (alike, traits_of(blend)))
    # By hand: a two-point blend of 700 and 780 g/L has a spread of 80 sqrt(0.7 x 0.3) = 36.66 g/L, at 2.4 K for 50 g/L 1.76 K.
    assert together**2 - one_kind**2 == pytest.approx(1.7597**2, rel=1e-3)
    assert [one.lot for one in queue.add(library, plans[0], 1)] == ["Field"]


def test_loads_are_labelled_in_one_print_and_ticked_off_by_scan(roastery):
    library, plans = roastery
    waits = queue.add(library, plans[0], 2)
    printed = []
    assert label_the_day(library, Units(), printed.extend) == 2
    with pytest.raises(ValueError, match="has its label"):
        label_the_day(library, Units(), printed.extend)
    assert tick_off(library, printed[0].code) == f"{waits[0].number} Isuka, 5.000 kg: weighed. 1 to go."
    assert "already" in tick_off(library, waits[0].number)
    (row,) = day_sheet(library, datetime.now().astimezone().date()).weigh
    assert (row.kg, row.weighed_kg) == (10.0, 5.0)
    for text, why in (
        (printed[1].code.replace("5.000", "4.000"), "planned with"),
        (printed[1].code.replace("Isuka", "Kelavani"), "This is Kelavani"),
        ("0999", "no load 0999 waits"),
        ("a bag", "no label of a load"),
    ):
        with pytest.raises(ValueError, match=why):
            tick_off(library, text)

    def full(_labels):
        raise OSError(28, "No space left on device")

    queue.add(library, plans[1], 1)
    with pytest.raises(ValueError, match="No space left"):
        label_the_day(library, Units(), full)
    assert label_the_day(library, Units(), printed.extend) == 1, "what was not written is not labelled"


def test_care_that_falls_due_stands_behind_the_last_batch_and_people_at_their_machines(roastery):
    library, plans = roastery
    shop.add_lines(library, "28 kg isuka filter 2026-12-02", TODAY)
    machine = library.machine("Six")
    note_done(library, keep_interval(library, machine, "chaff", 1), "chaff", at_seven())
    plan = day_sheet(library, TODAY, at_seven()).plan
    (cleaning,) = [block for block in plan.of("Six") if block.kind == "cleaning"]
    assert cleaning.start_s >= max(block.end_s for block in plan.batches if block.machine == "Six")
    assert cleaning.why == "empty the chaff collector"
    assert not [block for block in plan.of("Ten") if block.kind == "cleaning"], "of that one's care nothing was ever noted"
    before = assign(library, TODAY, "Six", "Ana")
    assert (before.people, chosen_for(library, TODAY).people) == ({}, {"Six": "Ana"})
    assert assign(library, TODAY, "Six", " ").people == {"Six": "Ana"}
    assert chosen_for(library, TODAY).people == {}


def test_a_meter_that_is_read_tells_the_day_and_what_cannot_be_is_refused(roastery):
    library, _ = roastery
    machine, evening = library.machine("Six"), at_seven() - timedelta(days=40)
    assert "from the next reading on" in note_meter(library, machine, 1000.0, evening)
    assert "62 m³ since" in note_meter(library, machine, 1062.0, evening + timedelta(days=1))
    note_meter(library, machine, 3.0, evening + timedelta(days=2), new=True)
    note_meter(library, machine, 40.0, evening + timedelta(days=2, hours=9))
    for value, days, said in ((39.0, 3.0, "another meter now"), (1100.0, 0.5, "only on"), (-1.0, 3.0, "no reading")):
        with pytest.raises(ValueError, match=said):
            note_meter(library, machine, value, evening + timedelta(days=days))
    with pytest.raises(ValueError, match="in advance"):
        note_meter(library, machine, 50.0, datetime.now(UTC) + timedelta(hours=1))
    whole = used(library, [machine], evening, evening + timedelta(days=3))
    assert [(one.amount, one.unit) for one in whole] == [(62.0 + 37.0, "m³")], "what the new meter began with was not used"
    day = (evening + timedelta(days=2)).astimezone().date()
    sheet = day_sheet(library, day, at_seven())
    assert [one.amount for one in sheet.used] == [37.0]
    assert day_document(sheet)["used"][0]["unit"] == "m³"
    assert any(getattr(block, "name", "") == "Gas and power" for block in day_report(sheet, Units()).blocks)
    month = month_report(library, day.year, day.month, Units())
    assert any(getattr(block, "name", "") == "Gas and power" for block in month.blocks)
    told = CliRunner().invoke(
        main, ["--library", str(library.path or library.url), "meter", "Six", "--json"], catch_exceptions=False
    )
    assert [one["value"] for one in json.loads(told.stdout)["readings"]] == [1000.0, 1062.0, 3.0, 40.0]


def test_a_blend_is_cupped_against_its_reference(roastery):
    library, plans = roastery
    coffee = next(one for one in shop.coffees(library) if one.name == "House")
    with pytest.raises(ValueError, match="is on the shelf"):
        mix_of(library, coffee, TODAY)

    def roasted(plan, days):
        at = at_seven().astimezone(UTC) - timedelta(days=days)
        key = library.new_batch(plan.lot_id, plan.machine_id, plan.id, 5.0, at, status="done")[0]
        library.set_results(key, {"roasted_kg": 4.0})
        return key

    first = [roasted(plan, 20) for plan in (plans[1], plans[0])]
    old = mix_of(library, coffee, TODAY)
    assert old.parts == ((first[0], 0.5), (first[1], 0.5))
    assert keep_reference(library, old) is None
    fresh, new = roasted(plans[1], 1), roasted(plans[1], 5)
    ((now, words),) = on_offer(library, TODAY)
    assert now.parts == ((new, 0.5), (first[1], 0.5)), f"rested, not {fresh}, which is still too fresh"
    assert words.startswith("House: ")
    mixed = with_references(library, [now])
    assert [one.reference for one in mixed] == [False, True]
    table = cupping.set_table(library, "Blend", [fresh], ["Asha"], at_seven(), seed=1, mixed=mixed)
    for coffee_on_it in cupping.coffees_of(table):
        scores = dict.fromkeys(cupping.parts_for(table), 10.0 if coffee_on_it.reference else 8.0)
        table = cupping.enter(library, table, "Asha", coffee_on_it.code, scores=scores)
    told, _ = cupping.results(library, cupping.reveal(library, table))
    assert sum(one.label.startswith("House: ") for one in told) == 2
    assert set(cupping.cup_scores(library)) == {fresh}, "what a blend came to is not what its batch came to"
    assert re.search(r"Last cupped on .*: \d\d.*its reference \d\d", " ".join(blend_facts(library, coffee).said))


def test_packing_is_taken_back_with_the_order_that_followed_it(roastery):
    library, plans = roastery
    shop.add_lines(library, "3 kg isuka filter 2026-12-02 every week", TODAY)
    done = library.new_batch(plans[0].lot_id, plans[0].machine_id, plans[0].id, 5.0, at_seven().astimezone(UTC), status="done")
    library.set_results(done[0], {"roasted_kg": 4.0})
    packed = shop.pack(library, shop.open_orders(library)[0], TODAY)
    assert [order.due for order in shop.open_orders(library)] == [TODAY + timedelta(days=7)]
    shop.unpack(library, packed)
    assert [order.due for order in shop.open_orders(library)] == [TODAY]
    assert [stock.kg for _, stock in shop.stock_of(library)] == [pytest.approx(4.0)]
    with pytest.raises(ChangedMeanwhileError):
        shop.unpack(library, packed)


def test_a_lot_that_follows_takes_over_by_plans_of_its_own(roastery):
    library, plans = roastery
    library.save_lot(Lot("Lindal", replaces="Kelavani", on_hand_kg=60.0))
    house = next(one for one in shop.coffees(library) if one.name == "House")
    assert followers(library, house) == [("Kelavani", "Lindal")]
    done = let_follow(library, house, "Kelavani", TODAY)
    assert [part.lot for part in done.coffee.components] == ["Lindal", "Isuka"]
    fresh = next(plan for plan in library.plans() if plan.id == done.coffee.components[0].plans[0])
    assert (fresh.name, fresh.lot, fresh.machine, fresh.targets.development_s) == ("Lindal Ten", "Lindal", "Ten", 90.0)
    assert "Lindal Ten" in done.said[0]
    assert followers(library, done.coffee) == []
    library.save_lot(Lot("Other"))
    before = len(library.plans())
    with pytest.raises(ChangedMeanwhileError):
        let_follow(library, house, "Isuka", TODAY, "Other")
    assert len(library.plans()) == before
    with pytest.raises(CoffeeError, match="no lot says that it takes the place"):
        let_follow(library, done.coffee, "Isuka", TODAY)


def test_of_more_than_a_day_can_hold_what_fits_is_planned_and_the_rest_is_told():
    need = need_of("A", 500.0)
    dealt = deal([need], {need.key: [Way("six", 1, 600.0, 9, USUAL)]}, {"six": SIX})
    assert 0 < sum(share.batches for share in dealt.shares) <= 60
    ((left, why),) = dealt.left
    assert left.kg + sum(share.need.kg for share in dealt.shares[:1]) == pytest.approx(500.0)
    assert "left to another day" in why
    slip = need_of("A", 50000.0)
    assert deal([slip], {slip.key: [Way("six", 1, 600.0, 9, USUAL)]}, {"six": SIX}).shares == ()


# In the window


@pytest.fixture
def page(roastery, qtbot):
    library, _ = roastery
    shop.add_lines(library, "20 kg House 2026-12-02 for Mill Lane\n3 kg isuka filter 2026-12-02", TODAY)
    look = Look(make_application())
    look.use("day")
    clock = Clock(lambda: 100.0, lambda: at_seven().astimezone(UTC))
    desk = Desk(library, Settings(), lambda call: call(), clock=clock)
    view = DayView(desk, look)
    qtbot.addWidget(view)
    view.resize(1180, 780)
    view.show()
    settle(view)
    yield view, library
    for background in view.findChildren(Background):
        background.finish()


def settle(view):
    view.read()
    for _ in range(3):  # one answer may lead to the next question
        for background in view.findChildren(Background):
            background.wait()
        QApplication.processEvents()


def test_the_plan_page_takes_an_order_refuses_nonsense_and_takes_it_back(page, qtbot):
    view, library = page
    plan = view.plan
    assert plan.head.title.text() == "Wednesday 2 December"
    for text, said in (("4 kg mocha", "No coffee is called"), ("0 kg house", "0 kg of House is no order")):
        plan.orders.line.setText(text)
        qtbot.keyClick(plan.orders.line, Qt.Key.Key_Return)
        assert said in plan.orders.said.text()
        assert plan.orders.line.text() == text, "what was typed stays to be mended"
    plan.orders.line.setText("5 kg isuka filter 2026-12-02 for Corner")
    qtbot.keyClick(plan.orders.line, Qt.Key.Key_Return)
    assert len(shop.open_orders(library)) == 3
    settle(view)
    plan.undo.click()
    assert len(shop.open_orders(library)) == 2
    settle(view)
    before = len(plan.board._sheet.plan.batches)
    plan.queue.click()
    settle(view)
    assert len(view.queue.list.findItems("", Qt.MatchFlag.MatchContains)) == before
    assert not plan.queue.isEnabled()
    plan.undo.click()
    settle(view)
    assert view.queue.list.count() == 0


def test_the_week_says_what_is_due_and_a_click_plans_that_day(page):
    view, library = page
    shop.add_lines(library, "7 kg isuka filter 2026-12-04", TODAY)
    settle(view)
    strip = view.plan.week
    assert [made.text() for made in strip.days] == [
        "Mon 30 · –", "Tue 1 · –", "Wed 2 · 23 kg", "Thu 3 · –", "Fri 4 · 7 kg", "Sat 5 · closed", "Sun 6 · closed",
    ]  # fmt: skip
    assert strip.days[2].property("shown")
    strip.days[4].click()
    settle(view)
    assert view.plan.head.title.text() == "Friday 4 December"
    assert (strip.days[2].property("shown"), strip.days[4].property("shown")) == (False, True)
    assert "week 49" in strip._number.text()  # ISO 8601: the week with 2026's 4 December in it


def test_a_batch_is_chosen_held_moved_and_given_back_with_keys_and_dragged_with_the_mouse(page, qtbot):
    view, library = page
    board = view.plan.board
    board.setFocus()
    qtbot.keyClick(board, Qt.Key.Key_Down)
    assert board.block.share.need.lot in board.accessibleDescription()
    assert board.block.why in view.plan.why.text()
    house = next(block for block in board._sheet.plan.batches if block.share.need.key == "House/Isuka")
    board.choose(house)
    qtbot.keyClick(board, Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert "House has no plan for Isuka on Ten" in view.plan.orders.said.text()
    both = next(block for block in board._sheet.plan.batches if block.share.need.key == "Isuka Filter/Isuka")
    board.choose(both)
    other, arrow = ("Ten", Qt.Key.Key_Right) if both.machine == "Six" else ("Six", Qt.Key.Key_Left)
    qtbot.keyClick(board, arrow, Qt.KeyboardModifier.AltModifier)
    settle(view)
    assert chosen_for(library, TODAY).held[both.share.need.key][0] == other
    moved = next(block for block in board._sheet.plan.batches if block.share.need.key == both.share.need.key)
    assert (moved.machine, moved.held) == (other, True)
    board.choose(moved)
    qtbot.keyClick(board, Qt.Key.Key_H)
    settle(view)
    assert chosen_for(library, TODAY).held == {}
    board.grab()  # drawn, so that it can be dragged
    spot = next(spot for spot in board._spots if spot.block.share is not None)
    start, end = spot.rect.center().toPoint(), QPoint(int(spot.rect.center().x()), board.height() - 12)
    qtbot.mousePress(board, Qt.MouseButton.LeftButton, pos=start)
    move = QMouseEvent(QEvent.Type.MouseMove, QPointF(end), board.mapToGlobal(QPointF(end)), Qt.MouseButton.NoButton,
                       Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)  # fmt: skip
    QApplication.sendEvent(board, move)
    qtbot.mouseRelease(board, Qt.MouseButton.LeftButton, pos=end)
    assert chosen_for(library, TODAY).held[spot.block.share.need.key][0] == spot.block.machine
    view.plan.undo.click()
    assert chosen_for(library, TODAY).held == {}


def test_a_coffee_is_made_in_the_window_and_a_blend_of_99_per_cent_is_not_kept(page):
    view, library = page
    coffees = view.coffees
    coffees._on_new()
    coffees._name.setText("Third")
    coffees._on_more()
    (lot, share, plan), (other_lot, other_share, other_plan) = coffees._lines
    lot.setCurrentText("Isuka")
    other_lot.setCurrentText("Kelavani")
    share.setValue(60)
    other_share.setValue(39)
    coffees._on_keep()
    assert "come to 99 %" in coffees.said.text()
    other_share.setValue(40)
    plan.setCurrentIndex(0)
    coffees._on_keep()
    assert "Third is kept" in coffees.said.text()
    assert [part.share for part in next(one for one in shop.coffees(library) if one.name == "Third").components] == [0.6, 0.4]
    third = Order("Third", 2.5, TODAY + timedelta(days=2))
    library.order_book.add_orders([third, replace(third, kg=1.0)], datetime(2026, 12, 1, tzinfo=UTC))
    (stands,) = (one for one in sold(library, TODAY) if one.coffee.name == "Third")
    assert (stands.shelf_kg, stands.ordered_kg) == (0.0, 3.5)
    assert sum(one.shelf_kg for one in sold(library, TODAY)) == sum(one.kg for one in on_shelf(library, TODAY) if one.coffees)


def test_the_houses_day_is_changed_in_a_sheet_that_refuses_nonsense(page):
    view, library = page
    sheet = view.plan.ask_house()
    sheet.pauses.setText("12:00-11:00")
    sheet.keep()
    assert "a pause from 12:00 cannot end at 11:00" in sheet.said.text().lower()
    sheet.pauses.setText("noon")
    sheet.keep()
    assert "is no pause" in sheet.said.text()
    assert house_day(library) == HouseDay()
    sheet.pauses.setText("9:30-10:00, 14:00-14:15")
    sheet.weights["light_first"].setValue(0.0)
    sheet.roasting["Ten"].setChecked(False)
    sheet.keep()
    kept = house_day(library)
    assert kept.pauses == ((time(9, 30), time(10, 0)), (time(14, 0), time(14, 15)))
    assert kept.rules.light_first == 0.0
    settle(view)
    assert {block.machine for block in view.plan._sheet.plan.batches} == {"Six"}
    assert any("Ten does not roast on this day" in said for said in view.plan._sheet.short)


def test_the_wall_says_what_is_now_next_and_then(page):
    view, library = page
    view.plan.queue.click()
    settle(view)
    sheet, now = view.plan._sheet, at_seven()
    first = sheet.waiting[0]
    wall = wall_of(sheet, now, Units())
    assert wall[first.machine][0] is None
    assert wall[first.machine][1].what == f"{first.number} {first.lot}"
    view.plan.show_wall()
    shown = [part.whole_text() for part in view.plan.wall.findChildren(ElidedLabel)]
    assert f"{first.number} {first.lot}" in shown
    view.plan.wall.close()
