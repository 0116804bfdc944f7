"""Batches that a library refused: where they lie, and how they come into it again at the next start."""

from __future__ import annotations

import time
from collections.abc import Collection
from dataclasses import dataclass, field
from pathlib import Path

from firnel.core.words import tr
from firnel.store.library import Library
from firnel.store.recovery import recover
from firnel.store.spill import is_ours, refuges
from firnel.store.writing import LibraryError
from firnel.work.settings import settings_path


@dataclass
class BroughtIn:
    """What came of it, in sentences: of what came in, and of what has to wait."""

    came: list[str] = field(default_factory=list)
    waits: list[str] = field(default_factory=list)

    @property
    def said(self) -> list[str]:
        """All of them."""
        return self.came + self.waits


def spill_folder() -> Path:
    """Where batches are kept while a library refuses them: beside the settings."""
    return settings_path().parent / "spill"


def recover_spilled(
    library: Library, folder: Path | None = None, insist: bool = False, at_work: Collection[str] = ()
) -> BroughtIn:
    """Bring in what an earlier run could not write.

    Parameters
    ----------
    folder : beside the settings where none is named.
    insist : it must not wait.
    at_work : batches that this process writes now, by their tokens.

    Raises
    ------
    LibraryError : if it has to wait all the same.
    """
    brought = BroughtIn()
    for place in (folder or spill_folder(), *(refuge for refuge in refuges() if is_ours(refuge))):
        try:
            brought.came += recover(library, place, time.time(), at_work)
        except LibraryError as error:
            if insist:
                raise
            brought.waits.append(tr("Part of a batch waits in {} still: {}", place, error))
    return brought
