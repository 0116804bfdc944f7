"""Tones and spoken cues, as far as this system can: without audio or a voice Firnel is silent, says so when asked, and works
the same."""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from importlib import resources
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QUrl, qInstallMessageHandler

from firnel.core.words import tr
from firnel.work.roast.announcing import TONES, Announcement
from firnel.work.settings import Settings

if TYPE_CHECKING:
    from PyQt6.QtMultimedia import QSoundEffect
    from PyQt6.QtTextToSpeech import QTextToSpeech

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
    """Plays what was announced, each tone as loud as it is set, on what the system plays on at that moment.

    Parameters
    ----------
    settings : of this user, as they stand.
    """

    def __init__(self, settings: Callable[[], Settings], parent: QObject) -> None:
        super().__init__(parent)
        self._settings = settings
        self._tones: dict[str, QSoundEffect] = {}
        self._voice: QTextToSpeech | None = None
        self._ready = False
        self._missing = False

    def announce(self, one: Announcement) -> None:
        """Let it be heard, unless it is set to nought."""
        settings = self._settings()
        why = self.play(one.tone, getattr(settings, f"sound_{one.tone}"))
        if settings.spoken == "on":
            why = self.say(one.words) or why
        if why:
            log.info("%s", why)

    def play(self, tone: str, percent: int) -> str:
        """Play one of `TONES` so loud; why nothing is heard, or nothing."""
        if percent <= 0:
            return ""
        self.make_ready()
        if self._missing:
            return tr("What plays sound is missing on this system: warnings are seen here, and not heard.")
        from PyQt6.QtMultimedia import QMediaDevices

        out = QMediaDevices.defaultAudioOutput()
        if out.isNull():
            return tr("This system has nothing to play sound on: warnings are seen here, and not heard.")
        effect = self._tones[tone] = self._tones.get(tone) or self._made(tone)
        if effect.audioDevice() != out:
            effect.setAudioDevice(out)  # a loudspeaker that was plugged in later, or another one
        effect.setVolume(percent / 100.0)
        effect.play()
        return ""

    def say(self, words: str) -> str:
        """Say words by the system's voice; why nothing is heard, or nothing."""
        voice = self._voice = self._voice or self._found_voice()
        if voice is None or voice.state() == voice.State.Error:
            return tr("This system has no voice: cues are not spoken.")
        voice.say(words)
        return ""

    @property
    def wanted(self) -> bool:
        """Whether something is to be heard that is not yet at hand; `make_ready` holds the window for a tenth of a second."""
        settings = self._settings()
        return not self._ready and any(getattr(settings, f"sound_{tone}") > 0 for tone in TONES)

    def make_ready(self) -> None:
        """Load the tones, so that the first of a batch holds nothing up."""
        if self._ready:
            return
        self._ready = True
        try:
            with qts_own_messages():
                from PyQt6.QtMultimedia import QMediaDevices

                silent = QMediaDevices.defaultAudioOutput().isNull()  # loads what plays
        except ImportError as error:
            self._missing = True
            log.info("No sound on this system: %s", error)
            return
        if not silent:
            self._tones = {name: self._made(name) for name in TONES}

    def _made(self, name: str) -> QSoundEffect:
        from PyQt6.QtMultimedia import QSoundEffect

        effect = QSoundEffect(self)
        with resources.as_file(resources.files("firnel.resources") / "sounds" / f"{name}.wav") as path:
            effect.setSource(QUrl.fromLocalFile(str(path)))
        return effect

    def _found_voice(self) -> QTextToSpeech | None:
        """The system's voice, where it has one."""
        try:
            with qts_own_messages():
                from PyQt6.QtTextToSpeech import QTextToSpeech

                voices = [engine for engine in QTextToSpeech.availableEngines() if engine != "mock"]
                return QTextToSpeech(self) if voices else None
        except ImportError as error:
            log.info("No voice on this system: %s", error)
            return None
