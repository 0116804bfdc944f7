"""The draft of a plan as it lies in the library until it is kept or left: it outlasts views, ends and crashes."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from firnel.core.words import tr
from firnel.work.desk import Desk
from firnel.work.plan.draft import PlanDraft, draft_from_document, draft_to_document

#: Under this name it lies in the library.
DRAFT = "plan"


class KeptDraft:
    """Reads it at once, and has it written beside the window, in order.

    Parameters
    ----------
    desk : whose library it lies in.
    aside : does the writing: a name, the job, what hears its answer, what hears that it failed.
    say : tells what went wrong.
    """

    def __init__(self, desk: Desk, aside: Callable[..., None], say: Callable[[str], None]) -> None:
        self._desk, self._aside, self._say = desk, aside, say

    @property
    def waits(self) -> bool:
        """Whether an end or a crash has left one."""
        return self._desk.library.draft_book.read(DRAFT) is not None

    def read(self) -> tuple[PlanDraft, dict[str, Any]] | None:
        """The draft with its way back, and what was kept about it; None if there is none.

        Raises
        ------
        ValueError : if it cannot be read; it is gone then.
        """
        document = self._desk.library.draft_book.read(DRAFT)
        if document is None:
            return None
        try:
            return draft_from_document(document)
        except (ValueError, KeyError, TypeError, IndexError) as error:
            self._desk.library.draft_book.leave(DRAFT)
            raise ValueError(tr("A draft could not be read any more ({}).", error)) from error

    def keep(self, draft: PlanDraft, about: dict[str, Any]) -> None:
        """Write it as it stands."""
        book, copy = self._desk.library.draft_book, draft.copy()
        self._aside("draft", lambda: book.keep(DRAFT, draft_to_document(copy, about)), _nothing, self._say)

    def leave(self) -> None:
        """It is gone."""
        book = self._desk.library.draft_book
        self._aside("draft", lambda: book.leave(DRAFT), _nothing, self._say)


def _nothing(_value: Any) -> None:
    pass
