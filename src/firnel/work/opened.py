"""Documents that are opened with Firnel, as on a double click: plans are kept, batches and logs taken in."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from firnel.core.stages import MarkOrderError
from firnel.core.words import tr
from firnel.store.library import Library
from firnel.work.plan.files import read_plan_file
from firnel.work.review.records import ImportRefusedError, ImportWishes, TakenInBeforeError, import_file


@dataclass(frozen=True)
class Opened:
    """What came of it: the last plan by its name, the last batch by its label, and what is to be said."""

    plan: str = ""
    batch: str = ""
    said: tuple[str, ...] = ()


def take_in_documents(library: Library, files: Sequence[Path]) -> Opened:
    """Take each file in; one that is none is told, and the others are taken all the same.

    Raises
    ------
    LibraryError : if the library refuses.
    """
    opened = Opened()
    for path in files:
        try:
            plan = read_plan_file(path)
        except ImportRefusedError:
            opened = _take_batch(library, path, opened)
            continue
        known = next((one for one in library.plans() if one.name == plan.name), None)
        kept = library.save_plan(replace(plan, id=known.id if known is not None else None), tr("from {}", path.name))
        words = tr("{}: the plan {}, version {}.", path.name, kept.name, kept.version)
        opened = replace(opened, plan=kept.name, said=(*opened.said, words))
    return opened


def _take_batch(library: Library, path: Path, opened: Opened) -> Opened:
    try:
        key, imported = import_file(library, path, ImportWishes())
    except TakenInBeforeError as before:
        return replace(opened, batch=before.label, said=(*opened.said, str(before)))
    except (ImportRefusedError, MarkOrderError) as error:
        return replace(opened, said=(*opened.said, f"{path.name}: {error}"))
    label = library.batch(key).label
    guessed = "; ".join(imported.said)
    words = tr("{}: batch {}{}.", path.name, label, f" ({guessed})" if guessed else "")
    return replace(opened, batch=label, said=(*opened.said, words))
