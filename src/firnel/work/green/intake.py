"""Green intake as the roaster does it: measure, count stock, see a lot's whole sheet, take lots in and out as tables."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any

from firnel.core.green.age import Age, age_of
from firnel.core.green.handling import Handling, HouseRules, PastBatch, handling, likeness, usual_charge, with_rule
from firnel.core.green.measurements import (
    DEFECTS,
    MeasurementError,
    bulk_density,
    check_moisture,
    check_water_activity,
    count_defects,
    density_class,
    screen_sizes,
)
from firnel.core.vocabulary import Lot, Machine, MarkKind
from firnel.core.words import as_number, tr
from firnel.exchange.errors import ImportRefusedError
from firnel.exchange.lot_tables import read_lots, write_lots
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.store.lot_book import Measurement

__all__ = [
    "DEFECTS",
    "RULES",
    "HouseRules",
    "ImportRefusedError",
    "LotSheet",
    "Measurement",
    "MeasurementError",
    "house_rules",
    "keep_house_rules",
    "lot_sheet",
    "measure",
    "read_figures",
    "strike_measurement",
    "take_in_lots",
    "write_out_lots",
]

#: How many of its own and of like lots' batches are looked at for handling.
MOST_PAST = 12


@dataclass(frozen=True)
class Measured:
    """One measurement in words: its key, when, what, the result, and whether it was taken away."""

    key: int
    at: datetime
    what: str
    words: str
    struck: bool


@dataclass(frozen=True)
class LotSheet:
    """All that is known of a lot, ready to be shown."""

    lot: Lot
    age: Age | None
    measured: tuple[Measured, ...]  #: newest first, also what was taken away
    words: tuple[str, ...]  #: on moisture, water activity, age and stock
    handling: Handling | None
    machine: str
    differs: tuple[str, ...]  #: from the lot it replaces


def measure(library: Library, lot: Lot, kind: str, figures: Mapping[str, Any], at: datetime | None = None) -> tuple[Lot, str]:
    """Keep a measurement of a lot; the lot's own figures follow the newest one. Returns the lot and the result in words.

    Parameters
    ----------
    kind : ``density`` (masses_g, vessel_ml), ``moisture`` (share), ``water_activity`` (value), ``screens`` (masses_g by
        size), or ``defects`` (beans by kind, sample_g).
    figures : as typed, in these units.
    at : when; now if None.

    Raises
    ------
    MeasurementError : for a figure that cannot be; the message says which.
    """
    if lot.id is None:
        raise MeasurementError(tr("this lot is not in the library yet."))
    words, summary = worked_out(kind, figures)
    measurement = Measurement(kind, at or datetime.now(UTC), {**figures, "words": words})
    library.lot_book.add_measurement(lot.id, measurement, summary)
    return next(known for known in library.lots() if known.id == lot.id), words


def strike_measurement(library: Library, lot: Lot, key: int, struck: bool) -> Lot:
    """Take a measurement away, or bring it back; the lot's own figures follow the newest that is left."""
    if lot.id is None:
        raise MeasurementError(tr("this lot is not in the library yet."))
    known = {m.id: m for gone in (False, True) for m in library.lot_book.measurements(lot.id, struck=gone)}
    of = known.get(key)
    if of is None:
        raise MeasurementError(tr("there is no such measurement."))
    standing = [m for m in library.lot_book.measurements(lot.id) if m.kind == of.kind and m.id != key]
    if not struck:
        standing = sorted([*standing, of], key=lambda m: m.taken_at)
    summary = worked_out(of.kind, of.document)[1]
    newest = worked_out(of.kind, standing[-1].document)[1] if standing else dict.fromkeys(summary)
    library.lot_book.strike(key, struck, newest)
    return next(one for one in library.lots() if one.id == lot.id)


def worked_out(kind: str, figures: Mapping[str, Any]) -> tuple[str, dict[str, float | None]]:
    """The result of a measurement in words, and what follows for the lot: its field and value."""
    if kind == "density":
        density = bulk_density(figures["masses_g"], figures["vessel_ml"])
        spread = (
            tr(", ± {:.0f} over {} fills", density.spread, density.fills) if density.spread is not None else tr(", one fill")
        )
        return tr("{:.0f} g/L{}: {}", density.g_per_l, spread, density.kind), {"density_g_per_l": density.g_per_l}
    if kind == "moisture":
        word = check_moisture(figures["share"])
        return tr("{:.1f} %: {}", 100 * figures["share"], word), {"moisture": figures["share"]}
    if kind == "water_activity":
        word = check_water_activity(figures["value"])
        return tr("{:.2f}: {}", figures["value"], word), {"water_activity": figures["value"]}
    if kind == "screens":
        sizes = screen_sizes({int(size): float(mass) for size, mass in figures["masses_g"].items()})
        main = tr("{:.0f} % on {} and {}", 100 * sizes.main_share, sizes.main[0], sizes.main[1])
        return tr("{:.1f} mm in the mean, {}", sizes.mean_mm, main), {"mean_mm": sizes.mean_mm}
    if kind == "defects":
        count = count_defects(figures["beans"], figures["sample_g"])
        return f"{count.grade}: {count.why}", {}
    raise MeasurementError(tr("{!r} is no measurement.", kind))


def read_figures(kind: str, typed: str, beside: float | None = None) -> dict[str, Any]:
    """The figures of a measurement as they are typed on one line.

    Parameters
    ----------
    kind : as in `measure`.
    typed : density: grams of each fill; moisture: per cent; water activity; screens: ``15:20 16:85``; defects: ``broken 6,
        shell 3``, the first letters are enough.
    beside : vessel [mL] for density, sample [g] for defects.

    Raises
    ------
    MeasurementError : for what is not understood.

    Examples
    --------
    >>> read_figures("density", "182,0 181.5", 250.0)
    {'masses_g': [182.0, 181.5], 'vessel_ml': 250.0}
    >>> read_figures("defects", "broken 6, partial s 3", 350.0)["beans"]
    {'broken, chipped or cut': 6, 'partial sour': 3}
    """
    if not typed.strip():
        raise MeasurementError(tr("nothing is typed yet."))
    if kind == "defects":
        return {"beans": _read_defects(typed), "sample_g": beside or 350.0}
    if kind == "screens":
        pairs = re.findall(r"(\d+)\s*[:=]\s*(\d+(?:[.,]\d+)?)", typed)
        if not pairs:
            raise MeasurementError(tr("type screens as size:grams, as in 15:20 16:85 17:140."))
        return {"masses_g": {size: float(mass.replace(",", ".")) for size, mass in pairs}}
    try:
        figures = [as_number(part) for part in re.split(r"[\s;]+", typed.strip())]
    except ValueError:
        raise MeasurementError(tr("{!r} is no figure.", typed)) from None
    if kind == "density":
        if beside is None:
            raise MeasurementError(tr("how many millilitres does the vessel hold?"))
        return {"masses_g": figures, "vessel_ml": beside}
    return {"share": figures[0] / 100.0} if kind == "moisture" else {"value": figures[0]}


def _read_defects(typed: str) -> dict[str, int]:
    beans: dict[str, int] = {}
    for part in re.split(r"[,;\n]+", typed):
        found = re.fullmatch(r"\s*([a-z ]+?)\s+(\d+)\s*", part.lower())
        if found is None:
            raise MeasurementError(tr("{!r}: type a kind and a count, as in broken 6, shell 3.", part.strip()))
        names = [kind.name for kind in DEFECTS if kind.name.startswith(found[1])]
        names = names or [kind.name for kind in DEFECTS if found[1] in kind.name]
        if len(names) != 1:
            said = tr(" or ").join(names) if names else tr("no kind in the table")
            raise MeasurementError(tr("{!r} is {}.", found[1], said))
        beans[names[0]] = beans.get(names[0], 0) + int(found[2])
    return beans


#: Words for the rules of the house, in the order in which they are shown.
RULES = {
    "dense": tr("Dense, above 720 g/L"),
    "soft": tr("Low density, below 680 g/L"),
    "natural": tr("Natural or anaerobic"),
    "altered": tr("Decaffeinated or wet-hulled"),
    "dry": tr("Dry, below 9 %"),
    "moist": tr("Moist, above 12 %"),
    "high_grown": tr("Grown at 1700 m or higher"),
    "low_grown": tr("Grown below 1200 m"),
    "small": tr("Small beans, below 5.8 mm"),
    "large": tr("Very large beans, above 7.2 mm"),
    "old": tr("Fading or past crop"),
}


def house_rules(library: Library) -> HouseRules:
    """The rules of the house: the usual ones, changed as it has decided."""
    rules = HouseRules()
    for name, (charge_c, heat) in library.house("handling").items():
        rules = with_rule(rules, name, charge_c, heat)
    return rules


def keep_house_rules(library: Library, changed: Mapping[str, tuple[float, float]]) -> None:
    """Keep rules: by name the shift of the charge [degC] and of the early heat [share].

    Raises
    ------
    ValueError : for a rule that there is not, or that is too much.
    """
    rules = HouseRules()
    for name, (charge_c, heat) in changed.items():
        rules = with_rule(rules, name, charge_c, heat)
    library.save_house("handling", {name: list(pair) for name, pair in changed.items()})


#: How the kinds of measurements are told.
KIND_WORDS = {
    "density": tr("density"), "moisture": tr("moisture"), "water_activity": tr("water activity"), "screens": tr("screens"),
    "defects": tr("defects"),
}  # fmt: skip


def lot_sheet(library: Library, lot: Lot, machine: Machine | None, today: date) -> LotSheet:
    """Work out the sheet of a lot, with handling advice for a machine by the rules of the house."""
    age = age_of(lot.harvest, lot.arrival, today)
    taken = library.lot_book.measurements(lot.id) if lot.id is not None else []
    away = library.lot_book.measurements(lot.id, struck=True) if lot.id is not None else []
    told = [(m, False) for m in taken] + [(m, True) for m in away]
    measured = tuple(
        Measured(m.id or 0, m.taken_at, KIND_WORDS.get(m.kind, m.kind), str(m.document.get("words", "")), struck)
        for m, struck in sorted(told, key=lambda pair: pair[0].taken_at, reverse=True)
    )
    advice = None
    if machine is not None:
        past, charges = _past_batches(library, lot, machine)
        advice = handling(lot, machine, past, age, lot.mean_mm, house_rules(library), usual_charge(charges))
    return LotSheet(
        lot,
        age,
        measured,
        (*_words(lot, age), *_drying_out(taken)),
        advice,
        machine.name if machine else "",
        _differs(library, lot),
    )


def _words(lot: Lot, age: Age | None) -> tuple[str, ...]:
    said = []
    if age is not None and age.warning:
        said.append(f"{age.words}: {age.warning}.")
    if lot.moisture is not None and (word := check_moisture(lot.moisture)) != tr("usual"):
        said.append(tr("Moisture {:.1f} %: {}.", 100 * lot.moisture, word))
    if lot.water_activity is not None and (word := check_water_activity(lot.water_activity)) != tr("safe to store"):
        said.append(tr("Water activity {:.2f}: {}.", lot.water_activity, word))
    return tuple(said)


def _drying_out(taken: Sequence[Measurement]) -> tuple[str, ...]:
    moistures = [(m.taken_at, float(m.document["share"])) for m in taken if m.kind == "moisture"]
    if len(moistures) < 2:
        return ()
    (first_at, first), (last_at, last) = moistures[0], moistures[-1]
    days = (last_at - first_at).days
    if days < 7 or abs(last - first) < 0.003:
        return ()
    way = tr("dried out") if last < first else tr("taken up water")
    return (tr("In store it has {}: {:.1f} to {:.1f} % in {} days.", way, 100 * first, 100 * last, days),)


def _past_batches(library: Library, lot: Lot, machine: Machine) -> tuple[list[PastBatch], list[float]]:
    """Batches of this and like lots on the machine, the most like first; and the charges of all its recent batches [degC]."""
    lots = {known.name: known for known in library.lots()}
    lines = library.batch_lines(BatchFilter(machine_id=machine.id, statuses=("done", "dropped"), counting=True), limit=40)
    readings = library.mark_readings([line.id for line in lines], MarkKind.CHARGE)
    past, charges = [], []
    for line in lines:
        charge = readings.get(line.id)
        if charge is None:
            continue
        charges.append(charge)
        alike = likeness(lot, lots[line.lot]) if line.lot in lots else 0.0
        if alike > 0.0:
            past.append(PastBatch(line.label, alike, charge, line.load_kg))
    past.sort(key=lambda batch: -batch.likeness)
    return past[:MOST_PAST], charges


def _differs(library: Library, lot: Lot) -> tuple[str, ...]:
    before = next((known for known in library.lots() if known.name == lot.replaces), None) if lot.replaces else None
    if before is None:
        return ()
    said = []
    if before.process != lot.process:
        said.append(tr("{} where that was {}", lot.process or tr("process not told"), before.process or tr("not told")))
    figures = (
        (lot.density_g_per_l, before.density_g_per_l, 8.0, "g/L", "denser", "softer", 1.0),
        (lot.moisture, before.moisture, 0.004, "points", "moister", "drier", 100.0),
        (lot.altitude_m, before.altitude_m, 100.0, "m", tr("higher grown"), tr("lower grown"), 1.0),
        (lot.mean_mm, before.mean_mm, 0.2, "mm", "larger", "smaller", 1.0),
    )
    for new, old, least, unit, more, less, by in figures:
        if new is not None and old is not None and abs(new - old) >= least:
            digits = 0 if unit in ("g/L", "m") else 1
            said.append(tr("{} by {:.{}f} {}", more if new > old else less, by * abs(new - old), digits, unit))
    if lot.density_g_per_l and before.density_g_per_l:
        one, other = density_class(lot.density_g_per_l), density_class(before.density_g_per_l)
        if one != other:
            said.append(tr("{} density where that was {}", one, other))
    return tuple(said) or (tr("nothing that matters was measured to differ"),)


def take_in_lots(library: Library, path: Path) -> tuple[int, int, tuple[str, ...]]:
    """Take in lots from a table: how many are new, how many were changed, and what is to be said.

    Raises
    ------
    ImportRefusedError : if the file is no table of lots.
    """
    taken = read_lots(path)
    known = {lot.name: lot for lot in library.lots()}
    new = changed = 0
    for lot in taken.lots:
        before = known.get(lot.name)
        if before is None:
            library.save_lot(lot)
            new += 1
            continue
        told = {name: value for name, value in vars(lot).items() if value not in ("", None, False) and name != "on_hand_kg"}
        library.save_lot(replace(before, **told), before)
        if lot.on_hand_kg is not None and before.id is not None and lot.on_hand_kg != before.on_hand_kg:
            library.lot_book.count(before.id, lot.on_hand_kg)
        changed += 1
    return new, changed, taken.said


def write_out_lots(library: Library, path: Path) -> int:
    """Write all lots as a table; returns how many.

    Raises
    ------
    OSError : if the file cannot be written.
    """
    lots = library.lots()
    write_lots(lots, path)
    return len(lots)
