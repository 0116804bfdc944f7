"""One Firnel at work: the library, the settings, the machine's link and the running batch together."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from firnel.core.vocabulary import Machine, MarkKind
from firnel.devices.address import AddressError, open_source
from firnel.devices.clock import Clock
from firnel.devices.hand import HandSource
from firnel.devices.reading import LinkState, LinkStatus, Reading, ReadingSource
from firnel.devices.register_map import shipped_maps
from firnel.store.library import BatchLine, Library
from firnel.work.bench.weighing import Results, check_colours, keep_colours
from firnel.work.day.queue import next_for, order_of, prepared
from firnel.work.review.references import reference_of
from firnel.work.roast.drop_cue import learned_lead, note_asked
from firnel.work.roast.session import BatchOrder, RoastSession, check_results
from firnel.work.settings import Settings

__all__ = ["AddressError", "Desk", "LinkState", "LinkStatus", "machine_kinds", "machine_of_kind"]

if TYPE_CHECKING:
    from firnel.core.model.learning import MachineModel
    from firnel.work.roast.live_forecast import Guidance, LiveForecast

#: The steel is estimated this often. [s]
STEEL_EVERY_S = 5.0
#: Where the machine runs faster than life, it is not looked ahead more often than this. [s of life]
LEAST_APART_S = 0.1
#: With readings by hand the batch is looked ahead this often between them. [s]
HAND_ASK_S = 5.0
#: Runs a function later on the thread that owns the desk.
Post = Callable[[Callable[[], None]], None]
#: Runs work on another thread and hands its result over on the owner's.
Aside = Callable[[Callable[[], Any], Callable[[Any], None]], None]


def at_once(work: Callable[[], Any], done: Callable[[Any], None]) -> None:
    """Work done where it is asked for: where there is no other thread."""
    done(work())


class Desk:
    """What every view works on.

    Parameters
    ----------
    library : the records.
    settings : of this user.
    post : brings calls from other threads over to the owner's thread.
    """

    def __init__(self, library: Library, settings: Settings, post: Post) -> None:
        self.library, self.settings = library, settings
        self._post = post
        self.clock = Clock()
        self.link = LinkStatus(LinkState.OFF, "No machine is connected.")
        self.on_change: Callable[[], None] = lambda: None
        self.on_link: Callable[[LinkStatus], None] = lambda status: None
        self._source: ReadingSource | None = None
        self._generation = 0
        self.session = RoastSession(library, self.clock, self._changed)
        self._model: tuple[int | None, MachineModel | None] = (None, None)
        self._steel_t = float("-inf")
        self.aside: Aside = at_once
        self._live: tuple[int | None, LiveForecast | None] = (None, None)
        self._looking, self._asked_t = False, float("-inf")
        self.session.report_trouble_later = self._trouble  # type: ignore[method-assign]  # the journal's thread must hop

    @property
    def by_hand(self) -> HandSource | None:
        """The keyed source, if readings come by hand."""
        return self._source if isinstance(self._source, HandSource) else None

    def connect(self, url: str, machine: Machine | None = None) -> None:
        """Read from a device address, as the probes of ``machine``.

        Raises
        ------
        AddressError : if the address leads nowhere.
        """
        source = open_source(url, self.clock)
        self.disconnect()
        self.session.set_machine(machine)
        self._source = source
        self._generation += 1
        generation = self._generation

        def on_reading(reading: Reading) -> None:
            self._post(lambda: self._take(generation, reading))

        def on_status(status: LinkStatus) -> None:
            self._post(lambda: self._status(generation, status))

        source.start(on_reading, on_status)

    def prepare(self, order: BatchOrder) -> str:
        """Begin the record of a batch; what is known of the hands at this machine goes with it. Returns its label.

        Raises
        ------
        ValueError : see `RoastSession.prepare`.
        """
        self.session.operator = self.settings.operator
        label = self.session.prepare(order)
        machine = self.session.machine
        self.session.lead_s = learned_lead(self.library, machine.id if machine is not None else None)
        self.session.hand_every_s = float(self.settings.hand_every_s)
        self.session.reference = reference_of(self.library, order.plan)
        prepared(self.library, order)
        return label

    def prepare_next(self) -> str | None:
        """Prepare the first batch that waits for this machine; None where none does.

        Raises
        ------
        ValueError : see `RoastSession.prepare`.
        """
        found = next_for(self.library, self.session.machine)
        return self.prepare(order_of(self.library, found[1])) if found is not None else None

    def weigh(self, results: Results, line: BatchLine | None = None) -> None:
        """Keep what scale, colour meter and roaster say: of a batch that waits for it, or else of the one that cools.

        Raises
        ------
        ValueError : if the figures cannot be; nothing is written then.
        """
        check_colours(results)
        key = self.session.batch_id if line is None else line.id
        figures = (results.roasted_kg, results.colour_whole, results.colour_ground)
        if line is None:
            self.session.weigh(*figures, results.remark)
        else:
            check_results(line.load_kg, *figures)
            self.library.set_results(line.id, *figures, results.remark, status="done")
            self.session.say(f"Batch {line.label} is weighed.")
        if key is not None:
            keep_colours(self.library, key, results)

    def disconnect(self) -> None:
        """Stop reading."""
        if self._source is not None:
            self._source.stop()
            self._source = None
            self._generation += 1
            self._set_link(LinkStatus(LinkState.OFF, "No machine is connected."))

    def shut_down(self) -> bool:
        """Leave: the batch as it stands, the link, the library. False if something could not be written."""
        self.disconnect()
        written = self.session.stop_for_exit()
        self.library.close()
        return written

    def _take(self, generation: int, reading: Reading) -> None:
        if generation == self._generation:  # not one that was still under way when the link was changed
            self.take_reading(reading)

    def take_reading(self, reading: Reading) -> None:
        """Take a reading of the connected machine."""
        self.session.take_reading(reading)
        note_asked(self.session)
        self.watch_steel()
        self.look_ahead()

    def tick(self) -> None:
        """Time goes by: the drop may be asked for; with readings by hand a mark or a move does not wait for the next one."""
        note_asked(self.session)
        if self.by_hand is not None and self.session.now() - self._asked_t >= HAND_ASK_S:
            self.look_ahead()

    def look_ahead(self) -> None:
        """Have the running batch forecast with what is known now, unless the last forecast is still being worked out."""
        session, machine = self.session, self.session.machine
        running = session.phase in ("drying", "browning", "development")
        if not running or machine is None:
            if session.guidance is not None:
                session.take_guidance(None)
            return
        soon = self.clock.rate > 1.0 and 0.0 <= session.now() - self._asked_t < LEAST_APART_S * self.clock.rate
        if self._looking or (soon and self._live[0] == session.batch_id):
            return
        from firnel.work.roast.live_forecast import Ask, LiveForecast  # not wanted before a batch is roasted

        if self._live[0] != session.batch_id:
            self._live = (session.batch_id, LiveForecast(self._model_of(machine)))
        live, batch_id = self._live[1], session.batch_id
        if live is None or session.trace.last_t is None:
            return
        order = session.order
        self._asked_t = session.now()
        now = session.now() if self.by_hand is not None else session.trace.last_t
        ask = Ask(
            session.label, now, session.trace.trace(), tuple(session.marks.values()), session.moves,
            session.done, machine, session.adjusted_plan, order.lot, order.load_kg,
        )  # fmt: skip
        self._looking = True

        def looked(guidance: Guidance | None) -> None:
            self._looking = False
            if session.batch_id == batch_id and MarkKind.DROP not in session.marks:
                session.take_guidance(guidance)

        self.aside(lambda: live.answer(ask), looked)

    def look_failed(self, sentence: str) -> None:
        """The forecast could not be worked out; the batch goes on without."""
        self._looking = False
        self.session.message = f"No forecast: {sentence}"
        self._changed()

    def _model_of(self, machine: Machine) -> MachineModel | None:
        from firnel.work.machines.knowledge import model_of  # not wanted before a machine is connected

        if self._model[0] != machine.id:
            self._model = (machine.id, model_of(self.library, machine)[0])
        return self._model[1]

    def forget_model(self) -> None:
        """A machine was fitted anew: read its model again when it is wanted."""
        self._model = (None, None)

    def watch_steel(self, at_once: bool = False) -> None:
        """Every few seconds before the charge, or at once, say how soaked the drum is, and what that would do to the plan."""
        session, machine = self.session, self.session.machine
        if machine is None or machine.id is None or MarkKind.CHARGE in session.marks:
            session.steel = session.readiness = None
            return
        every = STEEL_EVERY_S * max(1.0, self.clock.rate)  # in life: a faster machine leaves no more time for it
        waits = session.now() - self._steel_t < every and session.now() >= self._steel_t
        if self._looking or (waits and not at_once):
            return
        self._steel_t = session.now()
        model = self._model_of(machine)
        if model is None:
            session.steel = session.readiness = None
            return
        from firnel.work.machines.forecasting import traits_of
        from firnel.work.roast.steel import Readiness, SteelEstimate, readiness, steel_now

        trace, order, batch_id = session.trace.trace(), session.order, session.batch_id

        def work() -> tuple[SteelEstimate, Readiness | None] | None:
            steel = steel_now(model, machine, trace)
            if steel is None or order.plan is None:
                return None if steel is None else (steel, None)
            return steel, readiness(model, machine, order.plan, traits_of(order.lot), steel)

        def worked(found: tuple[SteelEstimate, Readiness | None] | None) -> None:
            self._looking = False
            if session.batch_id == batch_id and MarkKind.CHARGE not in session.marks:
                session.steel, session.readiness = found if found is not None else (None, None)
                self._changed()

        self._looking = True
        self.aside(work, worked)

    def _status(self, generation: int, status: LinkStatus) -> None:
        if generation == self._generation:
            self._set_link(status)

    def _set_link(self, status: LinkStatus) -> None:
        self.link = status
        self.on_link(status)

    def _changed(self) -> None:
        self.on_change()

    def _trouble(self, sentence: str | None) -> None:
        self._post(lambda: self.session.report_trouble(sentence))


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
