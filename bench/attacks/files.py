"""Mutated files over every reader: each is taken in whole and sane, or refused in a sentence."""

from __future__ import annotations

import json
import random
import resource
import time
from collections import Counter
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path

import numpy as np

from firnel.core.stages import MarkOrderError
from firnel.core.vocabulary import BatchRecord, Control, Lot
from firnel.devices.register_map import RegisterMapError, read_register_map
from firnel.exchange.batch_document import batch_to_document
from firnel.exchange.errors import ImportRefusedError
from firnel.exchange.lot_tables import read_lots, write_lots
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.work.machines.files import machine_to_text, read_machine_file
from firnel.work.plan.files import read_plan_file
from firnel.work.review.records import ImportWishes, import_file, read_file, show_document

REFUSALS = (ImportRefusedError, RegisterMapError, MarkOrderError)
ABSURD = (
    "nan", "inf", "-inf", "1e308", "-5", "999999", "=1+1", "@sum", "", "0", "null", "true", "[]", "{}", '"x"', "1e-320", "٣",
    "\x07", "2026-02-30T25:61:00", "-0.0", "1_000", "0x1f", "700", "86401", "\ud7ff", "'",
)  # fmt: skip


@dataclass
class Found:
    """What an attack found: counts by outcome, and the first few things that went wrong."""

    counts: Counter[str] = field(default_factory=Counter)
    wrong: list[str] = field(default_factory=list)
    slowest_s: float = 0.0

    def fail(self, what: str) -> None:
        """Something went wrong."""
        self.counts["wrong"] += 1
        if len(self.wrong) < 12:
            self.wrong.append(what)


def mutated(raw: bytes, rng: random.Random) -> bytes:
    """The bytes with one to four things done to them."""
    for _ in range(rng.randint(1, 4)):
        if not raw:
            return raw
        kind, at = rng.randrange(9), rng.randrange(len(raw))
        if kind == 0:
            raw = raw[:at]
        elif kind == 1:
            raw = raw[:at] + bytes([rng.randrange(256)]) + raw[at + 1 :]
        elif kind == 2:
            lines = raw.split(b"\n")
            del lines[rng.randrange(len(lines))]
            raw = b"\n".join(lines)
        elif kind == 3:
            lines = raw.split(b"\n")
            line = rng.randrange(len(lines))
            lines[line:line] = [lines[rng.randrange(len(lines))]] * rng.choice((1, 2, 50))
            raw = b"\n".join(lines)
        elif kind == 4:
            raw = raw[:at] + raw[min(at + rng.randrange(200), len(raw)) :]
        elif kind == 5:
            raw = _absurd_number(raw, rng)
        elif kind == 6:
            raw = _absurd_number(raw, rng, rng.randint(2, 40))
        elif kind == 7:
            raw = raw.replace(
                *rng.choice(((b",", b";"), (b".", b","), (b":", b" "), (b'"', b"'"), (b"\n", b"\r"), (b"0", b"")))
            )
        else:
            raw = raw.decode("utf-8", "replace").encode(rng.choice(("utf-16", "utf-8-sig", "latin-1", "utf-32")), "replace")
    return raw


def _absurd_number(raw: bytes, rng: random.Random, times: int = 1) -> bytes:
    import re

    numbers = list(re.finditer(rb"-?\d+(?:\.\d+)?", raw[:200_000]))
    for _ in range(times):
        if not numbers:
            return raw
        found = rng.choice(numbers)
        raw = raw[: found.start()] + rng.choice(ABSURD).encode("utf-8", "replace") + raw[found.end() :]
    return raw


def seeds(folder: Path, record: BatchRecord, logs: list[Path]) -> dict[str, list[bytes]]:
    """Sound files to begin with, by the ending that tells the reader."""
    from firnel.core.plan import Anchor, Plan, PlannedMove, Targets
    from firnel.core.plan_document import plan_to_document
    from firnel.core.vocabulary import Control
    from firnel.work.desk import machine_of_kind

    lots = folder / "lots"
    some = [Lot("Rwanda Isuka", "Rwanda", density_g_per_l=730.0, moisture=0.11, on_hand_kg=120.0), Lot("=cmd", remark="-1")]
    write_lots(some, lots.with_suffix(".csv"))
    write_lots(some, lots.with_suffix(".xlsx"))
    plan = Plan(
        "first", "Drum Six", "Rwanda Isuka", 5.0, targets=Targets(200.0, 300, 240, 90, 205.0), start={Control.GAS: 2.0},
        moves=(PlannedMove(Control.GAS, 2.4, Anchor.CHARGE, 45.0), PlannedMove(Control.GAS, 1.4, Anchor.BEAN, at_c=180.0)),
    )  # fmt: skip
    short = batch_to_document(record).model_dump(mode="json")
    maps = Path(__file__).parents[2] / "src" / "firnel" / "resources" / "register_maps"
    return {
        ".csv": [path.read_bytes() for path in logs],
        ".batch.json": [json.dumps(short, indent=1).encode()],
        ".plan.json": [json.dumps(plan_to_document(plan), indent=1).encode()],
        ".machine.json": [machine_to_text(machine_of_kind("Drum Six", "gas-6")).encode()],
        ".lots.csv": [lots.with_suffix(".csv").read_bytes()],
        ".lots.xlsx": [lots.with_suffix(".xlsx").read_bytes()],
        ".toml": [path.read_bytes() for path in sorted(maps.glob("*.toml"))],
    }


def attack_files(folder: Path, record: BatchRecord, logs: list[Path], count: int, seed: int = 1) -> Found:
    """So many mutated files over all readers; what is taken in goes into a library, and out again as JSON."""
    rng, found = random.Random(seed), Found()
    sound = seeds(folder, record, logs)
    kinds = list(sound)
    library = Library(folder / "attacked.sqlite")
    for number in range(count):
        kind = kinds[number % len(kinds)]
        path = folder / f"attack{kind}"
        path.write_bytes(mutated(rng.choice(sound[kind]), rng))
        begun = time.monotonic()
        try:
            _read(library, kind, path, deep=number % (10 * len(kinds)) < len(kinds))
            found.counts["taken in"] += 1
        except REFUSALS as error:
            found.counts["refused"] += 1
            if not str(error).strip() or "\n" in str(error):
                found.fail(f"{kind} {number}: the refusal is no sentence: {str(error)[:100]!r}")
        except AssertionError as error:
            found.fail(f"{kind} {number}: absurd: {error}")
            (folder / f"wrong-{number}{kind}").write_bytes(path.read_bytes())
        except Exception as error:
            found.fail(f"{kind} {number}: {type(error).__name__}: {str(error)[:120]}")
            (folder / f"wrong-{number}{kind}").write_bytes(path.read_bytes())
        found.slowest_s = max(found.slowest_s, time.monotonic() - begun)
    _look_at(library, found)
    library.close()
    found.counts["MB at most"] = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
    return found


def _read(library: Library, kind: str, path: Path, deep: bool) -> None:
    if kind in (".csv", ".batch.json"):
        if deep:
            key, _ = import_file(library, path, ImportWishes(), again=True)
            made = library.batch(key)
            json.dumps(show_document(made), allow_nan=False)
        else:
            made = read_file(path, ImportWishes()).record
        _sane_batch(made)
    elif kind == ".plan.json":
        plan = read_plan_file(path)
        numbers = [move.to for move in plan.moves] + [move.offset_s for move in plan.moves] + [plan.room_c, plan.drum_c]
        assert np.isfinite(numbers).all(), "a plan with figures that are none"
        assert plan.load_kg is None or 0 < plan.load_kg <= 1000, f"a load of {plan.load_kg}"
    elif kind == ".machine.json":
        machine = read_machine_file(path)
        assert 0 < machine.useful_load_kg <= machine.stated_load_kg, "a load that no machine has"
        assert all(scale.low < scale.high and scale.step > 0 for scale in machine.controls.values()), "a scale that is none"
    elif kind.startswith(".lots"):
        for lot in read_lots(path).lots:
            figures = [lot.density_g_per_l, lot.moisture, lot.on_hand_kg, lot.price_per_kg]
            assert all(figure is None or np.isfinite(figure) for figure in figures), "a lot with figures that are none"
            assert lot.name.strip(), "a lot without a name"
    else:
        made_map = read_register_map(path)
        assert 0.01 <= made_map.poll_s <= 60, f"polled every {made_map.poll_s} s"
        assert all(np.isfinite(register.scale) for register in made_map.registers.values()), "a scale that is none"


def _sane_batch(record: BatchRecord) -> None:
    trace = record.trace
    assert np.isfinite(trace.t).all(), "a time that is none"
    assert (np.diff(trace.t) > 0).all(), "times that do not go forward"
    assert trace.t.size == 0 or trace.t[-1] - trace.t[0] <= 86_400.0, "longer than a day"
    for column, high in (
        (trace.bean, 400.0),
        (trace.air, 700.0),
        (trace.control(Control.GAS), 1e6),
        (trace.control(Control.AIRFLOW), 1e6),
        (trace.control(Control.DRUM), 1e6),
    ):
        known = column[~np.isnan(column)]
        assert np.isfinite(known).all(), "infinite readings"
        assert known.size == 0 or known.max() <= high, f"a reading of {known.max()}"
    assert record.load_kg is None or 0 < record.load_kg <= 1000, f"a load of {record.load_kg}"
    assert record.loss is None or 0 < record.loss < 1, f"a loss of {record.loss}"
    assert record.status in ("done", "dropped", "discarded"), record.status
    assert datetime(1970, 1, 1, tzinfo=UTC) < record.started < datetime(2300, 1, 1, tzinfo=UTC), record.started
    for mark in record.marks:
        assert np.isfinite(mark.t), "a mark at no time"


def _look_at(library: Library, found: Found) -> None:
    """Whatever was taken in: no list breaks, and every batch can be read."""
    lines = library.batch_lines(BatchFilter(), limit=100_000)
    found.counts["in the library"] = len(lines)
    for line in lines:
        try:
            json.dumps(show_document(library.batch(line.id)), allow_nan=False)
        except Exception as error:
            found.fail(f"batch {line.label} in the library: {type(error).__name__}: {error}")
    labels = [line.label for line in lines]
    if len(set(labels)) != len(labels):
        found.fail("two batches of one number")
