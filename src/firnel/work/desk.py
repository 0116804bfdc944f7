"""One Firnel at work: the library, the settings, the machine's link and the running batch together."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from time import monotonic
from typing import TYPE_CHECKING, Concatenate, ParamSpec, TypeVar

from firnel.core.vocabulary import Machine
from firnel.core.words import tr
from firnel.devices.address import AddressError
from firnel.devices.clock import Clock
from firnel.devices.hand import HandSource
from firnel.devices.reading import LinkState, LinkStatus, Reading
from firnel.devices.register_map import shipped_maps
from firnel.store.batch_list import BatchLine
from firnel.store.library import Library
from firnel.store.locks import Owner
from firnel.store.server import in_no_hurry
from firnel.store.spill import Spill, refuges
from firnel.store.stamp import Stamp
from firnel.store.writing import shown
from firnel.work.bench.results import Results, check_results, missing_of
from firnel.work.bench.weighing import keep_colours
from firnel.work.link import Link, Post
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.roast.drop_cue import note_asked
from firnel.work.roast.lookout import Aside, Lookout, at_once
from firnel.work.roast.preparing import Prepared, gather, gather_next
from firnel.work.roast.session import RoastSession
from firnel.work.settings import Settings
from firnel.work.spilled import BroughtIn, recover_spilled, spill_folder

__all__ = ["AddressError", "Desk", "LinkState", "LinkStatus", "machine_kinds", "machine_of_kind", "spill_folder"]

if TYPE_CHECKING:
    from firnel.work.stations.watch import Floor, StationWatch

#: An answer that the window shows later is waited for so long. [s]
BESIDE_S = 3.0
#: With readings by hand the batch is looked ahead this often between them. [s]
HAND_ASK_S = 5.0
#: Other stations are told this often what is said of a batch. [s]
AIR_EVERY_S = 1.0
Asked = ParamSpec("Asked")
Answer = TypeVar("Answer")


class Desk:
    """What every view works on.

    Parameters
    ----------
    library : the records.
    settings : of this user.
    post : brings calls from other threads over to the owner's thread.
    aside : does work beside the owner's thread.
    clock : the one clock of the readings, the keys and the wall.
    spill_at : folder for what the library refuses; none is kept where it is None.
    """

    def __init__(
        self,
        library: Library,
        settings: Settings,
        post: Post,
        aside: Aside = at_once,
        clock: Clock | None = None,
        spill_at: Path | None = None,
    ) -> None:
        self.library, self._settings = library, settings
        self.settings = settings
        self._post = post
        self.clock = clock or Clock()
        self._on_change: list[Callable[[], None]] = []
        self._on_link: list[Callable[[LinkStatus], None]] = []
        self._spill = None
        if spill_at is not None:
            self._spill = Spill(spill_at, library.identity, shown(library.url), Owner.here().text, refuges())
            self._spill.hold_room()
        self.session = RoastSession(library, self.clock, self._changed, post, self._spill)
        self._link = Link(self.clock, post, self.take_reading, self._link_changed)
        self._lookout = Lookout(self.session, library, self.clock, aside)
        self.floor: Floor | None = None  #: the other stations, where the library lies on a server
        self._on_floor: list[Callable[[Floor], None]] = []
        self._aired_at = float("-inf")
        self.watch: StationWatch | None = None

    def join_stations(self) -> None:
        """Be one station among others from now on, where the library lies on a server."""
        if self.library.pulse is None or self.watch is not None:
            return
        from firnel.work.stations.watch import StationWatch  # not wanted where the library is a file

        self.session.begin_aside = True
        self.watch = StationWatch(self.library, self._me, lambda floor: self._post(lambda: self._hear(floor)))
        self.watch.begin()

    @property
    def shared(self) -> bool:
        """Whether other stations may work on this library too."""
        return self.library.pulse is not None

    @property
    def stamp(self) -> Stamp | None:
        """Equal as long as nobody has written into the library; None where that cannot be told."""
        return self.library.stamp

    def watch_curves(self, wanted: bool) -> None:
        """Whether somebody looks at what the other stations roast."""
        if self.watch is not None:
            self.watch.curves_wanted = wanted

    def _me(self) -> tuple[str, str]:
        return self.settings.station_name, self.settings.operator

    def _hear(self, floor: Floor) -> None:
        self.floor = floor
        for told in self._on_floor:
            told(floor)

    def take_over(self, key: int) -> None:
        """Go on here with a batch whose station has fallen silent, because a person says so.

        Raises
        ------
        ValueError : if beans are in this station's drum.
        LibraryError : if that station is at work.
        """
        if self.session.roasting:
            raise ValueError(tr("Not while beans are in the drum here: one station roasts one batch."))
        self.session.resume(key, by_word=True)
        self._air(at_once=True)

    def _air(self, at_once: bool = False) -> None:
        """Tell other stations what is said of the batch here."""
        session, now = self.session, monotonic()
        if self.library.pulse is None or not session.recording or (now - self._aired_at < AIR_EVERY_S and not at_once):
            return
        from firnel.work.roast.aired import aired

        self._aired_at = now
        session.air(self.settings.station_name, aired(session, self.settings))

    @property
    def settings(self) -> Settings:
        """Of this user."""
        return self._settings

    @settings.setter
    def settings(self, settings: Settings) -> None:
        self._settings = settings
        self.library.sign(settings.station_name, settings.operator)  # what is done from now on is this person's

    def listen(
        self,
        on_change: Callable[[], None] | None = None,
        on_link: Callable[[LinkStatus], None] | None = None,
        on_floor: Callable[[Floor], None] | None = None,
    ) -> None:
        """Be told of each change, of the link's state, or of the other stations; any number may listen."""
        if on_floor is not None:
            self._on_floor.append(on_floor)
        if on_change is not None:
            self._on_change.append(on_change)
        if on_link is not None:
            self._on_link.append(on_link)

    def ask(self, what: Callable[Concatenate[Library, Asked], Answer], *about: Asked.args, **more: Asked.kwargs) -> Answer:
        """What a function of this package makes of the library: so that a view asks and acts, and has no library itself."""
        return what(self.library, *about, **more)

    def ask_beside(self, question: Callable[[], Answer]) -> Answer:
        """Ask on another thread: of a server an answer is waited for a little, and not at all while it is silent.

        Raises
        ------
        LibraryError : if none comes.
        """
        with in_no_hurry(BESIDE_S):
            return question()

    def look_by(self, aside: Aside) -> None:
        """Have what is worked out ahead done by this from now on."""
        self._lookout.aside = aside

    def recover(self) -> BroughtIn:
        """Bring in what an earlier run could not write: at the start, and again while something waits."""
        if self._spill is None:
            return BroughtIn()
        return recover_spilled(self.library, self._spill.folder, at_work=self._spill.held)

    def resume(self, key: int) -> None:
        """Go on with a batch that was being recorded when Firnel ended; what of it the library would not take then comes first.

        Raises
        ------
        LibraryError : if the library does not take it yet, or another Firnel records it; it can be asked again.
        """
        if self._spill is not None:
            recover_spilled(self.library, self._spill.folder, insist=True, at_work=self._spill.held)
        self.session.resume(key)

    @property
    def link(self) -> LinkStatus:
        """How the link to the machine stands."""
        return self._link.status

    @property
    def by_hand(self) -> HandSource | None:
        """The keyed source, if readings come by hand."""
        return self._link.by_hand

    def connect(self, url: str, machine: Machine | None = None) -> None:
        """Read from a device address, as the probes of ``machine``.

        Raises
        ------
        AddressError : if the address leads nowhere.
        """
        if claimed := self._link.open(url, machine):
            self.session.say(claimed)
        self.session.set_machine(machine)
        self.session.take_around(replace(self.session.around, by_hand=self.by_hand is not None))
        self._link.start()

    def redefine(self, machine: Machine) -> None:
        """A machine's scales were put right: while no batch is recorded, what is read of it comes on them at once."""
        connected = self.session.machine
        if connected is None or connected.id != machine.id or self.session.recording:
            return
        self.session.set_machine(machine)
        if unlike := self._link.fit(machine):
            self.session.say(unlike)

    def prepare(self, order: BatchOrder) -> str:
        """Begin the record of a batch; what is known of the hands at this machine goes with it. Returns its label.

        A load that waits for this plan gives the batch its number.

        Raises
        ------
        ValueError : see `RoastSession.prepare`.
        """
        return self.begin(self.preparing(order)())

    def preparing(self, order: BatchOrder) -> Callable[[], Prepared]:
        """What gathers all that is wanted to begin a batch of this order; may be called on any thread."""
        return partial(gather, self.library, order, self.session.machine, self.clock.wall())

    def preparing_next(self) -> Callable[[], Prepared | None]:
        """The same for the batch that waits first for this machine; it gathers None where none does."""
        return partial(gather_next, self.library, self.session.machine, self.clock.wall())

    def begin(self, gathered: Prepared) -> str:
        """Begin the record of a batch with what was gathered for it, or say what the one in the drum is. Returns its label.

        Raises
        ------
        ValueError : see `RoastSession.prepare`.
        """
        order = gathered.order
        if self._corrects(order):
            return self.session.amend(order)
        known, named = self.session.order, self.session.roasting and not self.session.unnamed
        same = named and known.plan is not None and order.plan is not None and known.plan.id == order.plan.id
        waits = known.waiting_id if same else gathered.waits  # what was queued once is not charged twice
        order = replace(order, waiting_id=waits, operator=self.settings.operator)
        label = self.session.name(order) if self.session.roasting else self.session.prepare(order)
        if gathered.model is not None and self.session.machine is not None:
            self._lookout.know(self.session.machine, gathered.model)
        self.session.take_around(
            replace(
                self.session.around,
                rested_s=gathered.rested_s,
                reference=gathered.reference,
                lead_s=gathered.lead_s,
                hand_every_s=float(self.settings.hand_every_s),
                crack_rule=self.settings.crack_rule,
                care=gathered.care,
            )
        )
        return label

    def _corrects(self, order: BatchOrder) -> bool:
        """Whether an order is the one that is prepared, told otherwise: it keeps its number, and no other load is touched."""
        known = self.session.order
        if self.session.phase != "ready" or order.waiting_id is not None:
            return False
        plans = [one.id if one is not None else None for one in (known.plan, order.plan)]
        machines = [one.id if one is not None else None for one in (known.machine, order.machine)]
        return plans[0] == plans[1] and machines[0] == machines[1]

    def weigh(self, results: Results, line: BatchLine | None = None) -> None:
        """Keep what scale, colour meter and roaster say: of a batch that waits for it, or else of the one that cools.

        Raises
        ------
        ValueError : if the figures cannot be; nothing is written then.
        LibraryError : if the library refuses those of another batch; they are not written then.
        """
        key = self.session.batch_id if line is None else line.id
        if line is None:
            self.session.weigh(results)
        else:
            check_results(line.load_kg, results)
            self.library.mend_book.correct(line.id, results.columns, self.settings.operator)
            if results.complete:
                self.library.set_status(line.id, "done")
            missing = missing_of(results)
            self.session.say(tr("Batch {} is kept{}.", line.label, tr("; {} to come", missing) if missing else ""))
        if key is not None:
            keep_colours(self.library, key, results)

    def fed(self, words: str) -> None:
        """Readings are handed over by this process from now on; ``words`` say where they come from."""
        self._link.fed(words)

    def disconnect(self) -> None:
        """Stop reading."""
        self._link.close()

    def shut_down(self) -> str:
        """Leave batch, link and library as they stand. Says what is not written, and where it is kept; empty where all is."""
        self.disconnect()
        if self.watch is not None:
            self.watch.end()
        left = self.session.leave()
        self.library.close()
        return left

    def take_reading(self, reading: Reading) -> None:
        """Take a reading of the connected machine."""
        self.session.take_reading(reading)
        note_asked(self.session)
        self.watch_steel()
        self.look_ahead()
        self._air()

    def tick(self) -> None:
        """Time goes by: the drop may be asked for; with readings by hand a mark or a move does not wait for the next one."""
        note_asked(self.session)
        self._air()
        self.session.look_for_marks()
        if self.by_hand is not None and self._lookout.since_asked_s >= HAND_ASK_S:
            self.look_ahead()

    def look_ahead(self) -> None:
        """Have the running batch forecast with what is known now."""
        self._lookout.look_ahead(self.by_hand is not None)

    def watch_steel(self, at_once: bool = False) -> None:
        """Say now and then before the charge, or at once, how soaked the drum is, and what that would do to the plan."""
        self._lookout.watch_steel(at_once)

    def forget_model(self) -> None:
        """A machine was fitted anew: read its model again when it is wanted."""
        self._lookout.forget()

    def _link_changed(self, status: LinkStatus) -> None:
        for told in self._on_link:
            told(status)

    def _changed(self) -> None:
        for told in self._on_change:
            told()


def machine_kinds() -> dict[str, str]:
    """The machine kinds that have a register map: name and title."""
    return {name: found.title for name, found in shipped_maps().items()}


def machine_of_kind(name: str, kind: str, device_url: str = "") -> Machine:
    """A new machine of a shipped kind, with that kind's scales."""
    found = shipped_maps()[kind]
    return Machine(
        name,
        kind,
        found.heat,
        found.stated_load_kg,
        found.useful_load_kg,
        dict(found.controls),
        device_url=device_url,
    )
