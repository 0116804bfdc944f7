"""What is worked out ahead of the running batch and of the charge, beside the thread that owns the session."""

from __future__ import annotations

import logging
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Any

from firnel.core.plan import Plan
from firnel.core.vocabulary import Machine, MarkKind
from firnel.core.words import tr
from firnel.devices.clock import Clock
from firnel.store.library import Library
from firnel.store.writing import LibraryError
from firnel.work.roast.batch_order import Around
from firnel.work.roast.drop_cue import bares_probe
from firnel.work.roast.probe_mistakes import misread
from firnel.work.roast.session import RoastSession

if TYPE_CHECKING:
    from firnel.core.model.learning import MachineModel
    from firnel.work.roast.guided import Guidance
    from firnel.work.roast.live_forecast import LiveForecast
    from firnel.work.roast.steel import Readiness, SteelEstimate

log = logging.getLogger(__name__)

#: The steel is estimated this often. [s]
STEEL_EVERY_S = 5.0
#: Where the machine runs faster than life, it is not looked ahead more often than this. [s of life]
LEAST_APART_S = 0.1
#: Runs work on another thread and hands its result over on the owner's; or the sentence that says why there is none.
Aside = Callable[[Callable[[], Any], Callable[[Any], None], Callable[[str], None]], None]


class Beside:
    """Work done on one thread of its own, without Qt; what came of it is handed over by ``post``."""

    def __init__(self, post: Callable[[Callable[[], None]], None]) -> None:
        self._post = post
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="lookout")

    def __call__(self, work: Callable[[], Any], done: Callable[[Any], None], failed: Callable[[str], None]) -> None:
        """Do it soon: an `Aside`."""
        self._thread.submit(self._do, work, done, failed)

    def _do(self, work: Callable[[], Any], done: Callable[[Any], None], failed: Callable[[str], None]) -> None:
        try:
            told = partial(done, work())
        except Exception as error:
            log.info("work beside the batch failed", exc_info=True)
            told = partial(failed, str(error))
        self._post(told)

    def finish(self) -> None:
        """Wait for what is being worked out; nothing is begun any more."""
        self._thread.shutdown(cancel_futures=True)


def at_once(work: Callable[[], Any], done: Callable[[Any], None], _failed: Callable[[str], None]) -> None:
    """Work done where it is asked for: where there is no other thread."""
    done(work())


def not_at_all(_work: Callable[[], Any], done: Callable[[Any], None], _failed: Callable[[str], None]) -> None:
    """Nothing is looked ahead: while time is wound on."""
    done(None)


class Lookout:
    """Looks ahead for one session, one thing at a time; owns the model that is gone by, and when what was asked.

    Parameters
    ----------
    session : that is told what was worked out.
    library : where the models of the machines are kept.
    clock : of the session.
    aside : does the work beside the session's thread.
    """

    def __init__(self, session: RoastSession, library: Library, clock: Clock, aside: Aside) -> None:
        self._session, self._library, self._clock = session, library, clock
        self.aside = aside
        self._model: tuple[int | None, MachineModel | None] = (None, None)
        self._live: tuple[tuple[int, int | None] | None, LiveForecast | None] = (None, None)  # of a run on a machine
        self._looking, self._muted = False, (-1, "")
        self._asked_t = self._steel_t = float("-inf")

    @property
    def since_asked_s(self) -> float:
        """How long ago the batch was last looked ahead. [s]"""
        return self._session.now() - self._asked_t

    def know(self, machine: Machine, model: MachineModel) -> None:
        """Go by this model of a machine, which was read already."""
        self._model = (machine.id, model)

    def look_ahead(self, by_hand: bool) -> None:
        """Have the running batch forecast with what is known now, unless the last forecast is still being worked out.

        Readings that come ``by_hand`` are few: the batch is looked ahead from now, else from the newest of them.
        """
        session, machine = self._session, self._session.machine
        if not session.roasting or machine is None or MarkKind.DROP in session.offers or misread(session):
            if session.guidance is not None:
                session.take_guidance(None)
            return
        of = (session.run, machine.id)  # the machine may be told on the way
        soon = self._clock.rate > 1.0 and 0.0 <= session.now() - self._asked_t < LEAST_APART_S * self._clock.rate
        if self._looking or (soon and self._live[0] == of):
            return
        from firnel.work.roast.live_forecast import LiveForecast  # not wanted before a batch is roasted
        from firnel.work.roast.steps import Ask

        if self._live[0] != of:
            self._live = (of, LiveForecast(self._model_of(machine)))
        live, run = self._live[1], session.run
        if live is None or session.trace.last_t is None:
            return
        order = session.order
        self._asked_t = session.now()
        now = session.now() if by_hand else session.trace.last_t
        ask = Ask(
            session.label, now, session.trace.trace(), tuple(session.reckoned.values()), session.moves,
            session.done, machine, _trusted(session), order.lot, order.load_kg,
            assumed={kind: offer.doubt_s for kind, offer in session.offers.items()}, held=session.held,
            given=session.last_given,
        )  # fmt: skip
        self._looking = True

        def looked(guidance: Guidance | None) -> None:
            self._looking = False
            if session.run == run and session.roasting:
                if guidance is not None and guidance.muted and self._muted != (run, guidance.muted):
                    self._muted = run, guidance.muted  # told once, up to first crack and in development
                    session.say(guidance.muted)
                session.take_guidance(guidance)

        self.aside(lambda: live.answer(ask), looked, self._look_failed)

    def _look_failed(self, sentence: str) -> None:
        """The forecast could not be worked out; the batch goes on without."""
        self._looking = False
        self._session.say(tr("No forecast: {}", sentence))

    def _model_of(self, machine: Machine) -> MachineModel | None:
        from firnel.work.machines.knowledge import model_of  # not wanted before a machine is connected

        if self._model[0] != machine.id:
            try:
                self._model = (machine.id, model_of(self._library, machine)[0])
            except LibraryError as error:
                self._session.say(tr("No forecast: {}", error))
                return None
        return self._model[1]

    def forget(self) -> None:
        """A machine was fitted anew: read its model again when it is wanted."""
        self._model = (None, None)

    def watch_steel(self, at_once: bool = False) -> None:
        """Every few seconds before the charge, or at once, say how soaked the drum is, and what that would do to the plan."""
        session, machine = self._session, self._session.machine
        if machine is None or machine.id is None or MarkKind.CHARGE in session.marks:
            self._take_steel(None)
            return
        every = STEEL_EVERY_S * max(1.0, self._clock.rate)  # in life: a faster machine leaves no more time for it
        waits = session.now() - self._steel_t < every and session.now() >= self._steel_t
        if self._looking or (waits and not at_once):
            return
        self._steel_t = session.now()
        model = self._model_of(machine)
        if model is None:
            self._take_steel(None)
            return
        from firnel.core.model.score import untold
        from firnel.core.model.statements import Statement
        from firnel.work.machines.forecasting import traits_of
        from firnel.work.roast.steel import readiness, steel_now

        if why := untold(model, Statement.STEEL):
            self._take_steel(None, why)
            return
        trace, order, run = session.trace.trace(), session.order, session.run

        def work() -> tuple[SteelEstimate, Readiness | None] | None:
            steel = steel_now(model, machine, trace)
            if steel is None or order.plan is None:
                return None if steel is None else (steel, None)
            return steel, readiness(model, machine, order.plan, traits_of(order.lot), steel)

        def worked(found: tuple[SteelEstimate, Readiness | None] | None) -> None:
            self._looking = False
            if session.run == run and MarkKind.CHARGE not in session.marks:
                self._take_steel(found)

        self._looking = True
        self.aside(work, worked, self._look_failed)

    def _take_steel(self, found: tuple[SteelEstimate, Readiness | None] | None, untold: str = "") -> None:
        around: Around = self._session.around
        steel, ready = found if found is not None else (None, None)
        if around.steel is not steel or around.readiness is not ready or around.steel_untold != untold:
            self._session.take_around(replace(around, steel=steel, readiness=ready, steel_untold=untold))


def _trusted(session: RoastSession) -> Plan | None:
    """The plan as the forecast is to go by it: where a small load leaves the probe bare, its readings are no target."""
    plan = session.adjusted_plan
    if plan is None or not bares_probe(session):
        return plan
    return replace(plan, targets=replace(plan.targets, drop_c=None, rise_c=None))
