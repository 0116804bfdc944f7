"""Tones and spoken cues, as far as this system can: without audio or a voice Firnel is silent, and works the same."""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from importlib import resources
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QUrl, qInstallMessageHandler

from firnel.work.roast.announcing import Announcement
from firnel.work.settings import Settings

if TYPE_CHECKING:
    from PyQt6.QtMultimedia import QSoundEffect

log = logging.getLogger(__name__)


@contextmanager
def qts_own_messages() -> Iterator[None]:
    """While Qt loads a library that talks as it is loaded, what it says goes to Qt's own output and not to Python.

    The loader's lock is held then, and a message to Python waits for the interpreter; who computes beside it holds the
    interpreter, and NumPy asks the loader for an address now and then. Each would wait for the other for ever.
    """
    ours = qInstallMessageHandler(None)
    try:
        yield
    finally:
        qInstallMessageHandler(ours)


class Sounds(QObject):
    """Plays what was announced, each tone as loud as it is set.

    Parameters
    ----------
    settings : of this user, as they stand.
    """

    def __init__(self, settings: Callable[[], Settings], parent: QObject) -> None:
        super().__init__(parent)
        self._settings = settings
        self._tones: dict[str, QSoundEffect] = {}
        self._say: Callable[[str], None] | None = None
        self._silent = False

    def announce(self, one: Announcement) -> None:
        """Let it be heard, unless it is set to nought."""
        settings = self._settings()
        loudness = getattr(settings, f"sound_{one.tone}") / 100.0
        if loudness > 0.0 and (tone := self._tone(one.tone)) is not None:
            tone.setVolume(loudness)
            tone.play()
        if settings.spoken == "on":
            self._speak(one.words)

    def _tone(self, name: str) -> QSoundEffect | None:
        if self._silent:
            return None
        if name not in self._tones:
            try:
                with qts_own_messages():
                    from PyQt6.QtMultimedia import QMediaDevices, QSoundEffect

                    silent = QMediaDevices.defaultAudioOutput().isNull()
            except ImportError as error:
                self._silent = True
                log.info("No sound on this system: %s", error)
                return None
            if silent:
                self._silent = True
                log.info("This system has nothing to play sound on.")
                return None
            made = QSoundEffect(self)
            with resources.as_file(resources.files("firnel.resources") / "sounds" / f"{name}.wav") as path:
                made.setSource(QUrl.fromLocalFile(str(path)))
            self._tones[name] = made
        return self._tones[name]

    def _speak(self, words: str) -> None:
        if self._say is None:
            self._say = self._voice()
        self._say(words)

    def _voice(self) -> Callable[[str], None]:
        """The system's voice; where it has none, one that says nothing."""
        try:
            with qts_own_messages():
                from PyQt6.QtTextToSpeech import QTextToSpeech

                voices = [engine for engine in QTextToSpeech.availableEngines() if engine != "mock"]
                voice = QTextToSpeech(self) if voices else None
        except ImportError as error:
            log.info("No voice on this system: %s", error)
            return lambda _words: None
        return voice.say if voice is not None else lambda _words: None
