"""Reports: a batch, a comparison, a table that was cupped, a month; and everything as open data."""

from __future__ import annotations

import csv
import json
from collections.abc import Callable, Sequence
from datetime import UTC, datetime
from pathlib import Path

from firnel.core.units import Units, clock
from firnel.core.vocabulary import MarkKind, Role, usual_role
from firnel.core.words import later, meant, tr
from firnel.exchange.cells import text_cell
from firnel.exchange.report import Block, Chart, Curve, Heading, Report, Table, Text, write_workbook
from firnel.exchange.whole_file import whole_file, write_whole
from firnel.store.batch_list import BatchFilter, BatchLine
from firnel.store.library import Library
from firnel.work.bench.cupping import TableSet, results
from firnel.work.bench.weighing import inspection_of, level_word
from firnel.work.machines.meters import used
from firnel.work.plan.whose import machine_of
from firnel.work.review.archive import write_house
from firnel.work.review.compare_picture import compare
from firnel.work.review.over_time import replication
from firnel.work.review.picture import review_picture
from firnel.work.review.records import export_text, sheet_of
from firnel.work.review.sameness import judge
from firnel.work.settings import Settings

__all__ = ["Chart", "Heading", "Report", "Table", "Text", "batch_report", "comparison_report", "month_report", "open_data",
           "session_report", "write_workbook"]  # fmt: skip

#: Heading of what was charged.
GREEN = meant("weight", "green")
DEVIATION = later("figure"), later("wanted"), later("came"), meant("difference", "by"), ""


def batch_report(library: Library, key: int, settings: Settings) -> Report:
    """The sheet of one batch, in the user's units and words."""
    units = settings.units
    record = library.batch(key)
    machine = machine_of(library, record)
    picture = review_picture(sheet_of(record), machine, units)
    curves = picture.curves
    drop = record.mark(MarkKind.DROP)
    end = drop.t - record.charge_t if drop else float(curves.t[-1]) if curves.t.size else 0.0
    part, rated = (curves.t >= 0.0) & (curves.t <= end), (curves.rate_t >= 0.0) & (curves.rate_t <= end)
    judged = judge(library, key, units, with_edits=False)
    stages = tuple((row[0].removeprefix("*"), *row[1:]) for row in picture.stages[1:])
    level = level_word(record.colour_ground, settings.levels, record.loss)
    blocks: list[Block] = [
        Chart(tr("Bean and air"), units.temperature, (
            Curve("bean", "ink", False, curves.t[part], curves.bean[part]),
            Curve("air", "slate", True, curves.t[part], curves.air[part]),
        )),
        Chart(tr("Rate of rise"), tr("{}/min", units.temperature), (
            Curve("rate", "plum", False, curves.rate_t[rated], curves.rate[rated]),), high=110.0),
        Table(tr("Marks"), ("mark", "time", units.temperature), tuple(
            (row.name, clock(row.t), row.bean) for row in picture.marks if row.t is not None
        )),
        Table(tr("Stages"), ("stage", "time", "share", "rise", "rate"), stages),
        Table(tr("Moves"), ("time", "move"), picture.moves, words=2),
        Table(tr("Results"), ("", ""), (*picture.results, (tr("Roast level"), level or "–"))),
    ]  # fmt: skip
    if judged.table:
        blocks += [Text(judged.verdict), Table(tr("Deviations"), DEVIATION, _deviation_rows(library, key, units))]
    if judged.causes:
        blocks.append(
            Text(tr("Likely: ") + "; ".join(tr("{} ({:.0f} %)", words, 100 * belief) for words, belief in judged.causes) + ".")
        )
    eye = inspection_of(library, key)
    if eye:
        blocks.append(Table(tr("By eye"), ("", ""), tuple((name, tr("{:.3g}", value)) for name, value in eye.items())))
    if picture.notes:
        blocks.append(Table(tr("Noted"), ("time", "word"), picture.notes, words=2))
    if record.tags or record.left_out:
        blocks.append(
            Text(
                " ".join(
                    part
                    for part in (
                        tr("Tags: {}.", record.tags) if record.tags else "",
                        tr("Left out: {}.", record.left_out) if record.left_out else "",
                    )
                    if part
                )
            )
        )
    if record.remark:
        blocks.append(Text(record.remark))
    about = tr(
        "{} on {}, {}", record.lot or tr("lot not told"), record.machine or tr("an unknown machine"), _when(record.started)
    )
    return Report(tr("Batch {}", record.label), about, tuple(blocks))


def _deviation_rows(library: Library, key: int, units: Units) -> tuple[tuple[str, ...], ...]:
    from firnel.work.review.compare_picture import row_of

    return tuple(row_of(one, units) for one in judge(library, key, units, with_edits=False).table)


def comparison_report(library: Library, keys: Sequence[int], at: str, units: Units) -> Report:
    """Batches laid over each other, with the table of each against the first.

    Raises
    ------
    ValueError : if none of them can be aligned so.
    """
    picture = compare(library, keys, at, units)
    if not picture.drawn:
        raise ValueError(" ".join(picture.complaints) or tr("No batch was chosen."))
    beans = tuple(
        Curve(one.label, "ink" if index == 0 else "ember", index > 0, one.x, one.bean)
        for index, one in enumerate(picture.drawn)
    )
    gas = tuple(
        Curve(one.label, "ember", index > 0, one.x, values)
        for index, one in enumerate(picture.drawn)
        for control, values in one.controls.items()
        if usual_role(control) is Role.HEAT
    )
    less = tuple(Curve(gap.label, "ember", index > 0, gap.x, gap.bean) for index, gap in enumerate(picture.differences))
    blocks: list[Block] = [Chart(tr("Bean"), units.temperature, beans, picture.stages)]
    if less:
        blocks.append(Chart(tr("Bean against {}", picture.drawn[0].label), units.temperature, less, picture.stages, 100.0))
    if gas:
        blocks.append(Chart(tr("Heat"), tr("machine's scale"), gas, picture.stages, 100.0))
    for label, rows in picture.tables:
        blocks.append(Table(tr("{} against {}", label, picture.drawn[0].label), DEVIATION, rows))
    blocks += [Text(complaint) for complaint in picture.complaints]
    return Report(tr("Comparison of {} batches", len(picture.drawn)), tr("aligned {}", tr(at.replace("_", " "))), tuple(blocks))


def session_report(library: Library, table: TableSet) -> Report:
    """A cupping that was revealed.

    Raises
    ------
    ValueError : if it is not revealed.
    """
    told, agreed = results(library, table)
    rows = tuple(
        (
            str(one.rank or "–"), one.label, one.coffee.code, "–" if one.score is None else tr("{:.2f}", one.score),
            "–" if one.spread is None else tr("{:.2f}", one.spread), str(one.cuppers),
            tr("reference") if one.coffee.reference else "",
        )
        for one in told
    )  # fmt: skip
    said = tuple((one.label, ", ".join(one.words)) for one in told if one.words)
    blocks: list[Block] = [Table(tr("Results"), ("rank", "batch", "code", "score", "spread", "cuppers", ""), rows, words=3)]
    if agreed is not None:
        blocks.append(Text(agreed.words))
    if said:
        blocks.append(Table(tr("Said"), ("batch", "words"), said, words=2))
    cuppers = ", ".join(table.document["cuppers"])
    return Report(table.name, tr("{}; cuppers {}; {} form", _when(table.at), cuppers, table.document["form"]), tuple(blocks))


def month_report(library: Library, year: int, month: int, units: Units) -> Report:
    """All batches of a month, what they come to, and how well plans are kept.

    Raises
    ------
    ValueError : if there is no such month.
    """
    start = datetime(year, month, 1).astimezone()
    end = datetime(year + month // 12, month % 12 + 1, 1).astimezone()
    wanted = BatchFilter(since=start.astimezone(UTC), until=end.astimezone(UTC), statuses=("done", "dropped"))
    lines = library.batch_lines(wanted, limit=5000)[::-1]
    green = sum(line.load_kg or 0.0 for line in lines)
    roasted = sum(line.roasted_kg or 0.0 for line in lines)
    kept = tuple(
        (
            one.plan,
            str(one.batches),
            tr("{:.0f} %", 100 * one.kept),
            "–" if one.development_sd is None else tr("{:.1f} s", one.development_sd),
        )
        for one in replication(library)
    )
    totals = tr("{} batches, {} of green, {} roasted.", len(lines), units.text(green, "kg"), units.text(roasted, "kg"))
    blocks: tuple[Block, ...] = (
        Text(totals),
        *(
            Table(tr("By {}", tr(word)), (word, "batches", GREEN, "roasted", "loss"), _grouped(lines, name, units))
            for word, name in (("lot", "lot"), ("plan", "plan"), ("machine", "machine"), (later("person"), "operator"))
        ),
        *_meters(library, start, end, lines),
        Table(tr("Plans kept"), ("plan", "batches", tr("all in tolerance"), tr("development ±")), kept),
        Table(tr("Batches"), ("batch", "day", "lot", "plan", "development", "drop", "loss"), tuple(
            (
                line.label, tr("{:%-d %b}", line.started.astimezone()), line.lot or "–", line.plan or "–",
                clock(line.development_s),
                units.text(line.drop_c, "°C", 1), "–" if line.loss is None else tr("{:.1f} %", 100 * line.loss),
            )
            for line in lines
        ), words=4),
    )  # fmt: skip
    return Report(tr("{:%B %Y}", start), tr("what was roasted"), blocks)


def _meters(library: Library, start: datetime, end: datetime, lines: Sequence[BatchLine]) -> tuple[Block, ...]:
    """Gas and power of the machines whose meter was read."""
    rows = []
    for one in used(library, library.machines(), start.astimezone(UTC), end.astimezone(UTC)):
        own = [line for line in lines if line.machine == one.machine and one.since < line.started <= one.until]
        roasted = sum(line.roasted_kg or 0.0 for line in own)
        each = tr("{:.2g} {}/kg", one.amount / roasted, one.unit) if roasted else "–"
        rows.append((one.machine, tr("{:g} {}", one.amount, one.unit), each, _when(one.since), _when(one.until)))
    if not rows:
        return ()
    return (Table(tr("Gas and power"), ("machine", "used", tr("per kg roasted"), "from", "to"), tuple(rows), words=1),)


def _grouped(lines: Sequence[BatchLine], name: str, units: Units) -> tuple[tuple[str, ...], ...]:
    """Batches, green, roasted and mean loss of what has the same in one column; loss of what was weighed."""
    groups: dict[str, list[BatchLine]] = {}
    for line in lines:
        groups.setdefault(getattr(line, name) or "–", []).append(line)
    rows = []
    for what, own in sorted(groups.items()):
        weighed = [line for line in own if line.loss is not None]
        charged = sum(line.load_kg or 0.0 for line in weighed)
        came = sum(line.roasted_kg or 0.0 for line in weighed)
        loss = tr("{:.1f} %", 100 * (1.0 - came / charged)) if charged else "–"
        green = units.text(sum(line.load_kg or 0.0 for line in own), "kg")
        rows.append((what, str(len(own)), green, units.text(sum(line.roasted_kg or 0.0 for line in own), "kg"), loss))
    return tuple(rows)


def _when(at: datetime) -> str:
    return tr("{:%-d %B %Y, %H:%M}", at.astimezone())


#: Columns of the table of all batches.
OPEN_COLUMNS = (
    "id", "label", "started", "lot", "machine", "plan", "operator", "status", "load_kg", "roasted_kg", "loss", "colour_whole",
    "colour_ground", "room_c", "left_out", "drying_s", "browning_s", "development_s", "total_s", "drop_c",
)  # fmt: skip


def open_data(library: Library, folder: Path, progress: Callable[[float], bool] = lambda done: True) -> int:
    """Write everything as CSV and JSON into a folder: a table of batches, each batch whole, the bench, the house.

    It comes back by `firnel.work.review.archive.read_archive`. Returns the count of the batches.

    Raises
    ------
    OSError : if the folder cannot be written.
    """
    folder.mkdir(parents=True, exist_ok=True)
    lines = library.batch_lines(BatchFilter(), limit=1_000_000)
    with whole_file(folder / "batches.csv") as fresh, fresh.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file)
        writer.writerow(OPEN_COLUMNS)
        for line in lines:
            writer.writerow([_cell(getattr(line, name)) for name in OPEN_COLUMNS])
    files: dict[int, str] = {}
    for line in lines:
        if not progress(len(files) / max(len(lines), 1)):
            break
        text = export_text(library, library.batch(line.id), "json")
        files[line.id] = f"batch-{file_part(line.label)}-{line.id}.json"
        write_whole(folder / files[line.id], text)
    write_house(library, folder, files)
    notes = [
        {"batch": note.batch_id, "kind": note.kind, "at": note.at.isoformat(), **note.document}
        for note in library.bench_book.notes()
    ]
    tables = [
        {"kind": table.kind, "name": table.name, "at": table.at.isoformat(), "revealed": table.revealed, **table.document}
        for table in library.bench_book.tables()
    ]
    write_whole(folder / "bench.json", json.dumps({"notes": notes, "tables": tables}, indent=1, ensure_ascii=False))
    return len(files)


def _cell(value: object) -> object:
    return value.isoformat() if isinstance(value, datetime) else "" if value is None else text_cell(value)


def file_part(label: str) -> str:
    """A label as part of a file's name."""
    return "".join(sign if sign.isalnum() or sign in "-_" else "_" for sign in label)
