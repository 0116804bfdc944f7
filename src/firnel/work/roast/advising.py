"""What was worked out ahead of a batch, the one judgement of its landing, and the advice that stands.

Nothing flips back and forth: a judgement holds for a while, advice stands until it is taken, overtaken or no longer needed, and
what was ignored twice is not said again.
"""

from __future__ import annotations

from collections.abc import Container, Mapping
from dataclasses import replace
from typing import TYPE_CHECKING

from firnel.core.vocabulary import EXPECTED_MARKS, Control, Mark, MarkKind

if TYPE_CHECKING:
    from firnel.core.guidance import Advice, Given
    from firnel.core.landing import Landing, Off, Place
    from firnel.work.roast.coming import Coming
    from firnel.work.roast.guided import Guidance

#: A forecast older than this is not gone by any more; advice stands at least this long, and at most. [s]
FORECAST_HOLDS_S, ADVICE_HOLDS_S, ADVICE_ENDS_S = 30.0, 10.0, 40.0
#: A judgement of the landing stands at least this long. [s]
JUDGED_S = 10.0
#: That no step helps is told once it has been so for so long. [s]
TRULY_S = 4.0
#: What a hand counts along with is not moved under it. [s]
COUNTED_S = 4.0
#: A bend of the rate so soon behind an advice that was followed is what it asked for. [s]
ASKED_FOR_S, BENDS = 60.0, ("crash", "flick")
#: The setting that is advised is told anew where it is otherwise by this share of the way. [0..1]
ELSEWHERE = 0.25
#: What is so many times as far off is advised on sooner, where the last advice was not followed.
WORSE = 2.0
#: So often the same advice is given in vain, each time for at least so long. [s]
IN_VAIN, HEARD_S = 2, 15.0


class Advising:
    """Of one batch; its session hands in what was worked out, and when."""

    def __init__(self) -> None:
        self.guidance: Guidance | None = None
        self.advice: Advice | None = None
        self.given = 0  #: how many pieces of advice there were
        self.place: Place | None = None  #: the one judgement of the landing
        self.landing: Landing | None = None  #: as it was when it was last judged so
        self.silent: Off | None = None  #: what is expected, where advice on it was ignored
        self.last: Given | None = None  #: the advice that was given last
        self._off: Off | None = None  # what that was for
        self.helpless = False  #: whether no step helps an end that is off
        self._help_t = float("-inf")  # when that was last as it is said
        self.moved_s = 0.0  #: by how much the end is moved so that it lands in the box [s]
        self._given_t = float("-inf")
        self._figured_t = float("-inf")  # since when its figures stand
        self._followed = True  # whether a hand has done anything since the last advice
        self._judged_t = float("-inf")
        self._coming: tuple[Coming, ...] = ()
        self._coming_t = float("-inf")
        self._ignored: dict[tuple[Control, str, bool], int] = {}

    def take(self, guidance: Guidance | None, now: float, marks: Mapping[MarkKind, Mark], sound: bool) -> bool:
        """Take what was worked out. False if nothing changed.

        Parameters
        ----------
        guidance : None where nothing could be.
        now : log time. [s]
        marks : so far.
        sound : whether the readings can be gone by: from a gap, a frozen probe or a spike nothing is advised.
        """
        if guidance is None and self.guidance is None and self.advice is None:
            return False
        if guidance is not None and not sound:
            guidance = replace(guidance, advice=None, coming=())
        elif guidance is not None:
            guidance = replace(guidance, coming=self._held_coming(guidance, now))
        self.guidance = guidance
        self._judge(guidance, now)
        self._judge_help(guidance, now)
        self._advise(guidance.advice if guidance is not None else None, now, marks)
        return True

    def move_end(self, left_s: float) -> None:
        """Move the end as was worked out last, unless a hand counts its last seconds already.

        Parameters
        ----------
        left_s : until the drop, as it was told so far. [s]
        """
        if self.guidance is not None and left_s > COUNTED_S:
            self.moved_s = self.guidance.moved_s

    def _held_coming(self, guidance: Guidance, now: float) -> tuple[Coming, ...]:
        """Trouble that was told stands for a while, in figures of now where they are there: it does not come and go."""
        coming = guidance.coming
        if self.last is not None and self._followed and now - self.last.t < ASKED_FOR_S:
            coming = tuple(one for one in coming if one.kind not in BENDS)
        kinds = [one.kind for one in coming]
        if kinds != [one.kind for one in self._coming]:
            if self._coming and now - self._coming_t < JUDGED_S:
                return self._coming
            self._coming_t = now
        self._coming = coming
        return self._coming

    def _judge(self, guidance: Guidance | None, now: float) -> None:
        landing = guidance.landing if guidance is not None else None
        place = landing.placed(self.place) if landing is not None else None
        if place is None:
            if now - self._judged_t >= JUDGED_S:  # one forecast that says nothing takes nothing back
                self.place, self.landing = None, None
        elif place is self.place or self.place is None or now - self._judged_t >= JUDGED_S:
            if place is not self.place:
                self._judged_t = now
            self.place, self.landing = place, landing

    def _judge_help(self, guidance: Guidance | None, now: float) -> None:
        """Whether no step helps is said of an end that is surely off, and neither said nor taken back for a second."""
        if guidance is None:
            return
        off = guidance.landing.off if guidance.landing is not None else ()
        end = any(one.outside and one.kind != "stage" for one in off)
        none = guidance.tried and guidance.advice is None and end
        if none is self.helpless:
            self._help_t = now
        elif now - self._help_t >= (JUDGED_S if self.helpless else TRULY_S):
            self.helpless, self._help_t = none, now

    def _advise(self, offered: Advice | None, now: float, marks: Mapping[MarkKind, Mark]) -> None:
        from firnel.core.guidance import Given, may_advise  # not wanted before a batch is looked ahead
        from firnel.core.landing import Place

        since = now - self._given_t
        standing = self.advice
        if standing is not None and (
            since > ADVICE_ENDS_S
            or (offered is None and since > ADVICE_HOLDS_S)
            or (offered is not None and _key(offered) != _key(standing) and since > ADVICE_HOLDS_S)
            or (self.place is Place.INSIDE and standing.off.kind != "stage")
        ):
            self._in_vain(standing, since)
            self.advice = standing = None
        self.silent = None
        if offered is None:
            return
        if self._ignored.get(_key(offered), 0) >= IN_VAIN:
            self.silent = offered.off
            return
        if standing is not None and _key(offered) == _key(standing):
            if offered.choice.to == standing.choice.to:
                # The same, in figures of now; what is to follow stands as it was told.
                self.advice = replace(offered, choice=replace(offered.choice, then=standing.choice.then))
            elif now - self._figured_t > ADVICE_HOLDS_S and _elsewhere(offered, standing):
                self.advice, self._figured_t = offered, now
                self.last = Given.of(offered.choice, self._given_t)
            return
        inside = self.place is Place.INSIDE and offered.off.kind != "stage"
        # Of an advice that nobody followed nothing comes that were to be waited for, if there is worse by now.
        worse = not self._followed and self._off is not None and offered.off.in_tolerances > WORSE * self._off.in_tolerances
        expected = self.expected(now) or {}
        left_s = expected.get(MarkKind.DROP, now) - now
        if standing is None and not inside and may_advise(since, marks, worse, left_s):
            self.advice, self._off, self._followed = offered, offered.off, False
            self._given_t = self._figured_t = now
            self.last = Given.of(offered.choice, now)
            self.given += 1

    def _in_vain(self, advice: Advice, since: float) -> None:
        if since < HEARD_S:
            return  # it was no longer needed before a hand could have followed it
        self._ignored[_key(advice)] = self._ignored.get(_key(advice), 0) + 1

    def expected(self, now: float) -> Mapping[MarkKind, float] | None:
        """When the machine's model expects the marks to come, in log time; None while it does not say. [s]"""
        guidance = self.guidance
        if guidance is None or guidance.forecast.basis != "model" or not self.holds(guidance, now):
            return None
        return guidance.marks

    def out_of_reach(self, now: float) -> tuple[MarkKind, ...]:
        """The marks that do not come as the hands stand: the first of them, and all behind it."""
        guidance = self.guidance
        if guidance is None or not self.holds(guidance, now):
            return ()
        never = next((one.never for one in guidance.coming if one.never is not None), None)
        return EXPECTED_MARKS[EXPECTED_MARKS.index(never) :] if never is not None else ()

    @staticmethod
    def holds(guidance: Guidance, now: float) -> bool:
        """Whether it is fresh enough to be gone by."""
        return now - guidance.at <= FORECAST_HOLDS_S

    def hand_moved(self, control: Control, settled: Container[int]) -> None:
        """A hand has moved this control: what comes of it is looked at before anything is advised there.

        Parameters
        ----------
        control : that was moved.
        settled : the planned moves that are answered by now: no advice says how else to make them.
        """
        self._ignored.clear()
        self.silent, self._coming, self._followed, self.helpless = None, (), True, False
        if self.advice is not None and self.advice.choice.control == control:
            move = self.advice.choice.move
            if move is None or move in settled:
                self.advice = None

    def taken(self) -> None:
        """The advice was taken."""
        self._ignored.clear()
        self._followed = True
        self.advice = None


def _elsewhere(offered: Advice, standing: Advice) -> bool:
    """Whether the same advice goes so far elsewhere that a hand is to be told anew."""
    way = abs(standing.choice.to - standing.choice.setting)
    same_move = offered.choice.move == standing.choice.move
    return not same_move or abs(offered.choice.to - standing.choice.to) >= ELSEWHERE * way


def _key(advice: Advice) -> tuple[Control, str, bool]:
    """What makes two pieces of advice the same: the control, the target, and which way it is missed."""
    return advice.choice.control, advice.off.name, advice.off.by > 0.0
