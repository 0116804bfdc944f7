"""The logs of two gas machines that the simulator is not (`tests/logs`), as a roaster would have written them down."""

import csv
from dataclasses import replace
from pathlib import Path

from firnel.core.model.logged import LoggedBatch, logged_batch
from firnel.core.vocabulary import Control, ControlScale, Lot, Machine, Mark, MarkKind
from firnel.exchange.csv_log import ImportWishes, read_csv_log

LOGS = Path(__file__).parents[1] / "tests" / "logs"
MARKS = {
    MarkKind.CHARGE: "charge_s",
    MarkKind.YELLOW: "yellow_s",
    MarkKind.FIRST_CRACK: "first_crack_s",
    MarkKind.DROP: "drop_s",
}
SHARED = {Control.AIRFLOW: ControlScale("%", 0, 100, 1), Control.DRUM: ControlScale("rpm", 0, 80, 1)}
MACHINES = {
    "north": Machine("north", "", "gas", 2.5, 2.0, {Control.GAS: ControlScale("kPa", 0, 5.0, 0.0625), **SHARED}),
    "south": Machine("south", "", "gas", 1.0, 0.8, {Control.GAS: ControlScale("mbar", 0, 10.0, 0.125), **SHARED}),
}


def logs_of(machine: str) -> list[LoggedBatch]:
    """All batches of one of the two machines, in order."""
    batches = []
    with (LOGS / "batches.csv").open() as file:
        rows = [row for row in csv.DictReader(file) if row["machine"] == machine]
    for row in rows:
        record = read_csv_log(LOGS / f"{row['file']}.csv", ImportWishes()).record
        marks = tuple(Mark(kind, float(row[name]), record.trace.bean_at(float(row[name]))) for kind, name in MARKS.items())
        record = replace(
            record,
            label=row["file"],
            lot=row["file"],
            marks=marks,
            load_kg=float(row["green_kg"]),
            roasted_kg=float(row["roasted_kg"]),
            room_c=float(row["room_c"]),
            colour_ground=float(row["colour_ground"]),
        )
        lot = Lot(
            row["file"],
            process=row["process"],
            moisture=float(row["moisture_wet_basis"]),
            density_g_per_l=float(row["density_g_per_l"]),
        )
        batches.append(logged_batch(record, MACHINES[machine], lot, int(row["batch_of_day"])))
    return batches
