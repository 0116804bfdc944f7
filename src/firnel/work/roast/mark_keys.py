"""What the hand can do with the marks of a batch: set them, say what they truly were, move them.

A key never does in silence what it may not have meant: a mark that cannot be yet is asked back in a word, Space says what it
took, and one key makes it the other.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from firnel.core.units import clock
from firnel.core.vocabulary import EXPECTED_MARKS, Found, Mark, MarkKind
from firnel.core.words import capital, tr
from firnel.work.roast.advising import Advising
from firnel.work.roast.batch_state import BatchState
from firnel.work.roast.mark_doubts import SOONEST_DROP_S, Meant, doubt_of, early_drop, means_space
from firnel.work.roast.mark_watch import MarkWatch, levels_of, reached
from firnel.work.roast.probe_mistakes import charge_doubted

#: A key again within this time is one key; one that was asked back is meant within that. [s]
BOUNCE_S, ASKED_S = 0.8, 8.0
#: A drop that was asked back and is confirmed so soon fell at the first key. [s]
CONFIRMED_S = 4.0
#: The other meaning of Space can be taken for so long. [s]
OTHER_S = 45.0
#: A mark that was picked for nudging stays picked for so long. [s]
PICKED_S = 20.0


@dataclass
class _Press:
    """The last Space: when, what it set, and what else it may have meant."""

    at: float
    mark: Mark
    other: Mark | None


class MarkKeys(BatchState):
    """The running batch with the keys that set its marks."""

    _asked: tuple[MarkKind, float] | None = None
    _press: _Press | None = None
    _picked: tuple[MarkKind, float] | None = None

    @property
    def dropped_unseen(self) -> bool:
        """Whether the drop was only found in the readings, and no hand has taken it as found: nobody has said so."""
        return super().dropped_unseen and (self._press is None or self._press.mark.kind is not MarkKind.DROP)

    def space(self, at: float) -> Mark | None:
        """The one key that marks: what it means at that clock time [s] is what the window says it means."""
        if not self.recording:
            self.say(tr("No batch is running: nothing to mark."))
            return None
        if charge_doubted(self):
            self._confirm_charge()
            return None
        meant = means_space(self)
        if meant is None:
            self._confirm_drop(at)
            return None
        if self._press is not None and abs(at - self._press.at) < BOUNCE_S:
            self.say(tr("{mark} once: {} is marked.", self._press.mark.kind.words))
            return None
        t = self.log_time(at)
        mark = self._mark_of(meant, t)
        set_mark = self._set_by_hand(mark, at, self._one_key_too_many(mark, at))
        if set_mark is not None:
            other = Mark(meant.other, t, self.trace.bean_at(t), Found.KEY) if meant.other is not None else None
            if other is None and mark.t != t:
                other = replace(mark, t=t, bean=self.trace.bean_at(t), found=Found.KEY)
            self._press = _Press(at, set_mark, other)
            self.say(_took(meant, self.now() - mark.t))
        return set_mark

    def _confirm_charge(self) -> None:
        """The beans are in, whatever the probe reads: they were before it was read."""
        charge = self._hands.marks[MarkKind.CHARGE]
        with self._hands.by_hand():
            self._set_mark(replace(charge, found=Found.GIVEN))
        self.say(tr("The beans are in. {set control}, then “charge 6:30”, says how long ago they fell in."))

    def charged_ago(self, seconds: float) -> None:
        """The beans fell in so long ago, whatever was marked. [s]"""
        t = self.now() - seconds
        mark = Mark(MarkKind.CHARGE, t, self.trace.bean_at(t), Found.GIVEN)
        if not self.recording or seconds < 0.0:
            self.say(tr("A mark cannot lie in the future.") if self.recording else tr("No batch is running: nothing to mark."))
        elif wrong := self._contradiction(mark):
            self.say(wrong)
        else:
            with self._hands.by_hand():
                self._charge_anew(mark)
            self.say(tr("Charged {} ago.", clock(seconds)))

    def _charge_anew(self, mark: Mark | None) -> None:
        """The beans fell in at another moment, or not yet: what was found, worked out and settled by the last one is gone."""
        if mark is not None:
            self._set_mark(mark)
        else:
            for kind in (MarkKind.CHARGE, MarkKind.TURNING):
                self._hands.set("marks", kind, None)
            self._watch.forget()
            self._rate_from_charge()
        before = [index for index, one in self._hands.settled.items() if mark is None or one.t < mark.t]
        for index in before:  # done to the empty drum
            self._hands.set("settled", index, None)
        self._found, self._advising = MarkWatch(), Advising()
        self._write_marks()

    def _confirm_drop(self, at: float) -> None:
        """Every mark is set: where the drop was only found, it was one."""
        if not self.dropped_unseen:
            self.say(tr("All marks are set."))
            return
        drop = self._hands.marks[MarkKind.DROP]
        with self._hands.by_hand():  # what this key has done, it stands as it was: so that it can be taken back
            self._hands.set("marks", MarkKind.DROP, None)
            self._hands.set("marks", MarkKind.DROP, drop)
        self._press = _Press(at, drop, None)
        self.say(tr("The drum is empty: dropped as it was found."))

    def mark_next(self, at: float) -> Mark | None:
        """Set the next expected mark, at the clock time of the key-down [s]; None if none is expected."""
        kind = self.next_expected()
        return self.mark(kind, at) if kind is not None else None

    def mark(self, kind: MarkKind, at: float) -> Mark | None:
        """Set a mark at a clock time [s]; None (and a message) where it contradicts the others or is asked back."""
        if not self.recording:
            self.say(tr("No batch is running: nothing to mark."))
            return None
        t = self.log_time(at)
        mark = self._set_by_hand(Mark(kind, t, self.trace.bean_at(t), Found.KEY), at)
        if mark is not None:
            self.say("")
        return mark

    def other(self) -> None:
        """The last Space meant the other thing."""
        press = self._press
        if press is None or press.other is None or self.clock.now() - press.at > OTHER_S:
            self.say(tr("There is nothing else that {mark} could have meant."))
            return
        wanted, first = press.other, press.mark
        rest = [m for m in self._hands.marks.values() if m.kind not in (first.kind, wanted.kind)]
        if wrong := self._contradiction(wanted, rest):
            self.say(wrong)
            return
        asked, now = self._asked, self.clock.now()
        again = asked is not None and asked[0] is wanted.kind and now - asked[1] <= ASKED_S
        if (doubt := doubt_of(self, wanted, first.kind)) and not again:
            self._asked = (wanted.kind, now)
            self.say(tr("{} If so, press {other} again.", doubt))
            return
        with self._hands.by_hand():
            self._hands.set("marks", first.kind, None)
            filled = self._hands.marks.get(wanted.kind)
            if filled is not None:
                self._hands.set("marks", wanted.kind, None)
            self._set_mark(wanted)
        self._press = _Press(press.at, wanted, first)
        ago = self.now() - wanted.t
        then = tr(", {:.0f} s ago", ago) if ago > 2 else ""
        self.say(tr("{} it was{}. {other}: {} after all.", capital(wanted.kind.words), then, first.kind.words))

    def _mark_of(self, meant: Meant, t: float) -> Mark:
        if meant.found is not None:
            return meant.found.mark
        return Mark(meant.kind, t, self.trace.bean_at(t), Found.KEY)

    def _set_by_hand(self, mark: Mark, at: float, doubt: str = "") -> Mark | None:
        """Set a mark that a hand wants, unless it contradicts the others, or is in doubt and was not asked back already."""
        if wrong := self._contradiction(mark):
            self.say(wrong)
            return None
        asked = self._asked
        again = asked is not None and asked[0] is mark.kind and BOUNCE_S <= at - asked[1] <= ASKED_S
        if mark.kind in (MarkKind.FIRST_CRACK_END, MarkKind.SECOND_CRACK) and MarkKind.FIRST_CRACK not in self.reckoned:
            self.say(tr("{}? First crack is not marked yet: {mark} marks it.", capital(mark.kind.words)))
            return None
        doubt = doubt or doubt_of(self, mark)
        if doubt and not again:
            self._asked = (mark.kind, at) if asked is None or at - asked[1] >= BOUNCE_S else asked
            self.say(tr("{} If so, press it again.", doubt))
            return None
        if doubt and asked is not None and mark.kind is MarkKind.DROP and at - asked[1] <= CONFIRMED_S:
            t = self.log_time(asked[1])
            mark = replace(mark, t=t, bean=self.trace.bean_at(t))
        self._asked = None
        with self._hands.by_hand():
            self._fill_before(mark)
            self._set_mark(mark)
        return mark

    def _one_key_too_many(self, mark: Mark, at: float) -> str:
        """A drop long before its time, or right behind the key that took a first crack as it was found, of some time ago."""
        press = self._press
        taken = press is not None and press.mark.kind is MarkKind.FIRST_CRACK and press.mark.found is not Found.KEY
        if mark.kind is MarkKind.DROP and press is not None and taken and at - press.at < SOONEST_DROP_S:
            return tr("Drop {:.0f} s after {}?", at - press.at, tr("the key for first crack"))
        return early_drop(self, mark)

    def _fill_before(self, mark: Mark) -> None:
        """Marks that this one presumes and nobody has set: taken as they were found, and never as set by a hand."""
        order = list(EXPECTED_MARKS)
        last = order.index(mark.kind) if mark.kind in order else order.index(MarkKind.DROP)
        for kind in order[1:last]:
            if kind in self._hands.marks or mark.kind is MarkKind.TURNING:
                continue
            offer = self._found.offers.get(kind)
            found = offer.mark if offer is not None else self._from_reading(kind)
            if found is not None and not self._contradiction(found, [*self._hands.marks.values(), mark]):
                self._hands.set("marks", kind, found)

    def _from_reading(self, kind: MarkKind) -> Mark | None:
        t = reached(self, levels_of(self, kind)[0])
        return Mark(kind, t, self.trace.bean_at(t), Found.CURVE) if t is not None else None

    def decline(self) -> bool:
        """The mark that stands offered has not come yet. False where none is offered."""
        if charge_doubted(self):
            self._charge_anew(None)
            self.say(tr("The beans are not in yet. {mark} marks the charge when they fall in."))
            return True
        meant = means_space(self)
        offers = self.offers
        kind = meant.kind if meant is not None and meant.kind in offers else next(reversed(offers), None)
        if kind is None and self.dropped_unseen:
            self._hands.set("marks", MarkKind.DROP, None)
            self._found.decline(MarkKind.DROP, self.now())
            self._write_marks()
            self.say(tr("The beans are still in. {mark} marks the drop when it comes."))
            return True
        if kind is None or self.now() - offers[kind].since < BOUNCE_S:
            return False
        self._found.decline(kind, self.now())
        self.say(tr("{}: not yet. {mark} marks it when it comes.", capital(kind.words)))
        return True

    @property
    def picked(self) -> MarkKind | None:
        """The mark that a nudge moves: the one that was picked, else the last."""
        own = [mark for mark in self._hands.marks.values() if mark.kind is not MarkKind.TURNING]
        if not own:
            return None
        if self._picked is not None and self._picked[0] in self._hands.marks and self.clock.now() - self._picked[1] < PICKED_S:
            return self._picked[0]
        return max(own, key=lambda mark: mark.t).kind

    def pick(self) -> None:
        """Pick the mark before the one that is picked, and the last one after the first."""
        own = sorted((m for m in self._hands.marks.values() if m.kind is not MarkKind.TURNING), key=lambda m: m.t)
        kind = self.picked
        if kind is None:
            self.say(tr("There is no mark to pick yet."))
            return
        fresh = self._picked is None or self.clock.now() - self._picked[1] >= PICKED_S
        kinds = [mark.kind for mark in own]
        chosen = kinds[(kinds.index(kind) - (0 if fresh and len(kinds) == 1 else 1)) % len(kinds)]
        self._picked = (chosen, self.clock.now())
        self.say(tr("Picked: {}. {nudge back} and {nudge on} nudge it.", chosen.words))

    def nudge(self, seconds: float) -> None:
        """Move the picked mark, or the last, by some seconds."""
        kind = self.picked
        if kind is None:
            self.say(tr("There is no mark to nudge yet."))
            return
        known = self._hands.marks[kind]
        moved = replace(known, t=known.t + seconds, bean=self.trace.bean_at(known.t + seconds))
        if moved.t > self.now():
            self.say(tr("A mark cannot lie in the future."))
            return
        if wrong := self._contradiction(moved):
            self.say(wrong)
            return
        if self._picked is not None:
            self._picked = (self._picked[0], self.clock.now())
        with self._hands.by_hand():
            self._set_mark(moved)


def _took(meant: Meant, ago: float) -> str:
    """What Space took, and what one key makes of it."""
    word = capital(meant.kind.words)
    if meant.found is not None:
        return tr("{} taken as found, {:.0f} s ago. {other}: it is now.", word, ago)
    return tr("Taken as {}. {other}: it was {}.", meant.kind.words, meant.other.words) if meant.other is not None else ""
