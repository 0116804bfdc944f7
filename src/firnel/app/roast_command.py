"""``firnel roast``: a batch without a window."""

from __future__ import annotations

import json
import queue
import sys
import threading
import time
from collections.abc import Callable
from contextlib import ExitStack
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

import click

from firnel.app.command_parts import PATIENCE_S, CouldNotError, json_option, library_option, opened, say_json
from firnel.app.ends import EndedError, end_on_signals
from firnel.core.plan import Plan
from firnel.core.vocabulary import Lot, Machine, MarkKind
from firnel.work import shelf
from firnel.work.desk import AddressError, Desk, LinkState, LinkStatus, machine_kinds, machine_of_kind, spill_folder
from firnel.work.plan.files import read_plan_file
from firnel.work.review.records import Library, LibraryError, show_document
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.roast.hand_lines import HandLineError, HandLines
from firnel.work.roast.headless import Headless
from firnel.work.roast.lookout import Beside
from firnel.work.settings import Settings, load_settings

#: A file of the hand's lines is looked at again after this. [s]
FOLLOWED_S = 0.1
#: After the drop so much more is recorded. [s]
AFTER_DROP_S = 20.0


@click.command()
@click.option("--device", "url", required=True, help="Where the readings come from, as modbus://HOST:PORT?map=KIND.")
@click.option("--plan", "plan_at", type=click.Path(path_type=Path), required=True, help="Plan document.")
@click.option("--hand", "hand_at", help="What a hand does, a line each, from a file or - for standard input.")
@click.option("--follow", is_flag=True, help="Print each mark, cue, advice and warning as it comes, as JSON lines.")
@click.option(
    "--timeout", "most_s", type=PATIENCE_S, default=3600.0, show_default=True, help="Give up after this many seconds."
)
@library_option
@json_option
def roast(
    url: str, plan_at: Path, hand_at: str | None, follow: bool, most_s: float, library_at: str | None, as_json: bool
) -> None:
    """Record one batch without a window. The readings come from the device; Firnel reads and tells, it commands nothing.

    Lines of --hand: mark charge|yellow|first_crack|drop, undo, done, take, let go, set NAME VALUE, reading BEAN [AIR],
    abandon WHY; and space, other, not yet, pop, note KIND TEXT.
    """
    with opened(library_at) as library:
        plan = read_plan_file(plan_at)
        batch = _Batch(library, url, plan, follow, hand_at)
        key = batch.roasted(most_s)
        if as_json:
            say_json(show_document(library.batch(key)))
        elif not follow:
            click.echo(f"Batch {library.batch(key).label} is recorded.")
        batch.learn(key)


def _machine_of(library: Library, plan: Plan, url: str) -> Machine:
    """The plan's machine, or a stand-in of the kind the address names."""
    known = next((machine for machine in library.machines() if machine.name == plan.machine), None)
    if known is not None:
        return known
    kind = url.partition("map=")[2].partition("&")[0] or "gas-6"
    if kind not in machine_kinds():
        raise CouldNotError(f"There is no machine {plan.machine!r} in this library: add it first (firnel machine add).")
    return library.save_machine(machine_of_kind(plan.machine or kind, kind))


class _Batch:
    """One batch from its preparation to its end.

    Parameters
    ----------
    library, url, plan : what is roasted, from which device, into which library.
    follow : whether each event is printed.
    hand_at : where the hand's lines come from; marks are taken as they are found where there is no hand.
    """

    def __init__(self, library: Library, url: str, plan: Plan, follow: bool, hand_at: str | None = None) -> None:
        self._calls: queue.Queue[Callable[[], None]] = queue.Queue()
        mine, _ = load_settings()
        settings = Settings(operator=mine.operator, station=mine.station)  # all else in SI, whatever the window shows
        self._beside = Beside(self._calls.put)  # a slow forecast keeps no reading and no key waiting
        self._desk = Desk(library, settings, self._calls.put, self._beside, spill_at=spill_folder())
        self._follow, self._link = follow, LinkState.OFF
        self._trouble: str | None = None
        self._learns = mine.learning == "by itself"
        self._machine = machine = _machine_of(library, plan, url)
        kept = next((known for known in library.plans() if known.name == plan.name), None)
        lot = next((known for known in library.lots() if known.name == plan.lot), Lot(plan.lot) if plan.lot else None)
        lot = library.save_lot(lot) if lot is not None and lot.id is None else lot
        self._desk.listen(on_link=self._on_link)
        try:
            self._desk.connect(url, machine)
        except AddressError as error:
            raise CouldNotError(str(error)) from error
        session = self._desk.session
        if session.message:
            click.echo(session.message, err=True)
        for left in self._desk.ask(shelf.unowned_batches, self._desk.clock.wall()):
            if left.status == "roasting":
                told = f"Batch {left.label} was being roasted when Firnel ended: its readings are kept"
                click.echo(f"{told}; the window goes on with it or closes it.", err=True)
        self._desk.prepare(BatchOrder(lot, machine, plan if kept is None else _as_kept(plan, kept), plan.load_kg))
        self._watch = Headless(session, self._tell, by_hand=hand_at is not None)
        self._hand, self._over = HandLines(self._desk), threading.Event()
        if hand_at is not None:
            self._listen(hand_at)

    def _listen(self, hand_at: str) -> None:
        """Read the hand's lines beside the batch, each stamped as it arrives."""
        if hand_at != "-" and not Path(hand_at).exists():
            raise CouldNotError(f"The hand's lines in {hand_at} cannot be read: there is no such file.")

        def read() -> None:
            with ExitStack() as stack:
                # Past any buffer, whose lock Python would wait for at its end.
                lines: Any = getattr(sys.stdin.buffer, "raw", sys.stdin.buffer)
                if hand_at != "-":
                    lines = stack.enter_context(Path(hand_at).open("rb", buffering=0))
                while not self._over.is_set():
                    line = lines.readline().decode("utf-8", "replace")  # no letter: it spoils its line, and not the hand
                    if line.strip():
                        self._calls.put(partial(self._do, line, self._desk.clock.now()))
                    elif not line:
                        if not Path(hand_at).is_file():
                            self._calls.put(self._watch.left_alone)  # whoever wrote has gone
                            return
                        self._over.wait(FOLLOWED_S)  # a file may still be written to

        threading.Thread(target=read, name="hand", daemon=True).start()

    def _do(self, line: str, at: float) -> None:
        try:
            said = self._hand.do(line, at)
        except HandLineError as error:
            said = f"Not done: {error}"
            click.echo(said, err=True)
        session = self._desk.session
        charge = session.marks.get(MarkKind.CHARGE)
        t = None if charge is None else round(session.log_time(at) - charge.t, 1)
        session.message = ""  # told here
        self._tell({"event": "hand", "t": t, "line": line.strip(), "text": said})

    def _tell(self, document: dict[str, Any]) -> None:
        if not self._follow:
            return
        try:
            click.echo(json.dumps(document, ensure_ascii=False))
        except BrokenPipeError:
            self._follow = False  # nobody listens any more; the batch is recorded all the same

    def _on_link(self, status: LinkStatus) -> None:
        if status.state is not self._link:
            self._link = status.state
            self._tell({"event": "link", "state": status.state.value, "text": status.sentence})

    def _tell_trouble(self) -> None:
        trouble = self._desk.session.trouble
        if trouble != self._trouble:
            if trouble is None or self._trouble is None:
                click.echo(trouble or "The library takes everything again.", err=True)
                self._tell({"event": "trouble", "text": trouble})
            self._trouble = trouble

    def roasted(self, most_s: float) -> int:
        """Record until the beans have dropped; the key of the batch.

        Raises
        ------
        CouldNotError : if it never came to its drop, or not all of it is in the library.
        """
        session = self._desk.session
        begun, stopped = session.now(), False
        end_on_signals()
        try:
            while session.now() - begun < most_s and not self._finished():
                try:
                    self._calls.get(timeout=0.5)()
                    self._drain()  # all that has come, before anything is told of it
                except queue.Empty:
                    self._desk.tick()
                self._watch.look()
                self._tell_trouble()
        except EndedError:
            stopped = True
        self._over.set()
        self._beside.finish()
        self._desk.disconnect()
        session.close()
        self._drain()
        stopped = self._wait_for_room() or stopped
        key, left = session.last_id, session.leave()
        if left:
            raise CouldNotError(left)
        if stopped:
            raise CouldNotError("Stopped; what was recorded is kept.")
        if key is not None and self._hand.abandoned:
            return key
        if key is None or not self._watch.dropped:
            raise CouldNotError("The batch never came to its drop; what was recorded is kept.")
        return key

    def _wait_for_room(self) -> bool:
        """Stay as long as part of the batch lies in memory only. Returns whether that was stopped."""
        told = False
        try:
            while self._desk.session.kept_nowhere:
                if not told:
                    told = True
                    click.echo("Firnel stays until there is room for the batch: stopped now (Ctrl-C), it is lost.", err=True)
                time.sleep(0.5)
                self._drain()
                self._tell_trouble()
        except EndedError:
            return True
        return False

    def learn(self, key: int) -> None:
        """Learn the machine from this batch too, where machines are learned by themselves."""
        if not self._learns:
            return
        from firnel.work.machines.learner import keep_lesson, learn_apart, task_of  # what fits models is not wanted sooner

        def progress(done: float) -> bool:
            if sys.stderr.isatty():
                click.echo(f"\rlearning, {100 * done:3.0f} %\r", nl=False, err=True)
            return True

        library, name = self._desk.library, self._machine.name
        try:
            task = task_of(library, library.machine(name), library.batch(key).label)
            if task is None:
                return
            said = keep_lesson(library, task, learn_apart(task, progress))
        except EndedError:
            said = f"Stopped; {name} learns from this batch when a window is next open, or by firnel machine fit."
        except (RuntimeError, LibraryError) as error:  # the batch is kept all the same
            said = str(error)
        click.echo(said, err=True)
        self._tell({"event": "learned", "text": said})

    def _drain(self) -> None:
        while not self._calls.empty():
            self._calls.get()()

    def _finished(self) -> bool:
        session = self._desk.session
        drop = session.marks.get(MarkKind.DROP)
        if self._hand.abandoned and not session.recording:
            return True
        return drop is not None and session.now() - drop.t > AFTER_DROP_S


def _as_kept(plan: Plan, kept: Plan) -> Plan:
    """The plan as in the file, known by the one that is kept under its name."""
    return replace(plan, id=kept.id, version=kept.version, lot_id=kept.lot_id, machine_id=kept.machine_id)
