"""The logs of seven machines that the simulator is not (tests/logs), as a roaster would have written them down."""

import csv
from dataclasses import replace
from functools import cache
from pathlib import Path

from firnel.core.model.fitting import identify
from firnel.core.model.learning import MachineModel, model_from
from firnel.core.model.logged import LoggedBatch, logged_batch
from firnel.core.vocabulary import BatchRecord, Control, ControlScale, Lot, Machine, Mark, MarkKind
from firnel.exchange.csv_log import read_csv_log

LOGS = Path(__file__).parent / "logs"
MARKS = {
    MarkKind.CHARGE: "charge_s",
    MarkKind.YELLOW: "yellow_s",
    MarkKind.FIRST_CRACK: "first_crack_s",
    MarkKind.DROP: "drop_s",
}
SHARED = {Control.AIRFLOW: ControlScale("%", 0, 100, 1), Control.DRUM: ControlScale("rpm", 0, 80, 1)}
MACHINES = {
    "north": Machine("north", "own", "gas", 2.5, 2.0, {Control.GAS: ControlScale("kPa", 0, 5.0, 0.0625), **SHARED}),
    "south": Machine("south", "own", "gas", 1.0, 0.8, {Control.GAS: ControlScale("mbar", 0, 10.0, 0.125), **SHARED}),
}

#: The other five, with which the benches go on: stated load [kg], kind of heat, scale of the gauge.
MACHINES |= {
    name: Machine(name, "own", heat, stated, 0.8 * stated, {Control.GAS: scale, **SHARED})
    for name, heat, stated, scale in (
        ("west", "gas", 0.5, ControlScale("kPa", 0, 3.5, 0.04375)),
        ("east", "gas", 3.0, ControlScale("inH2O", 0, 10.0, 0.125)),
        ("mill", "gas", 10.0, ControlScale("mbar", 0, 20.0, 0.25)),
        ("tower", "gas", 30.0, ControlScale("kPa", 0, 5.0, 0.0625)),
        ("harbour", "electric", 1.0, ControlScale("%", 0, 100.0, 1.0)),
    )
}


@cache
def rows() -> tuple[dict[str, str], ...]:
    with (LOGS / "batches.csv").open() as file:
        return tuple(csv.DictReader(file))


def row_of(name: str) -> dict[str, str]:
    return next(row for row in rows() if row["file"] == name)


@cache
def fitted_to(name: str, count: int) -> MachineModel:
    """A machine as its first batches show it, without a score; fitted once for all tests of one process."""
    batches, machine = batches_of(name)[:count], MACHINES[name]
    return model_from(identify(batches, machine.useful_load_kg, machine.heat_kinds), batches)


@cache
def record_of(name: str) -> BatchRecord:
    """One log with its marks, weights and colours."""
    row = row_of(name)
    record = read_csv_log(LOGS / f"{name}.csv").record
    marks = tuple(Mark(kind, float(row[key]), record.trace.bean_at(float(row[key]))) for kind, key in MARKS.items())
    return replace(
        record,
        label=name,
        lot=name,
        machine=row["machine"],
        marks=marks,
        load_kg=float(row["green_kg"]),
        roasted_kg=float(row["roasted_kg"]),
        room_c=float(row["room_c"]),
        colour_ground=float(row["colour_ground"]),
    )


def lot_of(name: str) -> Lot:
    row = row_of(name)
    moisture, density = float(row["moisture_wet_basis"]), float(row["density_g_per_l"])
    return Lot(name, process=row["process"], moisture=moisture, density_g_per_l=density)


@cache
def batches_of(machine: str) -> tuple[LoggedBatch, ...]:
    """All batches of one of the machines on the model's grid."""
    names = [row["file"] for row in rows() if row["machine"] == machine]
    return tuple(
        logged_batch(record_of(name), MACHINES[machine], lot_of(name), int(row_of(name)["batch_of_day"])) for name in names
    )
