"""Where the window stood, and how large, is where it stands the next time."""

from __future__ import annotations

import logging
from pathlib import Path

from PyQt6.QtWidgets import QWidget

from firnel.work.settings import settings_path

log = logging.getLogger(__name__)


def place_path() -> Path:
    """Where it is kept: beside the settings."""
    return settings_path().with_name("window.place")


def stand_as_before(window: QWidget) -> None:
    """Put a window where the last one stood, if that is on a screen that is there; as it is made otherwise."""
    path = place_path()
    try:
        kept = path.read_bytes() if path.exists() else b""
    except OSError as error:
        log.info("the window's last place is not read: %s", error)
        return
    if kept and not window.restoreGeometry(kept):
        log.info("%s is no place of a window", path)


def keep_place(window: QWidget) -> None:
    """Remember where a window stands; where that cannot be written it is let be."""
    path = place_path()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(window.saveGeometry().data())
    except OSError as error:
        log.info("the window's place is not kept: %s", error)
