"""What is to be told of a forecast: trouble that is coming, what ends it, and advice, as the machine's record bears it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from firnel.core.guidance import Advice, Choice, overshoots
from firnel.core.landing import AirLine, Landing, Off
from firnel.core.model.foretelling import Forecast
from firnel.core.model.learning import MachineModel
from firnel.core.model.replay import HORIZON_S
from firnel.core.model.score import muted, sparing
from firnel.core.model.statements import FEWEST
from firnel.core.plan import Plan, PlanCurve, shifted_curve
from firnel.core.vocabulary import Control, MarkKind, Role
from firnel.work.roast.advice_search import AdviceSearch, Sight, ends_hot
from firnel.work.roast.coming import Coming, coming_of, lost_of
from firnel.work.roast.guided import Ghost, Guidance
from firnel.work.roast.hardly_known import LEAST_WAY, NEAR_CRACK_S, as_foretold, gets_nowhere, shown
from firnel.work.roast.look import Foretold, Look
from firnel.work.roast.reach import Reach
from firnel.work.roast.remedy import against, rescue
from firnel.work.roast.steps import Ask, Step, stands, step_of

#: No advice before this much of the roast is known, and none so shortly after a hand moved: its effect is not seen yet. [s]
ADVISE_FROM_S, ADVISE_AFTER_S = 120.0, 12.0
#: Unless the batch has surely lost its way. [s]
ADVISE_ASTRAY_S = 60.0
#: A step shows at the probe no sooner than this. [s]
SHOWS_AFTER_S = 25.0
#: Where nobody has marked the turn, a lowest reading that lies so far back was it. [s]
TURNED_S = 20.0
#: The end of a batch begins so long before its first crack: what the rate does from there on shows in the landing. [s]
ABOUT_CRACK_S = 30.0

#: What comes of a step of the main heat.
Made = Callable[[Step], Choice]


class Judge:
    """Judges every forecast of one batch on one machine."""

    def __init__(self, model: MachineModel) -> None:
        self.hardly = model.batches < FEWEST  #: the machine is hardly known
        self._muted = tuple(muted(model, cracked) for cracked in (False, True))
        self._sparing, self._reach, self._fresh = sparing(model), Reach(model), model.batches == 0
        self._least = LEAST_WAY if self.hardly else 0.0
        self._search = AdviceSearch(self._reach, self.hardly)

    def judged(self, look: Look, foretold: Foretold, guidance: Guidance, line: AirLine | None) -> Guidance:
        """The guidance with trouble coming, what another step would come to, and advice.

        Parameters
        ----------
        line : of the air, where the plan is led by it.
        """
        ask = look.ask

        def made(step: Step, control: Control = ask.machine.main_heat) -> Choice:
            forecast = look.forecast(step.due, foretold.until)
            return Choice(control, step.setting, step.to, forecast, step.move, step.then)

        guidance = replace(guidance, coming=self._coming(look, foretold, guidance, made))
        landing = guidance.landing
        if ask.plan is None or landing is None:
            return guidance
        ends = not self.hardly and ends_hot(ask, landing, guidance.marks.get(MarkKind.FIRST_CRACK))
        near = [(by, made(step)) for by in (-1, 1) if (step := step_of(ask, foretold.due, by, ends=ends)) is not None]
        guidance = replace(guidance, ghosts=_ghosts(foretold.forecast, [choice for _, choice in near]))
        if self.hardly:
            guidance = replace(guidance, muted=self._muted[look.cracked])
        gone = self.hardly and any(one.kind == "lost" for one in guidance.coming)
        if gone or landing.clear or not _settled(look, landing):
            return guidance
        if self._muted[look.cracked]:
            spoken = tuple(off for off in landing.off if self._speaks_of(off, ask.now - look.zero))
            if not spoken:
                return replace(guidance, muted=self._muted[look.cracked])
            landing = replace(landing, off=spoken) if self.hardly else landing
        sight = Sight(
            ask, foretold.due, ask.plan, landing, near, made, look.came, guidance.marks, look.zero, line,
            may_heat=not self.hardly or as_foretold(ask, foretold.forecast), ends=ends,
        )  # fmt: skip
        return self._advised(sight, guidance, self._muted[look.cracked])

    def _advised(self, sight: Sight, guidance: Guidance, quiet: str) -> Guidance:
        advice, now, forecast = self._search.advice(sight), sight.ask.now, guidance.forecast
        if advice is not None and quiet and not advice.off.surely:
            advice = None
        if advice is not None and self.hardly:
            advice = replace(advice, sure=False)
        end = forecast.drop_t.value + sight.zero if forecast.drop_t is not None else now + HORIZON_S
        late = advice is None and end - now < SHOWS_AFTER_S
        told = tuple(_as_far_as(one, advice) for one in guidance.coming)
        return replace(guidance, advice=advice, too_late=late, tried=True, coming=told)

    def _coming(self, look: Look, foretold: Foretold, guidance: Guidance, made: Made) -> tuple[Coming, ...]:
        """Trouble that is coming, each with what ends it."""
        ask, forecast, landing = look.ask, foretold.forecast, guidance.landing
        own = _own(look, guidance)
        told, never = self._trouble(look, forecast, landing, own), self._never(look, foretold)
        most = self._reach.most_late(ask.machine.main_heat)
        if never is not None:  # of the two it is the louder news
            never = rescue(replace(never, sure=not self.hardly), ask, made, own, guidance.marks, most, self._least)
            return (never, *(one for one in told if one.kind != "stall"))
        if not any(one.kind == "stall" for one in told):
            return told

        def spoils(choice: Choice) -> bool:
            return ask.plan is not None and landing is not None and overshoots(ask.plan, landing, choice, look.came)

        lost = not look.cracked and forecast.first_crack is None
        return tuple(
            against(replace(one, sure=not self.hardly), ask, made, own, spoils, lost, most, self._least) for one in told
        )

    def _never(self, look: Look, foretold: Foretold) -> Coming | None:
        """A mark that does not come any more, where that can be said."""
        ask = look.ask
        if foretold.until < HORIZON_S or not self._knows_heat(ask, foretold.forecast):
            return None
        heats = ask.machine.of(Role.HEAT)
        # A move that hangs on the turn, or on a reading, has no moment yet: then the heat may be off as it is meant to be.
        told_of = ask.plan is not None and not any(e.due_t is None and e.move.control in heats for e in foretold.due)
        return lost_of(foretold.forecast, look.cracked, told_of, _wanted(ask.plan))

    def _trouble(self, look: Look, forecast: Forecast, landing: Landing | None, own: PlanCurve | None) -> tuple[Coming, ...]:
        """Stall, crash and flick that are to be told."""
        ask, cracked = look.ask, look.cracked
        air_led = ask.plan is not None and ask.plan.approach == "air-led"
        told = coming_of(forecast, own, air_led, turned=_turned(ask, look.zero))
        crack_t = np.inf if forecast.first_crack is None else forecast.first_crack.value
        if landing is not None and not landing.cold and (cracked or np.isfinite(crack_t)):
            # The end of a batch that lands is as flat as its plan wants it: heat against that would land it hot.
            since = 0.0 if cracked else crack_t - ABOUT_CRACK_S
            told = tuple(one for one in told if one.kind != "stall" or forecast.at + one.in_s < since)
        sure = forecast.first_crack is not None and forecast.first_crack.high is not None
        if landing is not None and landing.heat_to_spare and sure and not cracked:
            told = tuple(one for one in told if one.kind != "stall")  # what slows it down is wanted
        near = cracked or crack_t - forecast.at < NEAR_CRACK_S
        if near and self.hardly and not as_foretold(ask, forecast):
            told = tuple(one for one in told if one.kind != "stall")
        return told

    def _knows_heat(self, ask: Ask, forecast: Forecast) -> bool:
        """Whether it can be said what the heat comes to.

        On a machine that has hardly been logged only of heat that is off, or where it plainly gets nowhere.
        """
        if not self.hardly or gets_nowhere(ask, forecast):
            return True
        heats = {control: stands(ask, control) for control in ask.machine.of(Role.HEAT)}
        return all(at is not None and at <= ask.machine.controls[control].low for control, at in heats.items())

    def _speaks_of(self, off: Off, since_s: float) -> bool:
        """Whether a target that is missed is spoken of although advice is muted: silence while a batch is lost hurts more."""
        return off.surely and self._sparing and (not self.hardly or shown(off, since_s, self._fresh))


def _settled(look: Look, landing: Landing) -> bool:
    """Whether enough is seen of the batch, and of what the last move came to, to advise on it."""
    ask = look.ask
    last_move = max((move.t for move in ask.moves if ask.machine.role(move.control) is not Role.MOTION), default=look.zero)
    lost_way = any(off.astray and off.surely and not off.waits for off in landing.off)
    since = ADVISE_ASTRAY_S if lost_way else ADVISE_FROM_S
    return ask.now - last_move >= ADVISE_AFTER_S and ask.now - look.zero >= since


def _own(look: Look, guidance: Guidance) -> PlanCurve | None:
    """The plan's curve from charge on, moved with its marks."""
    ask = look.ask
    curve = shifted_curve(ask.plan, ask.marks, ask.now, guidance.marks) if ask.plan is not None else None
    return replace(curve, t=curve.t - look.zero) if curve is not None and curve.t.size > 4 else None


def _as_far_as(coming: Coming, advice: Advice | None) -> Coming:
    """A remedy that goes as far as the advice does, where that goes further the same way: two steps must not be asked for.

    In development what a planned move is advised to be lands the batch: a step against its stall would only put that off.
    """
    remedy = coming.remedy
    if remedy is None or advice is None or advice.choice.control != remedy.control:
        return coming
    if advice.choice.move is not None:
        lands = advice.off.kind == "development" and not advice.off.too_much
        return replace(coming, remedy=None) if lands else coming
    further = (advice.choice.to - remedy.to) * (remedy.to - remedy.setting) > 0.0
    return replace(coming, remedy=advice.choice) if further else coming


def _wanted(plan: Plan | None) -> tuple[float | None, float | None]:
    """When a plan has yellow and first crack, from charge. [s]"""
    drying, browning, _ = plan.stages if plan is not None else (None, None, None)
    return drying, drying + browning if drying is not None and browning is not None else None


def _turned(ask: Ask, zero: float) -> bool:
    """Whether the probe has turned: by a mark, or as its lowest reading lies some way back."""
    if any(mark.kind is not MarkKind.CHARGE for mark in ask.marks):
        return True
    since = (ask.trace.t >= zero) & np.isfinite(ask.trace.bean)
    t, bean = ask.trace.t[since], ask.trace.bean[since]
    return bool(t.size and ask.now - t[int(np.argmin(bean))] >= TURNED_S)


def _ghosts(planned: Forecast, choices: list[Choice]) -> tuple[Ghost, ...]:
    found = []
    named = [("as planned", planned)]
    named += [("one step less" if choice.to < choice.setting else "one step more", choice.forecast) for choice in choices]
    for name, forecast in named:
        if forecast.development_s is not None and forecast.drop_c is not None:
            found.append(Ghost(name, forecast.development_s.value, forecast.drop_c.value))
    return tuple(found)
