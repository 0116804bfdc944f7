"""The log, and what happens to an error that nobody expected: told once, in a sentence, and the roast goes on."""

from __future__ import annotations

import logging
import sys
import threading
import time
import traceback
from collections.abc import Callable
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import TracebackType

log = logging.getLogger("firnel")

#: The log is at most this large, and so many older parts of it are kept. [bytes]
MOST_BYTES, KEPT_PARTS = 1_000_000, 3
#: A refusal is told again after so long. [s]
AGAIN_S = 5.0


def log_path() -> Path:
    """Where the log lies: in the user's state folder."""
    from platformdirs import user_state_path

    return user_state_path("firnel") / "firnel.log"


def begin_log() -> None:
    """Write what happens inside into the log: no lots, no names, no figures of a roast. Called once."""
    if log.handlers:
        return
    log.setLevel(logging.INFO)
    log.propagate = False
    try:
        path = log_path()
        path.parent.mkdir(parents=True, exist_ok=True)
        handler: logging.Handler = RotatingFileHandler(path, maxBytes=MOST_BYTES, backupCount=KEPT_PARTS, encoding="utf-8")
    except OSError:
        handler = logging.StreamHandler(sys.stderr)  # no place for a log: what is serious is seen at least
        handler.setLevel(logging.ERROR)
    handler.setFormatter(logging.Formatter("%(asctime)s %(process)d %(levelname)s %(name)s: %(message)s"))
    logging.raiseExceptions = False  # a full disk must not bring the log's own errors to the terminal
    log.addHandler(handler)


class CrashHook:
    """Takes every error that nobody caught, on any thread; in Qt's own calls such an error would end the process.

    Parameters
    ----------
    tell : shows a sentence; called from whatever thread the error came up on.
    """

    def __init__(self, tell: Callable[[str], None]) -> None:
        self._tell = tell
        self._told: dict[str, float] = {}  #: when each was told last, by kind and place

    def install(self) -> None:
        """Take errors from now on."""
        sys.excepthook = self.take
        threading.excepthook = lambda found: self.take(found.exc_type, found.exc_value, found.exc_traceback)

    def take(self, kind: type[BaseException], error: BaseException | None, trace: TracebackType | None) -> None:
        """Log an error, and show it: a refusal each time that somebody comes upon it, what is broken inside once."""
        from firnel.work.review.records import refusal_of

        if issubclass(kind, KeyboardInterrupt | SystemExit):
            return
        refused = refusal_of(error)
        if refused:
            log.warning("refused: %s", kind.__name__)
        else:
            log.error("nobody expected this", exc_info=(kind, error, trace) if error is not None else None)
        place = traceback.extract_tb(trace)[-1:] if trace is not None else []
        known = f"{kind.__name__} {place[0].filename}:{place[0].lineno}" if place else kind.__name__
        told, now = self._told.get(known), time.monotonic()
        if told is None or (refused and now - told > AGAIN_S):
            self._told[known] = now
            self._tell(refused or sentence_of(error))


def sentence_of(error: BaseException | None) -> str:
    """What is to be said of an error that nobody expected."""
    what = f"{type(error).__name__}: {error}".splitlines()[0][:160] if error is not None else "an unknown error"
    return f"Something went wrong inside Firnel ({what}). What was recorded is kept; {log_path()} tells more."
