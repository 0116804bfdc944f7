"""Who is at work: one window on a library, one reader of a machine, and which process a batch belongs to."""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import os
import socket
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from firnel.core.words import tr
from firnel.store.writing import LibraryError

#: A batch on another computer whose owner has not been heard of for so long belongs to nobody. [s]
SILENT_S = 60.0


class LibraryInUseError(LibraryError):
    """Another Firnel has the library open for roasting."""


@dataclass(frozen=True)
class Owner:
    """A process on a station: what stands in the row of the batch that it writes."""

    station: str
    process: int
    begun: str  #: moment at which the process began, by the system's own count: a number that is used again is told apart

    @classmethod
    def here(cls) -> Owner:
        """This process."""
        return cls(socket.gethostname(), os.getpid(), _begun(os.getpid()) or "")

    @classmethod
    def read(cls, text: str) -> Owner | None:
        """From the row of a batch; None where nobody owns it."""
        station, _, rest = text.rpartition("/")
        process, _, begun = rest.partition("@")
        return cls(station, int(process), begun) if station and process.isdecimal() else None

    @property
    def text(self) -> str:
        """As it stands in the row: ``station/process@begun``."""
        return f"{self.station}/{self.process}@{self.begun}"

    def alive(self, seen_at: float | None, now: float) -> bool:
        """Whether the owner still is at work.

        Parameters
        ----------
        seen_at, now : when it last wrote, and the time of day. [s of the epoch]
        """
        if self.station == socket.gethostname():
            return _begun(self.process) == self.begun
        return seen_at is not None and now - seen_at < SILENT_S


def _begun(process: int) -> str | None:
    """When a process of this computer began, in ticks since its start; None where there is none."""
    try:
        fields = Path(f"/proc/{process}/stat").read_text(encoding="ascii", errors="replace").rpartition(")")[2].split()
    except OSError:
        return None
    return None if fields[0] == "Z" else fields[19]


class FileClaim:
    """A file that is locked for as long as its holder lives; a killed process gives it back by itself.

    Parameters
    ----------
    path : of the file.

    Raises
    ------
    BlockingIOError : if another one has it; ``strerror`` is the number of its process, or empty.
    OSError : if the file cannot be made.
    """

    def __init__(self, path: Path) -> None:
        self._file: IO[bytes] = path.open("a+b", buffering=0)  # what finds no room is not tried again when it is closed
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            self._file.seek(0)
            holder = self._file.read().decode("ascii", "replace").strip()
            self._file.close()
            raise BlockingIOError(0, holder) from None
        self._file.seek(0)
        #: Whether the last holder let go of it; false where it was killed.
        self.clean = not self._file.read().strip()
        with contextlib.suppress(OSError):  # on a full disk the lock holds all the same; only its holder's number is not told
            self._file.truncate(0)
            self._file.write(str(os.getpid()).encode("ascii"))

    def release(self) -> None:
        """Let another one have it."""
        with contextlib.suppress(OSError):
            self._file.truncate(0)
            fcntl.flock(self._file, fcntl.LOCK_UN)
        self._file.close()


def claim_library(path: Path) -> FileClaim:
    """Keep other windows from a library.

    Raises
    ------
    LibraryInUseError : if one has it.
    LibraryError : if no file can be made beside it.
    """
    try:
        return FileClaim(path.with_name(path.name + ".lock"))
    except BlockingIOError as error:
        who = tr(" (process {})", error.strerror) if error.strerror else ""
        raise LibraryInUseError(tr("Another Firnel{} has the library {} open. Close it there first.", who, path)) from error
    except OSError as error:
        raise LibraryError(tr("The library {} cannot be kept for this window: {}.", path, error.strerror)) from error


def claim_device(address: str) -> FileClaim | str:
    """Be the one reader of a device on this computer; a sentence where another Firnel reads it already."""
    name = f"firnel-{os.getuid()}-{hashlib.sha256(address.encode()).hexdigest()[:16]}.device"
    why = ""
    for place in (os.environ.get("XDG_RUNTIME_DIR"), os.environ.get("TMPDIR"), "/tmp", "/dev/shm"):
        try:
            if place:
                return FileClaim(Path(place) / name)
        except BlockingIOError as error:
            who = tr("process {}", error.strerror) if error.strerror else tr("another process")
            return tr("Another Firnel ({}) reads this machine too: two batches would be recorded of one roast.", who)
        except OSError as error:
            why = why or str(error.strerror)
    return tr("Whether another Firnel reads this machine cannot be told: {}.", why)
