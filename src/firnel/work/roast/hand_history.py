"""What the hand did in a batch, and the way back: undo gives back the last key, and never what the machine reported."""

from __future__ import annotations

from collections.abc import Callable, Iterator, MutableMapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Any

from firnel.core.settling import Advised, Settled
from firnel.core.vocabulary import Control, Mark, MarkKind, Move, Note

#: So many keys can be taken back.
MOST_KEPT = 200


@dataclass(frozen=True)
class Change:
    """One entry that a key changed: in which table, under which key, what stood there before and what stands there since."""

    table: str
    key: Any
    before: Any
    after: Any


@dataclass
class HandHistory:
    """Marks, moves, notes and settings of a batch; only its session writes them.

    What is set inside `by_hand` is one key's doing and can be taken back; what is set outside stays.
    """

    marks: dict[MarkKind, Mark] = field(default_factory=dict)
    moves: dict[int, Move] = field(default_factory=dict)  #: by a running number
    notes: dict[int, Note] = field(default_factory=dict)
    settled: dict[int, Settled] = field(
        default_factory=dict
    )  #: what the hand made of planned moves, by their place in the plan
    advised: dict[int, Advised] = field(default_factory=dict)  #: planned moves as advice taken has them, and moves that joined
    held: dict[Control, float] = field(default_factory=dict)  #: how the controls stand, as far as known
    now: Callable[[], float] = float  #: stamps the keys
    _past: list[tuple[float, tuple[Change, ...]]] = field(default_factory=list)
    _open: list[Change] | None = None
    _number: int = 0

    @contextmanager
    def by_hand(self) -> Iterator[None]:
        """All that is set inside is the doing of one key."""
        if self._open is not None:
            yield  # a key within a key is still one
            return
        self._open = []
        try:
            yield
        finally:
            changes, self._open = tuple(self._open), None
            if changes:
                self._past = [*self._past[1 - MOST_KEPT :], (self.now(), changes)]

    @property
    def last_t(self) -> float:
        """When the last key that can be taken back was pressed; long ago where there is none. [s]"""
        return self._past[-1][0] if self._past else float("-inf")

    def set(self, table: str, key: Any, value: Any) -> None:
        """Let ``value`` stand under ``key`` of a table; None takes it away."""
        entries = self._table(table)
        before = entries.get(key)
        if before == value:
            return
        _put(entries, key, value)
        if self._open is not None:
            self._open.append(Change(table, key, before, value))

    def add(self, table: str, value: Move | Note) -> int:
        """Add a move or a note; returns its number."""
        self._number += 1
        self.set(table, self._number, value)
        return self._number

    def undo(self) -> tuple[Change, ...]:
        """Take the last key back, as far as nobody else has changed it since. What was undone; empty where nothing was left."""
        if not self._past:
            return ()
        undone = []
        for change in reversed(self._past.pop()[1]):
            entries = self._table(change.table)
            if entries.get(change.key) == change.after:
                _put(entries, change.key, change.before)
                undone.append(change)
        return tuple(undone)

    def move_list(self) -> list[Move]:
        """The moves in the order of their moments."""
        return sorted(self.moves.values(), key=lambda move: move.t)

    def note_list(self) -> list[Note]:
        """The notes in the order of their moments."""
        return sorted(self.notes.values(), key=lambda note: note.t)

    def _table(self, name: str) -> MutableMapping[Any, Any]:
        table: MutableMapping[Any, Any] = getattr(self, name)
        return table


def _put(entries: MutableMapping[Any, Any], key: Any, value: Any) -> None:
    if value is None:
        entries.pop(key, None)
    else:
        entries[key] = value
