"""What the library would not take: kept in a file until it does, and found again at the next start.

It lies beside the settings; where that cannot be written either, in a refuge on whatever disk can.
"""

from __future__ import annotations

import errno
import json
import logging
import os
import threading
import time
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from firnel.core.vocabulary import Control, Found, Mark, MarkKind, Move, Note
from firnel.core.words import tr
from firnel.store.batch_rows import OWN_COLUMNS
from firnel.store.pending import Corrected, Pending, ReadingRow

log = logging.getLogger(__name__)

FORMAT = "firnel-spill-1"
SUFFIX = ".spill.json"
#: Room that is held on the disk of the settings, to be given up for a spill when that disk is full. [bytes]
RESERVE_BYTES = 2_000_000


@dataclass(frozen=True)
class Spilled:
    """One file of a batch: which it is, from which library, and what waits."""

    path: Path
    library: str  #: identity of the library
    where: str  #: the library as it is shown
    token: str
    key: int | None
    label: str
    seq: int
    process: str  #: that wrote it, as an `Owner`
    at: float  #: when [s of the epoch]
    pending: Pending


class Spill:
    """Writes the files of one library.

    Parameters
    ----------
    folder : beside the settings; made when it is wanted.
    identity, where : the library that the batches belong to, and where it lies.
    process : this one, as an `Owner`.
    refuges : folders elsewhere, in the order in which they are tried where that one cannot be written.
    """

    def __init__(self, folder: Path, identity: str, where: str, process: str, refuges: tuple[Path, ...] = ()) -> None:
        self.folder, self._identity, self._where, self._process = folder, identity, where, process
        self._refuges = refuges
        self._lock = threading.Lock()
        self._lies_in: dict[str, Path] = {}  #: by batch, the folder in which its newest file lies

    @property
    def held(self) -> frozenset[str]:
        """The batches of which something is kept, by their tokens."""
        with self._lock:
            return frozenset(self._lies_in)

    def lies_in(self, token: str) -> Path:
        """The folder in which a batch is kept."""
        return self._lies_in.get(token, self.folder)

    def in_a_refuge(self, token: str) -> bool:
        """Whether a batch is kept where a computer that is switched off may not have it any more."""
        return self.lies_in(token) != self.folder

    def hold_room(self) -> None:
        """Hold some room on this disk, so that a batch can be kept even when it is full."""
        reserve = self.folder / "reserve"
        try:
            if reserve.exists() and reserve.stat().st_size >= RESERVE_BYTES:
                return
            self.folder.mkdir(parents=True, exist_ok=True)
            with reserve.open("wb") as file:
                file.write(os.urandom(4096) * (RESERVE_BYTES // 4096 + 1))
        except OSError:
            log.warning("no room could be held for a spill", exc_info=True)
            _remove(reserve)

    def keep(self, token: str, key: int | None, label: str, seq: int, pending: Pending) -> bool:
        """Keep what waits of a batch, in place of what was kept of it before; False if that cannot be written either."""
        document = {
            "format": FORMAT, "library": self._identity, "where": self._where, "token": token, "batch": key, "label": label,
            "seq": seq, "process": self._process, "at": time.time(), "pending": _to_document(pending),
        }  # fmt: skip
        text = json.dumps(document, ensure_ascii=False)
        with self._lock:
            before = self.lies_in(token)
            kept = next((folder for folder in (self.folder, *self._refuges) if self._put_or_log(folder, token, text)), None)
            if kept is None:
                return False
            self._lies_in[token] = kept
            if before != kept:
                _remove(before / f"{token}{SUFFIX}")
        return True

    def forget(self, token: str) -> None:
        """The library has it all."""
        with self._lock:
            _remove(self._lies_in.pop(token, self.folder) / f"{token}{SUFFIX}")

    def _put_or_log(self, folder: Path, token: str, text: str) -> bool:
        try:
            try:
                self._put(folder, token, text)
            except OSError as error:
                if folder != self.folder or error.errno not in (errno.ENOSPC, errno.EDQUOT):
                    raise
                (folder / "reserve").unlink(missing_ok=True)
                self._put(folder, token, text)
        except OSError:
            log.exception("the spill cannot be written in %s", folder)
            return False
        return True

    def _put(self, folder: Path, token: str, text: str) -> None:
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        if folder != self.folder and not is_ours(folder):
            raise PermissionError(errno.EACCES, "It belongs to somebody else", str(folder))
        fresh = folder / f"{token}.new"
        try:
            with fresh.open("w", encoding="utf-8") as file:
                file.write(text)
                file.flush()
                os.fsync(file.fileno())
            fresh.replace(folder / f"{token}{SUFFIX}")
        except OSError:
            fresh.unlink(missing_ok=True)
            raise


def _remove(path: Path) -> None:
    """An older file that cannot be removed says nothing that the newer one does not: bringing both in is the same."""
    try:
        path.unlink(missing_ok=True)
    except OSError:
        log.warning("%s cannot be removed", path, exc_info=True)


def refuges() -> tuple[Path, ...]:
    """This user's folders for batches that find no room beside the settings; the last of them lies in the computer's memory."""
    places = dict.fromkeys(Path(place) for place in (os.environ.get("TMPDIR") or "/tmp", "/var/tmp", "/dev/shm"))
    return tuple(place / f"firnel-kept-{os.getuid()}" for place in places)


def is_ours(refuge: Path) -> bool:
    """Whether a refuge is there, and nobody else has put it there: it lies where everybody may write."""
    return refuge.is_dir() and not refuge.is_symlink() and refuge.stat().st_uid == os.getuid()


def spill_error(spill: Spill) -> str:
    """What is to be said where a spill cannot be written either."""
    return tr("It cannot be kept in {} either: do not close Firnel before there is room.", spill.folder)


def spilled_in(folder: Path) -> Iterator[Spilled]:
    """What lies in a folder; a file that cannot be read is left where it is, and logged."""
    for path in sorted(folder.glob(f"*{SUFFIX}")):
        try:
            document = json.loads(path.read_text(encoding="utf-8"))
            if document["format"] != FORMAT:
                raise ValueError(tr("its format is {!r}", document["format"]))
            yield Spilled(
                path, document["library"], document["where"], document["token"], document["batch"], document["label"],
                int(document["seq"]), document["process"], float(document["at"]), _from_document(document["pending"]),
            )  # fmt: skip
        except (OSError, ValueError, KeyError, TypeError):
            log.exception("the spill %s cannot be read", path.name)


def _to_document(pending: Pending) -> dict[str, Any]:
    moves, notes = pending.moves_and_notes or ((), ())
    return {
        "rows": [list(row) for row in pending.rows],
        "corrected": [[str(entry.control) if entry.control else None, entry.since, entry.value] for entry in pending.corrected],
        "marks": None if pending.marks is None else [[m.kind.value, m.t, m.bean, m.found.value] for m in pending.marks],
        "hands": None
        if pending.moves_and_notes is None
        else {
            "moves": [[str(m.control), m.t, m.to, m.found.value] for m in moves],
            "notes": [[note.t, note.kind, note.text] for note in notes],
        },
        "results": pending.results,
        "status": pending.status,
        "birth": None if pending.birth is None else {name: _plain(value) for name, value in pending.birth.items()},
    }


def _from_document(document: dict[str, Any]) -> Pending:
    hands, birth = document["hands"], document["birth"]
    return Pending(
        tuple(_row_from(row) for row in document["rows"]),
        tuple(
            Corrected(Control(control) if control else None, since, value) for control, since, value in document["corrected"]
        ),
        None
        if document["marks"] is None
        else tuple(Mark(MarkKind(kind), t, bean, Found(found)) for kind, t, bean, found in document["marks"]),
        None
        if hands is None
        else (
            tuple(Move(Control(control), t, to, Found(found)) for control, t, to, found in hands["moves"]),
            tuple(Note(t, kind, text) for t, kind, text in hands["notes"]),
        ),
        document["results"],
        document["status"],
        None if birth is None else birth | {"started": datetime.fromisoformat(birth["started"])},
    )


def _row_from(row: list[Any]) -> ReadingRow:
    if len(row) == 7:  # of an earlier version: gas, airflow and drum each in a place of its own
        t, bean, air, *settings, quality = row
        return t, bean, air, {c: v for c, v in zip(OWN_COLUMNS, settings, strict=True) if v is not None}, quality
    t, bean, air, controls, quality = row
    return t, bean, air, {Control(name): value for name, value in controls.items()}, quality


def _plain(value: Any) -> Any:
    return value.astimezone(UTC).isoformat() if isinstance(value, datetime) else value
