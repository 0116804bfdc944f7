"""Where the window stood, and how large, is where it stands the next time."""

from __future__ import annotations

import json
import logging
from pathlib import Path

from PyQt6.QtCore import QRect, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QWidget

from firnel.exchange.whole_file import write_whole
from firnel.work.settings import settings_path

log = logging.getLogger(__name__)


def place_path() -> Path:
    """Where it is kept: beside the settings."""
    return settings_path().with_name("window.json")


def stand_as_before(window: QWidget) -> None:
    """Put a window where the last one stood, as far as it lies on a screen that is there; as it is made otherwise."""
    path = place_path()
    try:
        if not path.exists():
            return
        kept = json.loads(path.read_text(encoding="utf-8"))
        place, enlarged = QRect(*(int(kept[name]) for name in ("x", "y", "width", "height"))), bool(kept["enlarged"])
    except (OSError, ValueError, KeyError, TypeError, OverflowError) as error:
        log.info("%s tells no place of a window: %s", path, error)
        return
    screen = QGuiApplication.screenAt(place.center())
    if screen is None or place.width() < 1 or place.height() < 1:
        return  # that screen is not there any more
    room = screen.geometry()
    place.setSize(place.size().boundedTo(room.size()))
    place.moveTo(
        max(room.left(), min(place.left(), room.right() + 1 - place.width())),
        max(room.top(), min(place.top(), room.bottom() + 1 - place.height())),
    )
    window.setGeometry(place)
    if enlarged:
        window.setWindowState(window.windowState() | Qt.WindowState.WindowMaximized)


def keep_place(window: QWidget) -> None:
    """Remember where a window stands; where that cannot be written it is let be."""
    path, enlarged = place_path(), window.isMaximized()
    place = window.normalGeometry() if enlarged else window.geometry()
    kept = {"x": place.x(), "y": place.y(), "width": place.width(), "height": place.height(), "enlarged": enlarged}
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, json.dumps(kept))
    except OSError as error:
        log.info("the window's place is not kept: %s", error)
