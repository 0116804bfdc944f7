"""The running batch and its journal: what keeps it in the library, or beside it while that refuses."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from firnel.core.vocabulary import EXPECTED_MARKS, MarkKind
from firnel.core.words import tr
from firnel.devices.clock import Clock
from firnel.store.journal import Journal
from firnel.store.library import Library
from firnel.store.spill import Spill
from firnel.work.roast.hand_keys import HandKeys

#: A batch that is done with waits so long to hear that it is written; then it is told that it is not yet. [s]
PATIENCE_S = 2.0


def _at_once(call: Callable[[], None]) -> None:
    call()


class KeptBatch(HandKeys):
    """The running batch as it is written, ended and left.

    Parameters
    ----------
    library, clock, on_change, post, spill : as in `RoastSession`.
    """

    def __init__(
        self,
        library: Library,
        clock: Clock,
        on_change: Callable[[], None] = lambda: None,
        post: Callable[[Callable[[], None]], None] = _at_once,
        spill: Spill | None = None,
    ) -> None:
        super().__init__(clock, on_change)
        self.library, self._post, self._spill = library, post, spill
        self.begin_aside = False  #: a batch is begun in the library by another thread, which tells its number soon after
        self._last_id: int | None = None
        self._shelved: list[Journal] = []  # of batches that are done with, while the library still refuses them

    def close(self) -> bool:
        """End the record of this batch, however far it is. False if the library still refuses what is left."""
        if self._journal is None:
            return True
        if MarkKind.CHARGE not in self._hands.marks:
            self._journal.status("discarded")  # nothing was roasted
        elif MarkKind.DROP not in self._hands.marks:
            self._take_found()
            self._journal.status("dropped")
        return self._shelve()

    @property
    def kept_nowhere(self) -> bool:
        """Whether part of a batch lies in memory only, and is lost if the program ends now."""
        return any(one.kept_nowhere for one in (*self._shelved, *([self._journal] if self._journal is not None else [])))

    def _take_found(self) -> None:
        """Marks that nobody has taken stay in the record as what they are: found."""
        for kind in EXPECTED_MARKS:
            offer = self._found.offers.pop(kind, None)
            if offer is not None and kind not in self._hands.marks and not self._contradiction(offer.mark):
                self._hands.set("marks", kind, offer.mark)
        self._write_marks()

    def flush(self) -> bool:
        """Wait until what has come in is in the library; False if that takes too long."""
        return self._journal is None or self._journal.flush()

    @property
    def last_id(self) -> int | None:
        """Id of the batch that runs, or ran last; None where the library has none of it."""
        return self._journal.key if self._journal is not None else self._last_id

    def _shelve(self) -> bool:
        """The batch is done with: its journal writes on until all is in the library."""
        journal, self._journal = self._journal, None
        if journal is None:
            return True
        written = journal.close(PATIENCE_S)
        self._last_id = journal.key
        if written:
            return True
        self._shelved = [*(one for one in self._shelved if one.waits), journal]
        return False

    def leave(self) -> str:
        """The program ends: the batch stays as it stands, to be gone on with at the next start.

        Returns
        -------
        What is not in the library, and where it is kept, as a sentence; empty where all is written.
        """
        if self._journal is not None and not self.roasting:
            self.close()
        open_ones = [*self._shelved, *([self._journal] if self._journal is not None else [])]
        self._journal, self._shelved = None, []
        kept = [journal.leave() for journal in open_ones]
        waiting = [journal for journal in open_ones if journal.waits]
        if not waiting:
            return ""
        labels = ", ".join(journal.label for journal in waiting if journal.label)
        which = tr("batch {}", labels) if labels else tr("a batch that has no number yet")
        if not all(kept):
            return tr("Part of {} could not be written anywhere, and is lost: is every disk full?", which)
        where = tr("It is kept in {}, and brought in at the next start.", ", ".join({journal.kept_in for journal in waiting}))
        if any(journal.in_a_refuge for journal in waiting):
            where += " " + tr("Make room, and start Firnel again before this computer is switched off.")
        return tr("Part of {} is not in the library. {}", which, where)

    def _write_reading(self, index: int) -> None:
        if self._journal is None:
            return
        self._journal.reading((*self.trace.row(index), int(self.trace.quality_at(index))))

    def _new_journal(self, batch: int | dict[str, Any], by_word: bool = False) -> Journal:
        return Journal(
            self.library,
            batch,
            lambda: self.clock.rate,
            self._trouble_later,
            self._spill,
            by_word=by_word,
            aside=self.begin_aside,
        )

    def air(self, station: str, said: dict[str, Any]) -> None:
        """Tell other stations what is said of the running batch now."""
        if self._journal is not None and self.phase != "cooling":
            self._journal.live(station, said)

    def _trouble_later(self, sentence: str | None) -> None:
        """Called from the journal's thread."""
        self._post(lambda: self.report_trouble(sentence))

    def report_trouble(self, sentence: str | None) -> None:
        """The journal cannot write, or can again."""
        self.trouble = sentence
        if sentence is None and self._shelved:
            self._shelved = [journal for journal in self._shelved if journal.waits]
            if not self._shelved:
                self.message = tr("All is in the library now.")
        self._changed()
