"""Roast logs as CSV: read with guesses that are told, and written.

Guessed are the delimiter, the decimal comma, which column is what, degrees Fahrenheit, and how time is
written (seconds, minutes:seconds, or clock times).
"""

from __future__ import annotations

import csv
import io
import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, timedelta
from itertools import pairwise
from pathlib import Path

import numpy as np

from firnel.core.mark_finding import SHORTEST_ROAST_S, find_charges, find_drop
from firnel.core.vocabulary import BatchRecord, Control, FloatArray, Found, Mark, Move, Trace
from firnel.core.words import some_of, tr, trn
from firnel.exchange.cells import numbers_of
from firnel.exchange.csv_table import NO_CONTROLS, columns_of, read_text, rows_of, split_header, units_of
from firnel.exchange.errors import ImportRefusedError
from firnel.exchange.log_marks import marks_in_column, marks_of, parse_mark_name
from firnel.exchange.log_times import (
    FEWEST_LINES,
    began_at,
    going_forward,
    in_seconds,
    laid_out,
    minutes_and_seconds,
    times_of,
)
from firnel.exchange.shapes import by_shape

#: No probe of a roast reads more or less than this. [degC]
BEAN_C, AIR_C = (-30.0, 400.0), (-30.0, 700.0)
#: No drum roast ends above 260 degC, every one above 300 degF: what reads more than this is in degF. [degC]
HOTTEST_C = 290.0
#: A reading beyond this is none in degF either, and what is read is below the rest in nearly all lines.
MOST_READ, NEARLY_ALL = 1300.0, 0.98
#: What is read before a charge belongs to its batch for so long, in a log of several. [s]
BETWEEN_S = 180.0
#: Settings beyond this are none, on whatever scale.
MOST_SETTING = 1e5


@dataclass(frozen=True)
class ImportWishes:
    """What the user said beforehand; the rest is guessed."""

    columns: Mapping[str, str] = field(default_factory=dict)
    temperature: str | None = None  #: ``c`` or ``f``
    machine: str = ""
    lot: str = ""
    load_kg: float | None = None
    room_c: float | None = None
    marks: Mapping[str, float] = field(default_factory=dict)  #: seconds of the log's own time column
    roasted_kg: float | None = None
    colour_whole: float | None = None
    colour_ground: float | None = None
    operator: str = ""
    started: datetime | None = None
    part: int = 0  #: which batch of a file that holds several
    own_names: Mapping[str, str] = field(default_factory=dict)  #: keys of the machine's controls by what they are called

    def of_part(self, part: int) -> ImportWishes:
        """What holds for another batch of the same file too: not what one batch weighed or how it came out."""
        return replace(self, part=part, roasted_kg=None, colour_whole=None, colour_ground=None, started=None)


@dataclass(frozen=True)
class Imported:
    """A batch from a file, and what was guessed or left out on the way."""

    record: BatchRecord
    said: tuple[str, ...]
    units: Mapping[Control, str] = field(default_factory=dict)  #: of the controls, as far as the headings tell
    wishes: ImportWishes = field(default_factory=ImportWishes)  #: by which it was read
    parts: int = 1  #: how many batches the file holds


def read_csv_log(path: Path, wishes: ImportWishes | None = None) -> Imported:
    """Read one roast from a CSV log: of one that holds several the one that is wished, or that has the told marks.

    Raises
    ------
    ImportRefusedError : if the file is no log of a roast; the message says why.
    """
    wishes = wishes or ImportWishes()
    log = _log_of(path, wishes)
    return _batch_of(log, wishes, _parts(log.trace, wishes))


def read_csv_logs(path: Path, wishes: ImportWishes) -> list[Imported]:
    """Read all roasts of a CSV log, or the one of which marks are told; what was said of one batch is that of the first.

    Raises
    ------
    ImportRefusedError : as `read_csv_log`.
    """
    log = _log_of(path, wishes)
    parts = _parts(log.trace, wishes)
    others = [] if wishes.marks else [wishes.of_part(part) for part in range(1, len(parts))]
    return [_batch_of(log, one, parts) for one in (wishes, *others)]


def _batch_of(log: _Log, wishes: ImportWishes, parts: Sequence[tuple[float, float]]) -> Imported:
    said, trace, t = list(log.said), log.trace, log.trace.t
    wanted = (part for part in parts if all(part[0] <= at < part[1] for at in wishes.marks.values()))
    begin, end = next(wanted) if wishes.marks else parts[wishes.part]
    inside = (t >= begin) & (t < end)
    if len(parts) > 1:
        said.append(tr("one of {} batches in this file, from {:.0f} s on", len(parts), trace.t[inside][0]))
        trace = trace.part(inside)
    in_file, notes = marks_in_column(log.body, log.columns.get("mark"), t, log.keep, inside)
    if notes:
        said.append(tr("no marks, kept as notes: {}", some_of([f"“{note.text}”" for note in notes])))
    marks = marks_of(trace, in_file, wishes.marks, log.path.name, said)
    record = BatchRecord(
        label="",
        lot=wishes.lot,
        machine=wishes.machine,
        started=_began(log, float(trace.t[0] - t[0]), float(t[-1] - trace.t[-1])),
        trace=trace,
        marks=marks,
        moves=moves_in(trace),
        notes=notes,
        load_kg=wishes.load_kg,
        room_c=wishes.room_c,
        remark=tr("imported from {}", log.path.name),
    )
    return Imported(record, tuple(said), units_of(log.header, log.columns), wishes, len(parts))


@dataclass(frozen=True)
class _Log:
    """A whole file: its readings, what was guessed, and the table they stand in, with the lines of it that were kept."""

    path: Path
    said: list[str]
    trace: Trace
    header: list[str]
    body: list[list[str]]
    columns: Mapping[str, int]
    keep: np.ndarray


def _log_of(path: Path, wishes: ImportWishes) -> _Log:
    said: list[str] = []
    text = read_text(path)
    rows, delimiter, decimal = rows_of(text, path.name)
    header, body, above = split_header(rows)
    named = columns_of(header, body, wishes.columns, path.name, decimal, wishes.own_names)
    columns = named | by_shape(named, header, body, decimal, path.name)
    told = {name: header[index] if header else tr("column {}", index + 1) for name, index in columns.items()}
    told |= {name: tr("{} (by how it runs)", told[name]) for name in columns if name not in named}
    said.append(
        tr("delimiter {!r}, decimal {!r}, ", delimiter, decimal)
        + ", ".join(f"{name} = {words}" for name, words in told.items())
    )
    if above:
        said.append(trn("{} line above the headings is not read", "{} lines above the headings are not read", above))
    headings = header or [tr("column {}", index + 1) for index in range(max(map(len, body)))]
    numbers = {name: numbers_of(body, index, decimal) for name, index in columns.items() if name not in ("time", "mark")}
    left = [index for index in range(len(headings)) if index not in columns.values()]
    pair = minutes_and_seconds(body, header, [columns["time"], *left], decimal)
    if pair is not None and "time" not in wishes.columns:
        t, (minutes, seconds) = pair
        left = [index for index in left if index not in (minutes, seconds)]
        counted = tr("time from “{}” and “{}”", header[minutes], header[seconds])
    else:
        t = times_of(body, columns["time"], decimal, path.name)
        t, counted = in_seconds(t, body, columns["time"], header[columns["time"]] if header else "", path.name)
    t, shared = laid_out(t)
    unread = [f"“{headings[index]}”" for index in left if headings[index]]
    if unread:
        said.append(tr("not read: {}", some_of(unread)))
    if counted:
        said.append(counted)
    if shared:
        said.append(tr("{} lines share their moment with the one before and were laid evenly between", shared))
    keep, dropped = going_forward(t, path.name)
    if dropped:
        said.append(tr("{} lines whose time does not go forward were left out", dropped))
    t = t[keep]
    numbers = {name: values[keep] for name, values in numbers.items()}
    _to_celsius(numbers, header, columns, wishes.temperature, said)
    _leave_out_absurd(numbers, path.name, said)
    blank = np.full(t.size, np.nan)
    controls = {Control(name): values for name, values in numbers.items() if name not in NO_CONTROLS}
    trace = Trace(t, numbers["bean"], numbers.get("air", blank), controls, np.zeros(t.size, np.int64))
    if np.isfinite(trace.bean).sum() < FEWEST_LINES:
        raise ImportRefusedError(tr("{} has fewer than {} bean readings; there is no roast in it.", path.name, FEWEST_LINES))
    steps = np.diff(t[np.isfinite(trace.bean)])
    said.append(tr("{} readings, one every {:g} s", t.size, float(np.median(steps))))
    return _Log(path, said, trace, header, body, columns, keep)


def write_csv_log(record: BatchRecord, scales: Mapping[Control, str] | None = None) -> str:
    """A batch as CSV: log time, probes in degC, controls in their unit, and a mark column.

    Parameters
    ----------
    record : the batch.
    scales : unit of each control, for the heading.
    """
    scales = scales or {}
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    units = {Control.GAS: "kpa", Control.AIRFLOW: "pct", Control.DRUM: "rpm"} | {
        c: u.lower().replace("%", "pct") for c, u in scales.items()
    }
    trace = record.trace
    controls = tuple(trace.controls)
    writer.writerow(["time_s", "bean_c", "air_c", *(f"{control}_{units.get(control, 'pct')}" for control in controls), "mark"])
    marks = sorted(record.marks, key=lambda mark: mark.t)
    columns = (trace.t, trace.bean, trace.air, *trace.controls.values())
    none = [""] * len(controls)
    for row in zip(*columns, strict=True):
        # A mark between two readings gets a line of its own, so that its moment is kept.
        while marks and marks[0].t < row[0] - 1e-9:
            writer.writerow([_plain(marks[0].t), _plain(marks[0].bean), "", *none, marks[0].kind.value])
            marks.pop(0)
        at_row = marks.pop(0).kind.value if marks and abs(marks[0].t - row[0]) <= 1e-9 else ""
        writer.writerow([*map(_plain, row), at_row])
    for mark in marks:
        writer.writerow([_plain(mark.t), _plain(mark.bean), "", *none, mark.kind.value])
    return out.getvalue()


def moves_in(trace: Trace) -> tuple[Move, ...]:
    """The moves that the control columns show, first settings left out."""
    moves = []
    for control, values in trace.controls.items():
        known = np.flatnonzero(np.isfinite(values))
        for before, after in zip(known[:-1], known[1:], strict=True):
            if values[after] != values[before]:
                moves.append(Move(control, float(trace.t[after]), float(values[after]), Found.GIVEN))
    return tuple(sorted(moves, key=lambda move: move.t))


def _plain(value: float | None) -> str:
    return (
        ""
        if value is None or not math.isfinite(value)
        else f"{round(float(value), 6):g}"
        if abs(value) < 1e5
        else f"{value:.3f}"
    )


def _to_celsius(
    numbers: dict[str, FloatArray], header: list[str], columns: Mapping[str, int], wished: str | None, said: list[str]
) -> None:
    heading = header[columns["bean"]].lower() if header else ""
    read = numbers["bean"][np.abs(numbers["bean"]) < MOST_READ]
    highest = float(np.quantile(read, NEARLY_ALL)) if read.size else 0.0  # a spike tells of a wire
    if wished:
        fahrenheit, why = wished.lower() == "f", tr("as told")
    elif re.search(r"(°|deg|_|\(|\[|\b)f(ahr\w*)?\b", heading):
        fahrenheit, why = True, tr("by the heading")
    elif re.search(r"(°|deg|_|\(|\[|\b)c(els\w*)?\b", heading):
        # No heading makes a drum hotter than any drum roast is.
        fahrenheit, why = highest > HOTTEST_C, tr("by the heading")
        if fahrenheit:
            why = tr("it reads up to {:.0f}, whatever its heading says", highest)
    else:
        fahrenheit, why = highest > HOTTEST_C, tr("it reads up to {:.0f}", highest)
    said.append(tr("temperatures in {} ({})", "°F" if fahrenheit else "°C", why))
    if fahrenheit:
        for probe in ("bean", "air"):
            if probe in numbers:
                numbers[probe] = (numbers[probe] - 32.0) / 1.8


def _leave_out_absurd(numbers: dict[str, FloatArray], name: str, said: list[str]) -> None:
    """Figures that nothing in a roastery reads are left out and told; a log full of them is none."""
    for field_name, values in numbers.items():
        low, high = {"bean": BEAN_C, "air": AIR_C}.get(field_name, (-MOST_SETTING, MOST_SETTING))
        known = ~np.isnan(values)
        absurd = known & ((values < low) | (values > high) | ~np.isfinite(values))
        count = int(absurd.sum())
        if not count:
            continue
        values[absurd] = np.nan
        if field_name == "bean" and count > 0.2 * known.sum():
            raise ImportRefusedError(
                tr(
                    "{}: {} of {} bean readings lie outside {:.0f} to {:.0f} °C; is the column right, and the unit "
                    "(--temperature)?",
                    name,
                    count,
                    int(known.sum()),
                    low,
                    high,
                )
            )
        said.append(tr("{} {} readings that cannot be were left out", count, field_name))


def _parts(trace: Trace, wishes: ImportWishes) -> list[tuple[float, float]]:
    """From when to when each batch of a log runs. [s]

    Where no batch has all told marks, the log is one: what a hand tells goes before what the curve shows.
    """
    cuts = [-math.inf]
    for before, charge in pairwise(find_charges(trace.t, trace.bean)):
        between = (trace.t >= before) & (trace.t < charge - 5.0)
        dropped = find_drop(trace.t[between], trace.bean[between], before, trace.air[between])
        # What is read between two batches tells of the steel: it goes with the later one, as far as it is its own.
        cuts.append(max(charge - BETWEEN_S, 0.5 * (charge + (dropped if dropped is not None else before + SHORTEST_ROAST_S))))
    parts = list(pairwise([*cuts, math.inf]))
    whole = any(all(begin <= at < end for at in wishes.marks.values()) for begin, end in parts)
    return parts if whole else [(-math.inf, math.inf)]


def _began(log: _Log, since_s: float, left_s: float) -> datetime:
    """When a batch began that stands so far behind the first line of its log, and so far before the last: as its dates say.

    Where there are none the file was written about when it ended.
    """
    first = began_at(log.body, log.columns["time"])
    if first is not None:
        return first + timedelta(seconds=since_s)
    return datetime.fromtimestamp(log.path.stat().st_mtime, UTC) - timedelta(seconds=left_s)


def with_results(record: BatchRecord, wishes: ImportWishes) -> BatchRecord:
    """A record of any format, with what the user said of weight, colour, day and roaster on top."""
    said = {name: getattr(wishes, name) for name in ("roasted_kg", "colour_whole", "colour_ground", "started", "operator")}
    return replace(record, **{name: value for name, value in said.items() if value not in (None, "")})


def with_wishes(record: BatchRecord, wishes: ImportWishes) -> BatchRecord:
    """A record read from a richer format, with what the user said on top."""
    marks = {mark.kind: mark for mark in record.marks}
    for word, t in wishes.marks.items():
        kind = parse_mark_name(word)
        marks[kind] = Mark(kind, t, record.trace.bean_at(t), Found.GIVEN)
    return replace(
        record,
        lot=wishes.lot or record.lot,
        machine=wishes.machine or record.machine,
        load_kg=wishes.load_kg if wishes.load_kg is not None else record.load_kg,
        room_c=wishes.room_c if wishes.room_c is not None else record.room_c,
        marks=tuple(sorted(marks.values(), key=lambda mark: mark.t)),
    )
