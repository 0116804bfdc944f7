"""A day on paper, in a spreadsheet and as a document: batches, what to weigh, what to pack, what came of it."""

from __future__ import annotations

from typing import Any

from firnel.core.day.dealing import Share
from firnel.core.day.timeline import Block
from firnel.core.units import Units
from firnel.core.words import meant, tr
from firnel.exchange.report import Heading, Report, Table, Text
from firnel.work.day.lists import PackRow, WeighRow
from firnel.work.day.planning import DaySheet

#: Headings that mean another thing elsewhere: what was charged, and who roasted it.
GREEN, WHO = meant("weight", "green"), meant("person", "by")


def day_report(sheet: DaySheet, units: Units) -> Report:
    """The day's sheet."""
    batches = _to_roast(sheet, units)
    total = tr("{} batches, {} of green", len(batches.rows), units.text(sheet.green_kg, "kg", 1))
    ends = tr(", the last one dropped at {:%H:%M}", sheet.at(sheet.plan.done_s)) if batches.rows else ""
    done = (Heading(tr("Done")), _roasted(sheet, units)) if sheet.done else ()
    power = (_used(sheet),) if sheet.used else ()
    said = (Text(f"{total}{ends}."), *(Text(sentence) for sentence in (*sheet.short, *sheet.moves)))
    parts = (*said, batches, _to_weigh(sheet, units), _to_pack(sheet, units), *done, *power)
    return Report(tr("{:%-d %B %Y}", sheet.day), tr("the plan of the day"), parts)


def _to_roast(sheet: DaySheet, units: Units) -> Table:
    rows = tuple(
        (
            tr("{:%H:%M}", sheet.at(block.start_s)),
            block.machine,
            block.share.need.coffee.name,
            block.share.need.lot,
            sheet.plans[block.share.way.plan].name,
            units.text(block.share.load_kg, "kg", 2),
            block.why,
        )
        for block in sheet.plan.batches
        if block.share is not None
    )
    return Table(tr("To roast"), ("at", "machine", "coffee", "lot", "plan", GREEN, tr("why there")), rows, words=5)


def _to_weigh(sheet: DaySheet, units: Units) -> Table:
    rows = tuple(
        (
            row.lot,
            " + ".join(f"{count} x {units.text(load, 'kg', 2)}" for count, load in row.loads),
            units.text(row.kg, "kg", 2),
            units.text(row.on_hand_kg, "kg", 1),
        )
        for row in sheet.weigh
    )
    return Table(tr("To weigh"), ("lot", "loads", "all", tr("on hand")), rows, words=2)


def _to_pack(sheet: DaySheet, units: Units) -> Table:
    rows = tuple(
        (
            entry.order.customer or "–",
            entry.order.coffee,
            packs_text(entry.order.packs) or tr("loose"),
            units.text(entry.order.kg, "kg", 2),
            ", ".join(f"{one.stock.batch} {units.text(one.kg, 'kg', 2)}" for one in entry.from_stock) or "–",
            tr("ready") if entry.ready else tr("{} to roast", units.text(entry.to_roast_kg, "kg", 2)),
        )
        for entry in sheet.pack
    )
    return Table(tr("To pack"), ("for", "coffee", "packs", "weight", "from", "left"), rows, words=3)


def _roasted(sheet: DaySheet, units: Units) -> Table:
    rows = tuple(
        (
            line.label,
            line.lot or "–",
            line.machine or "–",
            line.operator or "–",
            units.text(line.load_kg, "kg", 2),
            units.text(line.roasted_kg, "kg", 2),
            "–" if line.loss is None else tr("{:.1f} %", 100 * line.loss),
        )
        for line in sheet.done[::-1]
    )
    return Table(tr("Roasted"), ("batch", "lot", "machine", WHO, GREEN, "roasted", "loss"), rows, words=4)


def _used(sheet: DaySheet) -> Table:
    rows = tuple(
        (
            one.machine,
            tr("{:g} {}", one.amount, one.unit),
            tr("{:%-d %b, %H:%M}", one.since.astimezone()),
            tr("{:%H:%M}", one.until.astimezone()),
        )
        for one in sheet.used
    )
    return Table(tr("Gas and power"), ("machine", "used", "from", "to"), rows, words=1)


def packs_text(packs: tuple[tuple[int, float], ...]) -> str:
    """``20 x 250 g + 2 x 5 kg``.

    >>> packs_text(((20, 0.25), (2, 5.0)))
    '20 x 250 g + 2 x 5 kg'
    """
    return " + ".join(tr("{} x {:g} g", count, 1000 * kg) if kg < 1.0 else tr("{} x {:g} kg", count, kg) for count, kg in packs)


def day_document(sheet: DaySheet) -> dict[str, Any]:
    """The day as a document; times are local with their offset, weights kilograms."""
    batches = [_batch_document(sheet, block, block.share) for block in sheet.plan.batches if block.share is not None]
    return {
        "day": sheet.day.isoformat(),
        "opens": sheet.at(0.0).isoformat(),
        "done_at": sheet.at(sheet.plan.done_s).isoformat() if sheet.plan.batches else None,
        "batches": batches,
        "weigh": [_weigh_document(row) for row in sheet.weigh],
        "pack": [_pack_document(entry) for entry in sheet.pack],
        "used": [
            {
                "machine": one.machine,
                "amount": one.amount,
                "unit": one.unit,
                "since": one.since.isoformat(),
                "until": one.until.isoformat(),
            }
            for one in sheet.used
        ],
        "short": list(sheet.short),
        "moves": list(sheet.moves),
        "waiting": [one.number for one in sheet.waiting],
    }


def _batch_document(sheet: DaySheet, block: Block, share: Share) -> dict[str, Any]:
    return {
        "machine": block.machine,
        "start": sheet.at(block.start_s).isoformat(),
        "end": sheet.at(block.end_s).isoformat(),
        "coffee": share.need.coffee.name,
        "lot": share.need.lot,
        "plan": share.way.plan,
        "load_kg": round(share.load_kg, 3),
        "expected_kg": round(share.load_kg * (1.0 - share.way.loss.mean), 3),
        "number": block.number,
        "of": share.batches,
        "due": share.need.due.isoformat(),
        "why": block.why,
        "held": block.held,
        "late": block in sheet.plan.late,
    }


def _weigh_document(row: WeighRow) -> dict[str, Any]:
    loads = [{"count": count, "kg": load} for count, load in row.loads]
    return {"lot": row.lot, "loads": loads, "kg": round(row.kg, 3), "on_hand_kg": row.on_hand_kg}


def _pack_document(entry: PackRow) -> dict[str, Any]:
    return {
        "order": entry.order.id,
        "coffee": entry.order.coffee,
        "customer": entry.order.customer,
        "kg": entry.order.kg,
        "from": [{"batch": one.stock.batch, "kg": round(one.kg, 3), "rest": one.rest.value} for one in entry.from_stock],
        "to_roast_kg": entry.to_roast_kg,
    }
