"""What is to be heard: which tone, and which words, when the cue comes to be due, soon, over, or a warning."""

from __future__ import annotations

from dataclasses import dataclass

from firnel.work.roast.advice_words import Told
from firnel.work.roast.cue import Cue

TONES = ("move", "soon", "drop", "warning")
#: Danger that stands is heard again after this; any other warning only when it was not told for so long. [s]
AGAIN_S, ONCE_S = 6.0, 45.0


@dataclass(frozen=True)
class Announcement:
    """A tone of `TONES`, and the words for a voice."""

    tone: str
    words: str


class Announcer:
    """Looks at each cue; says what has newly come to be heard."""

    def __init__(self) -> None:
        self._urgency, self._headline, self._warned = "calm", "", ("", float("-inf"))
        self._heard: dict[str, float] = {}

    def look(self, cue: Cue, told: Told, now: float) -> Announcement | None:
        """What is to be heard now, at a clock time [s]; None where nothing is new."""
        before, self._urgency = self._urgency, cue.urgency
        words = cue.headline.replace("→", "to")
        base = words.rpartition(" in ")[0] or words
        headline, self._headline = self._headline, base
        if cue.urgency == "danger":
            again = self._warned[0] != "danger" or now - self._warned[1] > AGAIN_S
            if again:
                self._warned = ("danger", now)
                return Announcement("warning", words)
            return None
        if told.urgency == "warn":
            words_told = _steady(told.text)
            fresh = now - self._heard.get(words_told, float("-inf")) > ONCE_S
            self._heard[words_told] = now
            if fresh:
                return Announcement("warning", told.text)
        self._warned = ("", now)
        if (before, headline) == (cue.urgency, base):
            return None
        tone = {"soon": "soon", "due": "move", "drop": "drop"}.get(cue.urgency)
        return Announcement(tone, words) if tone is not None and before != cue.urgency else None


def _steady(text: str) -> str:
    """Figures in it change each second; the words do not."""
    return "".join(character for character in text if not character.isdigit())
