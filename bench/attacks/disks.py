"""A disk that fills, and clears or stays full, at every place where something is written: what was told is what is so."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from conftest import make_record
from made import reading
from sqlalchemy import event

from attacks.files import Found
from firnel.core.plan import Plan
from firnel.core.vocabulary import Control, Lot, MarkKind
from firnel.devices.clock import Clock
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.work.bench.results import Results
from firnel.work.day import queue
from firnel.work.desk import Desk, machine_of_kind
from firnel.work.green.intake import measure
from firnel.work.machines.care import note_done
from firnel.work.review.records import ImportWishes, import_file, refusal_of
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.roast.lookout import not_at_all
from firnel.work.settings import Settings


@dataclass
class Disk:
    """The disk under a library: full or not. SQLite then says what it says on a full one, "database or disk is full"."""

    library: Library
    full: bool = False

    def __post_init__(self) -> None:
        event.listen(self.library.engine, "before_cursor_execute", self._before)

    def _before(self, connection, cursor, statement, *_rest) -> None:  # type: ignore[no-untyped-def]
        pages = cursor.execute("PRAGMA page_count").fetchone()[0]
        cursor.execute(f"PRAGMA max_page_count = {pages if self.full else 1_000_000}")


class Roastery:
    """One desk on a library whose disk can fill, fed with a batch."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.now = [1000.0]
        self.library = Library(folder / "library.sqlite")
        self.machine = self.library.save_machine(machine_of_kind("Drum Six", "gas-6"))
        self.lot = self.library.save_lot(Lot("Rwanda Isuka"))
        self.plan = self.library.save_plan(Plan("test", "Drum Six", "Rwanda Isuka", 5.0))
        self.disk = Disk(self.library)
        self.desk = Desk(
            self.library, Settings(), lambda call: call(), clock=Clock(lambda: self.now[0]), spill_at=folder / "spill"
        )
        self.desk.look_by(not_at_all)
        self.desk.session.set_machine(self.machine)
        self.record, self.fed = make_record(), 0

    def prepare(self) -> None:
        self.desk.prepare(BatchOrder(self.lot, self.machine, self.plan, 5.0))
        self.fed = 0

    def feed(self, until: int) -> None:
        trace = self.record.trace
        for index in range(self.fed, until):
            self.now[0] += 1.0
            self.desk.take_reading(
                reading(
                    self.now[0], float(trace.bean[index]), float(trace.air[index]), float(trace.control(Control.GAS)[index])
                )
            )
        self.fed = max(self.fed, until)

    def roast(self, until: MarkKind) -> None:
        for kind, at in ((MarkKind.CHARGE, 62), (MarkKind.YELLOW, 340), (MarkKind.FIRST_CRACK, 600), (MarkKind.DROP, 700)):
            self.feed(at)
            if kind not in self.desk.session.marks:
                self.desk.session.mark(kind, self.now[0])
            if kind is until:
                return

    def end(self) -> str:
        return self.desk.shut_down()


def _roast(roastery: Roastery, full_at: MarkKind | None) -> None:
    """A whole batch; the disk fills at a mark, or before it is prepared where there is none."""
    if full_at is None:
        roastery.disk.full = True
    roastery.prepare()
    for kind in (MarkKind.CHARGE, MarkKind.YELLOW, MarkKind.FIRST_CRACK, MarkKind.DROP):
        roastery.roast(kind)
        if kind is full_at:
            roastery.disk.full = True
    roastery.feed(715)


def _at(kind: MarkKind | None) -> Callable[[Roastery], None]:
    return lambda roastery: _roast(roastery, kind)


def _weigh(roastery: Roastery) -> None:
    _roast(roastery, MarkKind.SECOND_CRACK)  # never reached
    roastery.disk.full = True
    roastery.desk.weigh(Results(4.3, 66.0, None, "good"))
    # What fits into the pages there are is saved on a full disk too: then it must be there.
    if roastery.desk.session.message.endswith("is saved.") and not any(
        line.roasted_kg == 4.3 for line in roastery.library.batch_lines(BatchFilter())
    ):
        raise AssertionError("it was called saved, and is not")


def _next(roastery: Roastery) -> None:
    _roast(roastery, MarkKind.SECOND_CRACK)
    roastery.disk.full = True
    roastery.prepare()


#: Places where a batch is under way: its record must be whole afterwards, wherever it was kept meanwhile.
BATCH_PLACES: dict[str, Callable[[Roastery], None]] = {
    "preparing": _at(None), "charge": _at(MarkKind.CHARGE), "yellow": _at(MarkKind.YELLOW),
    "first crack": _at(MarkKind.FIRST_CRACK), "drop": _at(MarkKind.DROP), "weigh-in": _weigh, "preparing the next": _next,
}  # fmt: skip


def _import(roastery: Roastery) -> None:
    from firnel.exchange.csv_log import write_csv_log

    path = roastery.folder / "log.csv"
    path.write_text(write_csv_log(make_record()))
    import_file(roastery.library, path, ImportWishes(lot="another lot"))


#: Places where one thing is written: it is there, or it was told that it is not.
PLACES: dict[str, tuple[Callable[[Roastery], object], Callable[[Roastery], bool]]] = {
    "lot": (lambda r: r.library.save_lot(Lot("x" * 200)), lambda r: any(lot.name == "x" * 200 for lot in r.library.lots())),
    "machine": (
        lambda r: r.library.save_machine(machine_of_kind("y" * 190, "gas-6")),
        lambda r: any(one.name == "y" * 190 for one in r.library.machines()),
    ),
    "plan": (
        lambda r: r.library.save_plan(Plan("z", remark="w" * 9000)), lambda r: any(p.name == "z" for p in r.library.plans())
    ),
    "version": (
        lambda r: r.library.save_plan(Plan("test", remark="w" * 9000, id=r.plan.id)),
        lambda r: len(r.library.plan_book.versions(r.plan.id or 0)) > 1,
    ),
    "queue": (lambda r: queue.add(r.library, r.plan, 60), lambda r: len(queue.queue(r.library)) == 60),
    "measurement": (
        lambda r: [measure(r.library, r.lot, "moisture", {"share": 0.11}) for _ in range(60)],
        lambda r: len(r.library.lot_book.measurements(r.lot.id or 0)) == 60,
    ),
    "care": (
        lambda r: [note_done(r.library, r.machine, "probe") for _ in range(80)],
        lambda r: len(r.library.machine_book.log(r.machine.id or 0)) == 80,
    ),
    "draft": (
        lambda r: r.library.draft_book.keep("plan", {"much": "v" * 20_000}),
        lambda r: r.library.draft_book.read("plan") is not None,
    ),
    "house": (lambda r: r.library.save_house("a", {"much": "v" * 20_000}), lambda r: bool(r.library.house("a"))),
    "model": (
        lambda r: r.library.machine_book.save_model(r.machine.id or 0, {"much": "v" * 20_000}),
        lambda r: r.library.machine_book.model(r.machine.id or 0) is not None,
    ),
    "import": (_import, lambda r: r.library.batch_list.count(BatchFilter()) == 1),
    "record": (
        lambda r: r.library.add_record(make_record()), lambda r: r.library.batch_list.count(BatchFilter()) == 1
    ),
    "batch row": (
        lambda r: [r.library.new_batch(None, None, None, 5.0, datetime.now(UTC)) for _ in range(100)],
        lambda r: r.library.batch_list.count(BatchFilter()) == 100,
    ),
}  # fmt: skip


def attack_disks(folder: Path, short: bool) -> Found:
    """Every place twice: the disk clears again while Firnel runs, and it stays full until the next start."""
    found = Found()
    some = ("preparing", "first crack", "weigh-in") if short else tuple(BATCH_PLACES)
    for name, act in ((name, BATCH_PLACES[name]) for name in some):
        for clears in (True, False):
            here = folder / f"{name}-{clears}".replace(" ", "-")
            here.mkdir()
            _batch_place(name, act, clears, here, found)
            shutil.rmtree(here)
    for name, (write, is_there) in PLACES.items():
        here = folder / name.replace(" ", "-")
        here.mkdir()
        _one_place(name, write, is_there, here, found)
        shutil.rmtree(here)
    return found


def _batch_place(name: str, act: Callable[[Roastery], None], clears: bool, folder: Path, found: Found) -> None:
    where = f"{name}, {'cleared' if clears else 'stays full'}"
    roastery = Roastery(folder)
    try:
        act(roastery)
    except Exception as error:
        found.fail(f"{where}: {type(error).__name__}: {str(error)[:150]}")
    if clears:
        roastery.disk.full = False
    told = roastery.end()
    if clears and told:
        found.fail(f"{where}: at the end it said {told!r}")
    again = Library(folder / "library.sqlite")
    desk = Desk(again, Settings(), lambda call: call(), spill_at=folder / "spill")
    said = desk.recover().said
    if bool(told) != bool(said):  # what lies beside the settings was told, and what was told lies there
        found.fail(f"{where}: at the end it said {told!r}, at the next start {said}")
    lines = [line for line in again.batch_lines(BatchFilter()) if line.status != "discarded"]
    if len(lines) != 1:
        found.fail(f"{where}: {len(lines)} batches")
    else:
        kept = again.batch(lines[0].id)
        marks = {mark.kind for mark in kept.marks}
        if kept.trace.t.size != 715 or not {MarkKind.CHARGE, MarkKind.YELLOW, MarkKind.FIRST_CRACK, MarkKind.DROP} <= marks:
            found.fail(f"{where}: {kept.trace.t.size} of 715 readings, {sorted(marks)}")
        if not any(move.control == Control.GAS for move in kept.moves):
            found.fail(f"{where}: moves are lost")
        if name == "weigh-in" and (kept.roasted_kg, kept.status) != (4.3, "done"):
            found.fail(f"{where}: the weight is lost ({kept.roasted_kg}, {kept.status})")
    if list((folder / "spill").glob("*.json")):
        found.fail(f"{where}: a spill was left")
    desk.shut_down()
    found.counts["batches"] += 1


def _one_place(
    name: str, write: Callable[[Roastery], object], is_there: Callable[[Roastery], bool], folder: Path, found: Found
) -> None:
    roastery = Roastery(folder)
    roastery.disk.full = True
    told = ""
    try:
        write(roastery)
    except Exception as error:
        told = refusal_of(error)
        if not told:
            found.fail(f"{name}: {type(error).__name__}: {str(error)[:150]}")
    if bool(told) == is_there(roastery):
        found.fail(f"{name}: told {told!r}, and yet it is {'' if is_there(roastery) else 'not '}there")
    roastery.disk.full = False
    try:
        write(roastery)
    except Exception as error:
        found.fail(f"{name}: with room again: {type(error).__name__}: {str(error)[:150]}")
    roastery.end()
    found.counts["places"] += 1
