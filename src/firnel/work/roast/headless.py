"""A batch without a window: marks found from the readings, each cue told once when it falls due."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from firnel.core.guidance import Choice
from firnel.core.units import Units, clock
from firnel.core.vocabulary import Control, Found, Mark, MarkKind
from firnel.core.words import capital, tr
from firnel.work.roast.advice_words import advice_text, landing_sentence, step_now, warnings_of
from firnel.work.roast.drop_cue import drop_cue
from firnel.work.roast.mark_watch import LOOK_EVERY_S, empty_drum
from firnel.work.roast.move_words import move_sentence, start_sentence, when_sentence
from firnel.work.roast.plan_thread import off_start, settled_of
from firnel.work.roast.probe_mistakes import charge_doubted, rises_since
from firnel.work.roast.session import RoastSession

#: A charge that is moved by more is told again. [s]
SAME_CHARGE_S = 5.0
#: Words that were not true for so long are told again, and a warning that stays true after so long. [s]
SILENT_S, AGAIN_S = 20.0, 60.0
#: A drop that is overdue by this was not seen. [s]
OVERDUE_S = 90.0
#: A cue is announced so long before it falls due: a hand cannot see a countdown here. The drop is called so long before its
#: moment, for the same reason, or as long as this hand was seen to need. [s]
SOON_S, HEARD_S = 10.0, 2.0
#: The drop among the cues, which the plan's moves are in by their place.
DROP = -1


@dataclass(frozen=True)
class _Step:
    """A step that is advised or ends a stall; two are the same where a hand would do the same."""

    kind: str
    control: str
    to: float
    move: int | None

    @classmethod
    def of(cls, kind: str, choice: Choice) -> _Step:
        return cls(kind, str(choice.control), choice.to, choice.move)


class Headless:
    """Watches a session: sets the marks that nobody presses, and tells what falls due.

    Parameters
    ----------
    session : being fed with readings.
    by_hand : whether a hand sets the marks; what it forgets is offered then, and not taken for it.
    tell : called with each event as a document: ``event`` is mark, offer, soon, cue, advice, withdrawn, warning, landing or
        said; ``t`` counts from charge.
    """

    def __init__(self, session: RoastSession, tell: Callable[[dict[str, Any]], None], by_hand: bool = False) -> None:
        self._session, self._tell, self._by_hand = session, tell, by_hand
        self._units = Units()
        self._run = session.run
        self._forget()

    def _forget(self) -> None:
        """Nothing was told yet of this batch."""
        self._marks: set[MarkKind] = set()
        self._charge_t = 0.0
        self._cues: set[int] = set()
        self._announced: set[int] = set()
        self._begun: set[Control] = set()
        self._said: dict[str | _Step, tuple[float, float]] = {}  # when it was told, and when it was true last
        self._advised: _Step | None = None
        self._offered: set[MarkKind] = set()
        self._landing = ""
        self._looked_t = 0.0

    @property
    def dropped(self) -> bool:
        """Whether the beans have left the drum."""
        return MarkKind.DROP in self._session.marks

    def left_alone(self) -> None:
        """Nobody says any more when marks come: they are taken as they are found."""
        self._by_hand = False
        charge = self._session.marks.get(MarkKind.CHARGE)
        t = None if charge is None else round(self._session.now() - charge.t, 1)
        self._tell({"event": "said", "t": t, "text": tr("No more input: marks are taken as they are found.")})

    def look(self) -> None:
        """After each reading: find marks, tell what is new."""
        if self._run != self._session.run:  # other beans fell in
            self._run = self._session.run
            self._forget()
        self._find_marks()
        self._tell_marks()
        self._tell_said()
        charge = self._session.marks.get(MarkKind.CHARGE)
        if charge is not None and not self.dropped:
            self._tell_offers(charge.t)
            self._tell_start(charge.t)
            self._tell_cues(charge.t)
            self._tell_words(charge.t)
            self._tell_landing(charge.t)

    def _find_marks(self) -> None:
        session = self._session
        level, machine = session.trace.level, session.machine
        if self._by_hand:
            return  # what a hand forgets is offered to it
        if charge_doubted(session):
            session.space(session.clock.now())  # nobody is left who could say otherwise
        charge, last = session.marks.get(MarkKind.CHARGE), session.trace.last_t
        if charge is None or level is None or machine is None or last is None or rises_since(session) is None:
            return
        for kind, reading in ((MarkKind.YELLOW, machine.yellow_c), (MarkKind.FIRST_CRACK, machine.first_crack_c)):
            if session.next_expected() is kind and level >= reading:
                session.find(Mark(kind, last, session.trace.bean_at(last), Found.CURVE))
        if session.next_expected() is not MarkKind.DROP or last - self._looked_t < LOOK_EVERY_S:
            return
        self._looked_t = last
        drop_t = empty_drum(session, charge.t, alone=True)
        expected = session.expected().get(MarkKind.DROP, last)
        if drop_t is None and last > expected + OVERDUE_S:
            drop_t = expected  # nobody leaves beans in so long: it was not seen
        if drop_t is not None:
            session.find(Mark(MarkKind.DROP, drop_t, session.trace.bean_at(drop_t), Found.CURVE))

    def _tell_marks(self) -> None:
        marks = self._session.marks
        charge = marks.get(MarkKind.CHARGE)
        if charge is None or abs(charge.t - self._charge_t) > SAME_CHARGE_S:  # taken back, or moved: its mark is told again
            self._marks.discard(MarkKind.CHARGE)
            self._charge_t = 0.0 if charge is None else charge.t
        for kind, mark in sorted(marks.items(), key=lambda pair: pair[1].t):
            if kind not in self._marks and charge is not None:
                self._marks.add(kind)
                bean = None if mark.bean is None else round(mark.bean, 1)
                self._tell({"event": "mark", "mark": kind.value, "t": round(mark.t - charge.t, 1), "bean": bean})

    def _tell_said(self) -> None:
        """What the session says by itself, as why it advises nothing and what earns it."""
        session = self._session
        if not session.message:
            return
        charge = session.marks.get(MarkKind.CHARGE)
        t = None if charge is None else round(session.now() - charge.t, 1)
        self._tell({"event": "said", "t": t, "text": session.message})
        session.message = ""

    def _tell_offers(self, charge_t: float) -> None:
        """Marks that were found and that the hand may take."""
        offers = self._session.offers
        for kind in [kind for kind in self._offered if kind not in offers]:
            self._offered.discard(kind)
        for kind, offer in offers.items():
            if kind not in self._offered:
                self._offered.add(kind)
                ago, t = self._session.now() - offer.mark.t, round(offer.mark.t - charge_t, 1)
                text = tr("{} probably {:.0f} s ago.", capital(kind.words), ago)
                self._tell({"event": "offer", "mark": kind.value, "t": t, "doubt_s": round(offer.doubt_s, 1), "text": text})

    def _tell_start(self, charge_t: float) -> None:
        """Controls that stand otherwise at the charge than the plan begins, each once."""
        session = self._session
        for control, (stands, start) in off_start(session).items():
            if control not in self._begun:
                self._begun.add(control)
                words = start_sentence(control, stands, start, self._units, session.machine)
                self._tell({
                    "event": "cue", "t": round(session.now() - charge_t, 1), "due_t": 0.0, "control": str(control), "to": start,
                    "anchor": "charge", "became": None, "text": tr("{}, as the plan begins", words),
                })  # fmt: skip

    def _tell_cues(self, charge_t: float) -> None:
        session, now = self._session, self._session.now()
        settled = settled_of(session)
        for entry in session.due():
            if entry.due_t is None:
                continue
            move, one = entry.move, settled.get(entry.index)
            # One that was answered before it fell due is told as that: nobody is asked to make it again.
            became = one.became.value if one is not None and one.t <= entry.due_t else None
            words = f"{move_sentence(entry, self._units, session.machine)} {when_sentence(move, self._units)}"
            of_move = {"control": str(move.control), "to": move.to, "anchor": move.anchor.value}
            if one is None and move.to != entry.from_value:  # what stands there already is no news
                self._announce(entry.index, entry.due_t, charge_t, words, of_move)
            if entry.index in self._cues or now < entry.due_t:
                continue
            self._cues.add(entry.index)
            self._tell({
                "event": "cue", "t": round(now - charge_t, 1), "due_t": round(entry.due_t - charge_t, 1), **of_move,
                "became": became, "text": f"{words}: {became}" if became is not None else words,
            })  # fmt: skip
        self._tell_drop(charge_t)

    def _tell_drop(self, charge_t: float) -> None:
        """The drop, as long before it as a hand needs that only hears of it."""
        now, cue = self._session.now(), drop_cue(self._session, self._units)
        if cue is None:
            return
        lead_s = self._session.around.lead_s
        due_t = now + cue.left_s + lead_s
        self._announce(DROP, due_t, charge_t, tr("Drop"), {"mark": "drop"})
        if due_t - now <= max(lead_s, HEARD_S if self._by_hand else 0.0) and DROP not in self._cues:
            self._cues.add(DROP)
            times = {"t": round(now - charge_t, 1), "due_t": round(due_t - charge_t, 1)}
            self._tell({"event": "cue", **times, "mark": "drop", "text": tr("Drop")})

    def _announce(self, index: int, due_t: float, charge_t: float, words: str, more: dict[str, Any]) -> None:
        """What falls due within a moment, once."""
        now = self._session.now()
        if index in self._announced or index in self._cues or not 0.0 < due_t - now <= SOON_S:
            return
        self._announced.add(index)
        times = {"t": round(now - charge_t, 1), "due_t": round(due_t - charge_t, 1)}
        self._tell({"event": "soon", **times, **more, "text": tr("In {}: {}", clock(due_t - now), words)})

    def _tell_words(self, charge_t: float) -> None:
        if charge_doubted(self._session):
            text = tr("Are the beans in? The probe has not fallen since the charge was marked.")
            self._tell_once("charge", charge_t, "warning", text, {})
        for warned in warnings_of(self._session, self._units):
            key = _but_figures(warned.text) if warned.remedy is None else _Step.of("warning", warned.remedy)
            self._tell_once(key, charge_t, "warning", warned.text, _step_of(warned.remedy))
        advice = self._session.advice
        choice = None if advice is None else step_now(self._session, advice)
        step = None if choice is None else _Step.of("advice", choice)
        if self._advised is not None and step != self._advised:
            self._said.pop(self._advised, None)  # once it stands again it is told again
            self._tell({
                "event": "withdrawn", "t": round(self._session.now() - charge_t, 1),
                "control": self._advised.control, "to": self._advised.to, "text": tr("No longer advised."),
            })  # fmt: skip
        self._advised = step
        if advice is not None and step is not None:  # one is where the other is
            off = {"target": advice.off.name, "off": round(advice.off.by, 1), "becomes": round(advice.becomes, 1)}
            self._tell_once(
                step, charge_t, "advice", advice_text(self._session, self._units), _step_of(choice) | _then_of(choice) | off
            )

    def _tell_landing(self, charge_t: float) -> None:
        """Where the batch lands, each time that is judged otherwise or can no longer be mended."""
        session = self._session
        place, landing, words = session.place, session.landing, landing_sentence(session, self._units)
        if place is None or landing is None or not words or _but_figures(words) == self._landing:
            return
        self._landing, drop_c, development_s = _but_figures(words), landing.drop_c, landing.development_s
        self._tell({
            "event": "landing", "t": round(session.now() - charge_t, 1), "place": place.name.lower(),
            "drop_c": None if drop_c is None else round(drop_c, 1),
            "development_s": None if development_s is None else round(development_s, 1), "text": words,
        })  # fmt: skip

    def _tell_once(self, key: str | _Step, charge_t: float, event: str, text: str, more: dict[str, Any]) -> None:
        now = self._session.now()
        told, true = self._said.get(key, (float("-inf"), float("-inf")))
        if now - true > SILENT_S or (event == "warning" and now - told > AGAIN_S):
            told = now
            self._tell({"event": event, "t": round(now - charge_t, 1), **more, "text": text})
        self._said[key] = (told, now)


def _but_figures(words: str) -> str:
    """A sentence without its figures, which change each second."""
    return "".join(character for character in words if not character.isdigit())


def _step_of(choice: Choice | None) -> dict[str, Any]:
    """What a program needs to make the step; ``move`` is the place of the planned move that would be made so, from 0."""
    if choice is None:
        return {}
    return {"control": str(choice.control), "from": choice.setting, "to": choice.to, "move": choice.move}


def _then_of(choice: Choice | None) -> dict[str, Any]:
    """The later move that belongs to the step: where its control goes, on what it hangs, and its place in the plan, if any."""
    then = choice.then if choice is not None else None
    if then is None:
        return {"then": None}
    move = then.move
    return {"then": {"to": move.to, "anchor": move.anchor.value, "offset_s": move.offset_s, "move": then.index}}
