"""Batches that a library refused: where they lie, and how they come into it again at the next start."""

from __future__ import annotations

import time
from collections.abc import Collection
from pathlib import Path

from firnel.core.words import tr
from firnel.store.library import Library
from firnel.store.recovery import recover
from firnel.store.spill import is_ours, refuges
from firnel.store.writing import LibraryError
from firnel.work.settings import settings_path


def spill_folder() -> Path:
    """Where batches are kept while a library refuses them: beside the settings."""
    return settings_path().parent / "spill"


def recover_spilled(
    library: Library, folder: Path | None = None, insist: bool = False, at_work: Collection[str] = ()
) -> list[str]:
    """Bring in what an earlier run could not write; a sentence for each batch, or why it has to wait.

    Parameters
    ----------
    folder : beside the settings where none is named.
    insist : it must not wait.
    at_work : batches that this process writes now, by their tokens.

    Raises
    ------
    LibraryError : if it has to wait all the same.
    """
    said: list[str] = []
    for place in (folder or spill_folder(), *(refuge for refuge in refuges() if is_ours(refuge))):
        try:
            said += recover(library, place, time.time(), at_work)
        except LibraryError as error:
            if insist:
                raise
            said.append(tr("Part of a batch waits in {} still: {}", place, error))
    return said
