"""The machines of a library: their definition, their log of care and checks, and their fitted models."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Connection, Engine, Row, delete, insert, select, update

from firnel.core.vocabulary import Control, ControlScale, Machine, Probe, Role
from firnel.core.words import tr
from firnel.store.deeds import keep_deed
from firnel.store.rows import aware, new_key, upsert
from firnel.store.tables import machine_log, machine_models, machines
from firnel.store.writing import ChangedMeanwhileError, writing

#: Fields of a machine that are kept together in its details.
DETAILS = (
    "second_crack_c", "tray_litres", "altitude_m", "probes", "fuel", "preheat", "between", "draft_check", "checks",
    "limit_c", "covers_kg", "preheat_low_c", "preheat_high_c", "preheat_s", "care",
)  # fmt: skip


@dataclass(frozen=True)
class LogEntry:
    """One entry of a machine's log: kind (care, probe, seasoning, draft), when, and its figures."""

    kind: str
    at: datetime
    document: Mapping[str, Any]
    id: int | None = None


class MachineBook:
    """Reads and writes the machines of an engine's library."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def all(self) -> list[Machine]:
        """All machines, by name."""
        with self._engine.connect() as connection:
            return [machine_from_row(row) for row in connection.execute(select(machines).order_by(machines.c.name))]

    def save(self, machine: Machine, since: Machine | None = None) -> Machine:
        """Add a machine, or change the one with its id; a taken name returns that machine unchanged.

        Parameters
        ----------
        machine : as it is to be.
        since : as it was read before: then only what differs is changed, and what another has changed meanwhile stays.

        Raises
        ------
        ChangedMeanwhileError : if another has changed the same of it since; nothing is changed then.
        """
        with writing(self._engine) as connection:
            if since is not None and machine.id is not None:
                machine = _with_what_differs(connection, machine, since)
            key = self.save_in(connection, machine)
            return machine_from_row(connection.execute(select(machines).where(machines.c.id == key)).one())

    def save_in(self, connection: Connection, machine: Machine) -> int:
        """`save` inside the caller's transaction; returns the key."""
        values = machine_to_document(machine)
        values["details"] = {name: values.pop(name) for name in DETAILS}
        taken = connection.execute(select(machines.c.id).where(machines.c.name == machine.name)).scalar()
        if taken is None or taken == machine.id:
            keep_deed(
                connection, tr("{} the machine {}", tr("changed") if machine.id is not None else tr("added"), machine.name)
            )
        return int(taken) if taken is not None and taken != machine.id else upsert(connection, machines, machine.id, values)

    def log(self, key: int, kind: str | None = None, struck: bool = False) -> list[LogEntry]:
        """The log of a machine, oldest first; of one kind only if told; or what of it was taken away."""
        query = select(machine_log).where(machine_log.c.machine_id == key, machine_log.c.struck == struck)
        query = query.order_by(machine_log.c.at, machine_log.c.id)
        if kind is not None:
            query = query.where(machine_log.c.kind == kind)
        with self._engine.connect() as connection:
            return [LogEntry(row.kind, aware(row.at), row.document, row.id) for row in connection.execute(query)]

    def add_log(self, key: int, entry: LogEntry) -> int:
        """Write an entry; returns its key."""
        values = {"machine_id": key, "at": entry.at.astimezone(UTC), "kind": entry.kind, "document": dict(entry.document)}
        with writing(self._engine) as connection:
            return new_key(connection.execute(insert(machine_log).values(**values)))

    def strike(self, key: int, struck: bool) -> None:
        """Take an entry away, or bring it back."""
        with writing(self._engine) as connection:
            connection.execute(update(machine_log).where(machine_log.c.id == key).values(struck=struck))

    def model(self, key: int) -> tuple[datetime, Mapping[str, Any]] | None:
        """When the machine's model was made, and its document; None without one."""
        with self._engine.connect() as connection:
            row = connection.execute(select(machine_models).where(machine_models.c.machine_id == key)).one_or_none()
        return (aware(row.made_at), row.document) if row is not None else None

    def save_model(self, key: int, document: Mapping[str, Any], at: datetime | None = None) -> None:
        """Keep a machine's model, made at a moment (now), in place of an older one."""
        with writing(self._engine) as connection:
            connection.execute(delete(machine_models).where(machine_models.c.machine_id == key))
            values = {"machine_id": key, "made_at": (at or datetime.now(UTC)).astimezone(UTC), "document": dict(document)}
            connection.execute(insert(machine_models).values(**values))


def _with_what_differs(connection: Connection, machine: Machine, since: Machine) -> Machine:
    """The machine as it stands in the library, with what a hand has changed of it."""
    row = connection.execute(select(machines).where(machines.c.id == machine.id).with_for_update()).one()
    now = machine_from_row(row)
    there, before, wanted = (machine_to_document(one) for one in (now, since, machine))
    changed = {name: value for name, value in wanted.items() if value != before[name]}
    both = [name.replace("_", " ") for name, value in changed.items() if there[name] not in (before[name], value)]
    if both:
        raise ChangedMeanwhileError(
            tr(
                "Somebody else has changed the {} of {} meanwhile: look at it again.",
                tr(" and the ").join(both[:3]),
                since.name,
            )
        )
    return replace(machine_from_document(there | changed), id=machine.id)


def machine_from_row(row: Row[Any]) -> Machine:
    """A machine from its row."""
    values = dict(row._mapping)
    return machine_from_document(values | values.pop("details"))


def machine_to_document(machine: Machine) -> dict[str, Any]:
    """A machine as plain values; its key in the library is left out."""
    values = {key: value for key, value in asdict(machine).items() if key != "id"}
    values["controls"] = {str(control): asdict(scale) for control, scale in machine.controls.items()}
    return values


def machine_from_document(document: Mapping[str, Any]) -> Machine:
    """A machine from plain values.

    Raises
    ------
    ValueError : if the document is no machine; the message names what is wrong.
    """
    values = dict(document)
    try:
        values["controls"] = {Control(name): _scale_from(scale) for name, scale in values.get("controls", {}).items()}
        values["probes"] = tuple(Probe(**probe) for probe in values.get("probes", ()))
        values.pop("heaters", None)  # bare names, in earlier versions
        return Machine(**values)
    except (TypeError, AttributeError) as error:
        raise ValueError(tr("This is no machine: {}.", error)) from error


def _scale_from(scale: Mapping[str, Any]) -> ControlScale:
    role = scale.get("role")
    return ControlScale(**{**scale, "role": Role(role) if role else None})
