"""A library written out whole in open forms, and taken in again."""

import json
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import pytest
from click.testing import CliRunner
from conftest import make_record

from firnel.app.commands import main
from firnel.core.day.coffee import Coffee, Component
from firnel.core.plan import Plan, Targets
from firnel.core.vocabulary import Lot, Machine
from firnel.exchange.errors import ImportRefusedError
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.work.bench import cupping
from firnel.work.bench.mixes import keep_reference, mix_of, reference_of
from firnel.work.day import orders as shop
from firnel.work.day import queue
from firnel.work.machines.meters import note_meter, readings
from firnel.work.review.archive import read_archive
from firnel.work.review.references import reference_key, set_reference
from firnel.work.review.reports import open_data

NOW = datetime(2026, 11, 20, 8, 0, tzinfo=UTC)


@pytest.fixture
def folder(tmp_path):
    """A house of two lots, a plan each, a blend, their batches and a cupping, written out; its keys do not begin at 1."""
    library = Library(tmp_path / "old.sqlite")
    for name in ("gone", "gone too"):
        library.save_lot(Lot(name))
    machine = library.save_machine(Machine("Drum Six", "gas-6", useful_load_kg=5.0, altitude_m=700.0))
    library.machine_book.save_model(machine.id, {"version": 0, "values": [1.5]})
    note_meter(library, machine, 120.5, NOW)
    plans = []
    for name in ("Isuka", "Kelavani"):
        lot = library.save_lot(Lot(f"Rwanda {name}", moisture=0.11, on_hand_kg=60.0))
        wanted = Targets(drying_s=300.0, browning_s=240.0, development_s=90.0)
        made = Plan(f"{name} house", machine.name, lot.name, 5.0, targets=wanted, lot_id=lot.id, machine_id=machine.id)
        plans.append(library.save_plan(made))
    parts = tuple(Component(plan.lot, 0.5, (plan.id,)) for plan in plans)
    coffee = shop.keep_coffee(library, Coffee("House", parts), NOW - timedelta(days=60))
    shop.add_lines(library, "3 kg house 2026-12-01 every week", date(2026, 11, 20))
    keys = []
    for number, plan in enumerate(plans):
        record = make_record(f"04{number:02}")
        record = replace(
            record, lot=plan.lot, plan=plan.name, load_kg=5.0, roasted_kg=4.2, started=NOW - timedelta(days=9 - number),
            trace=replace(record.trace, bean=record.trace.bean + number),
        )  # fmt: skip
        keys.append(library.add_record(record))
    set_reference(library, plans[0], keys[0])
    mix = mix_of(library, coffee, NOW.date())
    keep_reference(library, mix)
    cupping.set_table(library, "House", keys, ["Asha"], NOW, seed=2, mixed=[replace(mix, reference=True)])
    made = tmp_path / "written"
    assert open_data(library, made) == 2
    library.close()
    return made


def test_what_was_written_comes_back_whole_whatever_its_keys_are_there(folder, either):
    either.save_machine(Machine("Sample One", "electric-1"))
    either.save_lot(Lot("Rwanda Kelavani", remark="mine"))
    came = read_archive(either, folder)
    assert came.refused == ()
    assert (came.added["batches"], came.added["plans"], came.added["orders"], came.added["tables_set"]) == (2, 2, 1, 1)
    machine = either.machine("Drum Six")
    assert machine.altitude_m == 700.0
    assert either.machine_book.model(machine.id)[1]["values"] == [1.5]
    assert [one.value for one in readings(either, machine)] == [120.5]
    lots = {lot.name: lot for lot in either.lots()}
    assert (lots["Rwanda Isuka"].moisture, lots["Rwanda Kelavani"].remark) == (0.11, "mine"), "what has its name here stays"
    plan = next(plan for plan in either.plans() if plan.name == "Isuka house")
    assert (plan.lot_id, plan.machine_id) == (lots["Rwanda Isuka"].id, machine.id)
    (coffee,) = shop.coffees(either)
    assert coffee.components[0].plans == (plan.id,)
    first = either.find_batch("0400")
    assert reference_key(either, plan) == first
    assert reference_of(either, "House").parts[0][0] == first
    (table,) = either.bench_book.tables(("cupping",))
    on_it = cupping.coffees_of(table)
    assert {one.batch_id for one in on_it} == {either.find_batch("0400"), either.find_batch("0401")}
    assert next(one for one in on_it if one.mix).mix.parts[0][0] == first
    assert either.batch(first).trace.bean[300] == pytest.approx(make_record().trace.bean[300])
    assert len(shop.open_orders(either)) == 1
    again = read_archive(either, folder)
    assert (dict(again.added), again.there) == ({}, 2), "done once more, it adds nothing"


def test_a_number_that_waits_here_for_another_batch_is_told(folder, library):
    own = library.save_plan(Plan("mine", "Drum Six", targets=Targets(development_s=80.0), load_kg=5.0))
    queue.add(library, replace(own, machine_id=library.save_machine(Machine("Drum Six", "gas-6")).id), 1)
    document = json.loads((folder / "house.json").read_text(encoding="utf-8"))
    number, plan = queue.queue(library)[0].number, document["tables"]["plans"][0]["id"]
    row = {"id": 1, "number": number, "plan_id": plan, "plan_version": 1, "lot_id": None, "machine_id": None, "load_kg": 5.0,
           "place": 1, "state": "waiting", "printed": False, "weighed": False}  # fmt: skip
    document["tables"]["waiting"] = [row]
    (folder / "house.json").write_text(json.dumps(document), encoding="utf-8")
    assert f"{number} wait here for another batch" in read_archive(library, folder).refused[0]
    assert [one.number for one in queue.queue(library)] == [number], "and what waits here stays"


def test_it_goes_by_the_command_line_and_an_empty_library_holds_the_same_afterwards(folder, tmp_path):
    new, out = str(tmp_path / "new.sqlite"), tmp_path / "again"
    told = CliRunner().invoke(main, ["import", str(folder), "--library", new, "--json"], catch_exceptions=False)
    assert json.loads(told.stdout)["imported"][0]["added"]["batches"] == 2
    CliRunner().invoke(main, ["export", "all", "--format", "json", "-o", str(out), "--library", new], catch_exceptions=False)
    first, second = (json.loads((where / "house.json").read_text(encoding="utf-8"))["tables"] for where in (folder, out))
    for name, rows in first.items():
        known = [
            {key: value for key, value in row.items() if key not in ("id", "document") and "_id" not in key} for row in rows
        ]
        assert known == [{key: row[key] for key in one} for row, one in zip(second[name], known, strict=True)], name


def test_a_folder_that_is_none_or_damaged_is_refused_in_a_sentence(folder, tmp_path, library):
    def damaged(**changes):
        document = json.loads((folder / "house.json").read_text(encoding="utf-8"))
        for name, change in changes.items():
            document[name] = change(document[name])
        (tmp_path / "house.json").write_text(json.dumps(document), encoding="utf-8")
        with pytest.raises(ImportRefusedError) as told:
            read_archive(library, tmp_path)
        return str(told.value)

    def lots(**wrong):
        return lambda tables: tables | {"lots": [tables["lots"][0] | wrong]}

    assert "no library that Firnel has written" in damaged(format=lambda _: "other")
    assert "another version" in damaged(version=lambda _: 7)
    assert "tables cannot be read" in damaged(tables=lambda _: [1])
    assert "tables cannot be read" in damaged(batches=lambda _: [{"id": "x"}])
    assert "name of 7 cannot be" in damaged(tables=lots(name=7))
    assert "is too long" in damaged(tables=lots(name="x" * 300))
    assert "no day" in damaged(tables=lots(counted_at="yesterday"))
    assert "'House' does not fit" in damaged(
        tables=lambda t: t | {"coffees": [t["coffees"][0] | {"document": {"components": 3}}]}
    )
    assert not library.batch_lines(BatchFilter())
    (tmp_path / "house.json").write_text((folder / "house.json").read_text(encoding="utf-8"), encoding="utf-8")
    missing = read_archive(library, tmp_path)
    assert len(missing.refused) == 2, "the batches' files are not there"
    assert library.machine("Drum Six").altitude_m == 700.0
    document = json.loads((folder / "house.json").read_text(encoding="utf-8"))
    document["batches"][0]["file"] = "../house.json"
    (tmp_path / "house.json").write_text(json.dumps(document), encoding="utf-8")
    assert "no file of this folder" in read_archive(library, tmp_path).refused[0]
