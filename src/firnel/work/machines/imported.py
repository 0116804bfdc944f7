"""A machine that a log comes from, and that nobody has defined yet: its scales as far as the log shows them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from firnel.core.model.logged import GLITCHES
from firnel.core.units import linear_map
from firnel.core.vocabulary import BatchRecord, Control, ControlScale, Machine, Role, usual_role
from firnel.core.words import tr
from firnel.exchange.errors import ImportRefusedError
from firnel.store.library import Library

KIND = "imported"
#: Readings up to this much beyond the end of a scale are the gauge's own error. [1]
BEYOND = 1.02
#: Units in which no gas is set.
ELECTRIC_UNITS = ("kW", "W", "A", "V")
#: Tops of gauges and dials, the next of which holds what was seen.
_TOPS = tuple(top * scale for scale in (0.1, 1.0, 10.0, 100.0) for top in (1.0, 1.5, 2.0, 2.5, 4.0, 5.0, 6.0, 8.0))


@dataclass(frozen=True)
class Placed:
    """A log on the machine that it comes from: None where nobody told; the record on its scales; and what to say."""

    machine: Machine | None
    record: BatchRecord
    said: tuple[str, ...] = ()


def placed(library: Library, record: BatchRecord, units: Mapping[Control, str]) -> Placed:
    """An imported log with its machine as it is to be kept: new, or widened where it came from logs.

    Raises
    ------
    ImportRefusedError : if the load is more than a machine that is known takes.
    """
    if not record.machine:
        return Placed(None, record)
    known = next((machine for machine in library.machines() if machine.name == record.machine), None)
    load, said = record.load_kg or 0.0, list[str]()
    if known is not None:
        record, said = on_scales(record, known, units)
        units = {**units, **{control: scale.unit for control, scale in known.controls.items()}}
    if known is not None and known.kind != KIND:
        if load > known.stated_load_kg:
            raise ImportRefusedError(
                tr("A load of {:g} kg is more than {} takes ({:g} kg).", load, known.name, known.stated_load_kg)
            )
        said += [words for words in (_not_told(record, known), *_beyond(record, known)) if words]
        return Placed(known, record, tuple(said))
    before = known or Machine(record.machine, KIND, "gas", 0.0, 0.0)
    seen = {c: scale for c in record.trace.controls if (scale := _scale(record, c, units.get(c))) is not None}
    either = dict.fromkeys([*before.controls, *seen])
    controls = {control: _wider(before.controls.get(control), seen.get(control)) for control in either}
    machine = replace(
        before,
        heat=before.heat if known is not None else _heat_of(controls),
        controls={control: scale for control, scale in controls.items() if scale is not None},
        useful_load_kg=max(before.useful_load_kg, load),
        stated_load_kg=max(before.stated_load_kg, round(1.25 * load, 2)),
    )
    if known is None:
        said.append(tr("machine {} was added with the scales that the log shows; look at them in Machines", machine.name))
    return Placed(machine, record, tuple(said))


def on_scales(record: BatchRecord, machine: Machine, units: Mapping[Control, str]) -> tuple[BatchRecord, list[str]]:
    """A log with its controls in the units of the machine's scales, as far as its headings tell others; and what to say."""
    said, columns, moves = list[str](), dict(record.trace.controls), list(record.moves)
    for control, scale in machine.controls.items():
        unit = units.get(control, scale.unit)
        if unit == scale.unit or control not in columns:
            continue
        word = machine.word(control)
        try:
            factor, offset = linear_map(unit, scale.unit)
        except ValueError:
            other = tr(
                "{} is in {} here, and in {} on {}: is it the log of another machine?", word, unit, scale.unit, machine.name
            )
            said.append(other)
            continue
        columns[control] = np.round(factor * columns[control] + offset, 6)
        moves = [replace(move, to=round(factor * move.to + offset, 6)) if move.control == control else move for move in moves]
        said.append(tr("{} turned from {} into {}, as {} has it", word, unit, scale.unit, machine.name))
    return replace(record, trace=replace(record.trace, controls=columns), moves=tuple(moves)), said


def _beyond(record: BatchRecord, machine: Machine) -> list[str]:
    """Which controls were set beyond the end of their scales: no plan would go there."""
    said = []
    for control, scale in machine.controls.items():
        values = record.trace.control(control)
        values = values[np.isfinite(values)]
        if values.size and float(np.mean(values > BEYOND * scale.high)) > GLITCHES:
            said.append(
                tr(
                    "{} goes to {:.4g} {}, beyond {:g}, where its scale on {} ends: put the scale right in Machines",
                    machine.word(control),
                    float(values.max()),
                    scale.unit,
                    scale.high,
                    machine.name,
                )  # fmt: skip
            )
    return said


def _not_told(record: BatchRecord, machine: Machine) -> str:
    """Which sources of heat of the machine its log does not tell of: without them nothing is learned from it."""
    told = {control for control, values in record.trace.controls.items() if np.isfinite(values).any()}
    lacking = [control for control in machine.of(Role.HEAT) if control not in told]
    if not lacking:
        return ""
    words = ", ".join(machine.word(control) for control in lacking)
    return tr("no column is read as the {} of {}: tell it among the columns, as {}=HEADING", words, machine.name, lacking[0])


def _heat_of(controls: Mapping[Control, ControlScale | None]) -> str:
    """Electric where the heat goes by watts, or there are heaters by name; gas otherwise: a valve reads in anything."""
    for control, scale in controls.items():
        if scale is None or usual_role(control) is not Role.HEAT:
            continue
        if control != Control.GAS or scale.unit in ELECTRIC_UNITS:
            return "electric"
    return "gas"


def _scale(record: BatchRecord, control: Control, unit: str | None) -> ControlScale | None:
    values = record.trace.control(control)
    values = values[np.isfinite(values)]
    if not values.size:
        return None
    unit = unit or {Control.GAS: "kPa", Control.DRUM: "rpm"}.get(control, "%")
    most = float(values.max())
    top = 100.0 if unit == "%" else next((top for top in _TOPS if top >= most - 1e-9), most)
    steps = np.diff(np.unique(values.round(4)))
    step = float(steps.min()) if steps.size else (1.0 if unit in ("%", "rpm") else top / 50.0)
    return ControlScale(unit, 0.0, top, round(step, 4))


def _wider(before: ControlScale | None, seen: ControlScale | None) -> ControlScale | None:
    if before is None or seen is None:
        return before or seen
    return replace(before, high=max(before.high, seen.high), step=min(before.step, seen.step))
