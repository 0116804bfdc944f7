"""Kill -9 at random moments: whatever had been told for more than a second is there, and the library opens and is sound."""

from __future__ import annotations

import json
import os
import random
import shutil
import signal
import sqlite3
import time
import traceback
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from conftest import make_record, older_library
from made import reading

from attacks.files import Found
from firnel.core.plan import Plan
from firnel.core.vocabulary import Lot, MarkKind
from firnel.devices.clock import Clock
from firnel.exchange.csv_log import write_csv_log
from firnel.store.batch_list import BatchFilter
from firnel.store.copies import check_file
from firnel.store.library import Library
from firnel.store.spill import Spill
from firnel.work.bench.results import Results
from firnel.work.desk import Desk, machine_of_kind
from firnel.work.review.records import ImportWishes, import_file
from firnel.work.review.reports import open_data
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.roast.session import RoastSession
from firnel.work.settings import Settings, load_settings, save_settings

#: Tells the parent what stands on the screen.
Say = Callable[[dict[str, Any]], None]
#: A batch is roasted at so many readings a second of life.
RATE = 60


def _session(folder: Path) -> tuple[Library, RoastSession]:
    library = Library(folder / "library.sqlite")
    machine = library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    spill = Spill(folder / "spill", library.identity, "here", "nobody")
    session = RoastSession(library, Clock(), spill=spill)
    session.set_machine(machine)
    return library, session


def roast(folder: Path, say: Say) -> None:
    """One batch after the other, fed fast; readings, marks and moves are told as they are shown."""
    _, session = _session(folder)
    record = make_record()
    while True:
        session.prepare(BatchOrder(None, session.machine, None, 5.0))
        label, trace = session.label, record.trace
        start = session.now()
        for index in range(trace.t.size):
            t = start + float(trace.t[index])
            session.take_reading(reading(session.clock.now() - session.now() + t, float(trace.bean[index]), 220.0, 2.0))
            if index == 61:
                session.find(record.marks[0].__class__(MarkKind.CHARGE, t))
            say({"label": label, "readings": index + 1, "marks": [kind.value for kind in session.marks]})
            time.sleep(1.0 / RATE)
        session.find(record.marks[0].__class__(MarkKind.DROP, t))
        session.weigh(Results(4.3, 66.0, None, "a word"))
        say({"label": label, "weighed": session.message.endswith("is saved.")})


def weigh(folder: Path, say: Say) -> None:
    """Weigh-ins, one after the other."""
    library = Library(folder / "library.sqlite")
    desk = Desk(library, Settings(), lambda call: call())
    for number in range(10_000):
        key, label = library.new_batch(None, None, None, 5.0, datetime.now(UTC), status="dropped")
        line = next(line for line in library.batch_lines(BatchFilter(), limit=5) if line.id == key)
        desk.weigh(Results(4.2 + 0.0001 * (number % 1000), 60.0, 61.0, f"remark {number}"), line)
        say({"weighed_label": label, "remark": f"remark {number}"})


def take_in(folder: Path, say: Say) -> None:
    """Logs taken in, one after the other."""
    library = Library(folder / "library.sqlite")
    for number in range(10_000):
        record = make_record(step=5.0)
        path = folder / f"log-{number % 3}.csv"
        path.write_text(write_csv_log(record))
        key, _ = import_file(library, path, ImportWishes(lot=f"lot {number}", load_kg=5.0), again=True)
        say({"imported": library.batch(key).label, "size": int(record.trace.t.size)})


def migrate(folder: Path, say: Say) -> None:
    """An older library is opened; its migration may be cut short anywhere."""
    library = Library(folder / "library.sqlite")
    say({"opened": True})
    library.close()


def first_start(folder: Path, say: Say) -> None:
    """A library is made."""
    migrate(folder, say)


def export(folder: Path, say: Say) -> None:
    """Everything is written out."""
    library = Library(folder / "library.sqlite")
    while True:
        open_data(library, folder / "out")
        say({"exported": True})


def fit(folder: Path, say: Say) -> None:
    """Models are kept, one in place of the other."""
    library = Library(folder / "library.sqlite")
    machine = library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    for number in range(100_000):
        library.machine_book.save_model(machine.id or 0, {"version": 3, "number": number, "values": [0.1] * 400})
        say({"model": number})


def settings(folder: Path, say: Say) -> None:
    """Settings are kept again and again."""
    for number in range(100_000):
        save_settings(Settings(cooling_aim_s=60 + number % 800, operator=f"hand {number}"), folder / "settings.json")
        say({"settings": f"hand {number}"})


def drafts(folder: Path, say: Say) -> None:
    """Plans are kept, queued and worked on."""
    library = Library(folder / "library.sqlite")
    for number in range(100_000):
        plan = library.save_plan(Plan(f"plan {number}", load_kg=5.0))
        waits = library.waiting_book.add(plan, 2, 5.0)
        library.draft_book.keep("plan", {"number": number})
        library.save_lot(Lot(f"lot {number}"))
        say({"plan": plan.name, "numbers": [one.number for one in waits], "draft": number})


def window(folder: Path, say: Say) -> None:
    """The real window, offscreen, with a batch fed into it."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from firnel.app.window import make_application, make_window
    from firnel.ui.theme.look import Look

    application = make_application()
    library = Library(folder / "library.sqlite")
    machine = library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    made = make_window(library, Settings(), Look(application), keep=lambda _: None, spill_at=folder / "spill")
    made.show()
    session, record = made.desk.session, make_record()
    session.set_machine(machine)
    made.desk.prepare(BatchOrder(None, machine, None, 5.0))
    label, start = session.label, session.now()
    for index in range(record.trace.t.size):
        t = start + float(record.trace.t[index])
        made.desk.take_reading(reading(session.clock.now() - session.now() + t, float(record.trace.bean[index]), 220.0, 2.0))
        application.processEvents()
        say({"label": label, "readings": index + 1, "marks": [kind.value for kind in session.marks]})
        time.sleep(1.0 / RATE)


OPERATIONS: dict[str, tuple[Callable[[Path, Say], None], float]] = {
    "roast": (roast, 4.0), "window": (window, 4.0), "weigh": (weigh, 1.0), "import": (take_in, 1.0),
    "migration": (migrate, 0.25), "first start": (first_start, 0.25), "export": (export, 0.6), "fit": (fit, 0.6),
    "settings": (settings, 0.4), "drafts": (drafts, 0.8),
}  # fmt: skip


def _prepared(folder: Path, name: str, rng: random.Random, store: dict[str, bytes]) -> None:
    """What has to be there before."""
    if name == "migration":
        version = rng.choice(("0001", "0002", "0003", "0004"))
        if version not in store:
            older_library(folder / "older.sqlite", version, Plan("test", load_kg=5.0))
            store[version] = (folder / "older.sqlite").read_bytes()
            for part in folder.glob("older.sqlite*"):
                part.unlink()
        (folder / "library.sqlite").write_bytes(store[version])
        return
    if name in ("first start", "settings"):
        return
    if name not in store:
        library = Library(folder / "made.sqlite")
        for _ in range(3 if name == "export" else 0):
            library.add_record(make_record(step=2.0))
        library.close()
        store[name] = (folder / "made.sqlite").read_bytes()
        for part in folder.glob("made.sqlite*"):
            part.unlink()
    (folder / "library.sqlite").write_bytes(store[name])


def _killed(folder: Path, name: str, wait_s: float) -> tuple[list[dict[str, Any]], float]:
    """Run an operation in a process of its own, kill it, and return what it had told, each with its moment."""
    operation = OPERATIONS[name][0]
    reader, writer = os.pipe()
    child = os.fork()
    if child == 0:
        os.close(reader)
        os.setsid()
        os.dup2(os.open(os.devnull, os.O_WRONLY), 2)
        try:
            operation(folder, lambda said: os.write(writer, json.dumps(said | {"at": time.time()}).encode() + b"\n") and None)
        except BaseException:
            os.write(writer, json.dumps({"failed": traceback.format_exc()[-600:], "at": time.time()}).encode() + b"\n")
        finally:
            os._exit(0)
    os.close(writer)
    time.sleep(wait_s)
    os.kill(child, signal.SIGKILL)
    at = time.time()
    os.waitpid(child, 0)
    with os.fdopen(reader, "rb") as pipe:
        told = [json.loads(line) for line in pipe.read().splitlines() if line.endswith(b"}")]
    return told, at


def attack_kills(folder: Path, count: int, safe_s: float = 1.0, seed: int = 3) -> Found:
    """So many kills over all operations; what was told for so long before must be there."""
    rng, found = random.Random(seed), Found()
    store: dict[str, bytes] = {}
    names = list(OPERATIONS)
    for number in range(count):
        name = names[number % len(names)]
        here = folder / f"kill-{number}"
        here.mkdir()
        _prepared(here, name, rng, store)
        told, at = _killed(here, name, rng.uniform(0.02, OPERATIONS[name][1]))
        failed = [one["failed"] for one in told if "failed" in one]
        if failed:
            found.fail(f"{name} {number}: {failed[0]}")
        try:
            _look(here, name, [one for one in told if "failed" not in one], at, safe_s, found)
            found.counts[name] += 1
        except Exception as error:
            found.fail(f"{name} {number}: {type(error).__name__}: {str(error)[:200]}")
        shutil.rmtree(here)
    return found


def _look(folder: Path, name: str, told: list[dict[str, Any]], at: float, safe_s: float, found: Found) -> None:
    safe = [one for one in told if one["at"] < at - safe_s]
    if name == "settings":
        read, complaint = load_settings(folder / "settings.json")
        assert complaint is None, complaint
        before = [one for one in told if one["at"] < at - 0.05]
        assert not before or int(read.operator.split()[1]) >= int(before[-1]["settings"].split()[1]), "settings lost"
        return
    path = folder / "library.sqlite"
    library = Library(path)
    try:
        wrong = check_file(path, whole=True)
        assert not wrong, f"not sound: {wrong}"
        lines = {line.label: line for line in library.batch_lines(BatchFilter(), limit=10_000)}
        assert len(lines) == library.batch_list.count(BatchFilter()), "two batches of one number"
        if name in ("roast", "window"):
            _look_at_roast(library, lines, told, safe, found)
        elif name == "weigh":
            for one in told[:-1]:
                assert library.batch(lines[one["weighed_label"]].id).remark == one["remark"], "a weigh-in lost"
        elif name == "import":
            for one in told:
                assert one["imported"] in lines, f"import {one['imported']} lost"
            for line in lines.values():
                assert library.batch(line.id).trace.t.size == make_record(step=5.0).trace.t.size, "half an import"
        elif name == "migration":
            assert [line.label for line in sorted(lines.values(), key=lambda line: line.id)] == ["0001", "0001-2"], (
                "batches lost"
            )
            with sqlite3.connect(path) as raw:
                assert raw.execute("SELECT bean FROM readings").fetchall() == [(198.5,)], "readings lost"
            raw.close()
        elif name == "fit":
            kept = library.machine_book.model(1)
            assert not told or (kept is not None and kept[1]["number"] >= told[-1]["model"]), "a model lost"
        elif name == "drafts":
            _look_at_drafts(library, told)
        elif name == "export":
            for out in (folder / "out").glob("batch-*.json") if told else []:
                json.loads(out.read_text())
    finally:
        library.close()


def _look_at_roast(
    library: Library, lines: dict[str, Any], told: list[dict[str, Any]], safe: list[dict[str, Any]], found: Found
) -> None:
    for one in told:
        if one.get("weighed"):
            assert lines[one["label"]].status == "done", "a weigh-in lost"
    shown = [one for one in safe if "readings" in one]
    if shown:
        last = shown[-1]
        kept = library.batch(lines[last["label"]].id)
        assert kept.trace.t.size >= last["readings"], f"{last['readings'] - kept.trace.t.size} readings lost"
        assert set(last["marks"]) <= {mark.kind.value for mark in kept.marks}, "a mark lost"
    every = [one for one in told if "readings" in one]
    if every:
        kept = library.batch(lines[every[-1]["label"]].id) if every[-1]["label"] in lines else None
        found.slowest_s = max(found.slowest_s, (every[-1]["readings"] - (kept.trace.t.size if kept else 0)) / RATE)


def _look_at_drafts(library: Library, told: list[dict[str, Any]]) -> None:
    plans = {plan.name for plan in library.plans()}
    numbers = [one.number for one in library.waiting_book.all()]
    assert len(set(numbers)) == len(numbers), "a number given twice"
    for one in told:
        assert one["plan"] in plans, "a plan lost"
        assert set(one["numbers"]) <= set(numbers), "a number lost"
    if told:
        draft = library.draft_book.read("plan")
        assert draft is not None, "the draft lost"
        assert draft["number"] >= told[-1]["draft"], "the draft is an older one"
