"""What is there first: the application, and a frame that says what is being opened. Nothing slow is loaded for it."""

from __future__ import annotations

import os
import sys
from dataclasses import dataclass
from importlib import resources
from pathlib import Path

from PyQt6.QtCore import QCoreApplication, QLibraryInfo, QLocale, QTranslator
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication, QWidget

from firnel.app.ends import EndedError, leave_if_asked
from firnel.app.place import stand_as_before
from firnel.app.start import few_arenas
from firnel.core.words import language
from firnel.ui.opening import Opening
from firnel.ui.shared.collector import Collector
from firnel.ui.theme.look import Look
from firnel.work.settings import Settings, load_settings

#: A thread that computes lets the window have its turn after so long, a tenth of what Python does by itself. [s]
SWITCH_S = 0.0005


@dataclass(frozen=True)
class First:
    """The application with its look, the settings with what is wrong with them, and the frame, where there is one."""

    application: QApplication
    look: Look
    settings: Settings
    complaint: str | None
    opening: Opening | None

    def give_way(self, window: QWidget) -> None:
        """Put the window where the frame stands."""
        if self.opening is None:
            stand_as_before(window)
        else:
            window.setGeometry(self.opening.normalGeometry() if self.opening.isMaximized() else self.opening.geometry())
            window.setWindowState(self.opening.windowState())  # as large as the screen, where the frame is

    def tell(self, words: str) -> None:
        """Say in the frame what is being done; closing it ends all.

        Raises
        ------
        EndedError : if the frame was closed, or the process was asked to end.
        """
        if self.opening is None:
            self.application.processEvents()
        elif not self.opening.say(words, self.application):
            raise EndedError(0)
        leave_if_asked()

    def done(self) -> None:
        """The frame goes: the window is painted, or there will be none."""
        if self.opening is not None and not self.opening.isHidden():
            self.opening.close()


def begin(library_at: str | Path, framed: bool = False) -> First:
    """The application, and a frame on the screen, while all else is still to be loaded.

    Parameters
    ----------
    library_at : what is opened.
    framed : a frame is needed wherever the window will stand: it takes long.
    """
    settings, complaint = load_settings()
    use_size(settings)
    application = make_application()
    look = Look(application)
    look.use(settings.theme)
    opening = None
    if framed or not QApplication.platformName().startswith("wayland"):  # there no window can be put where another stood
        opening = Opening(Path(str(library_at)).stem, look)
        stand_as_before(opening)
        opening.show_now(application)
    return First(application, look, settings, complaint, opening)


def make_application() -> QApplication:
    """The Qt application, or the one there is."""
    existing = QApplication.instance()
    application = existing if isinstance(existing, QApplication) else QApplication(sys.argv[:1])
    application.setApplicationName("firnel")
    application.setDesktopFileName("org.firnel.Firnel")
    if isinstance(application, QApplication) and application.windowIcon().isNull():
        application.setWindowIcon(QIcon(str(resources.files("firnel") / "resources" / "icons" / "firnel.svg")))
    application.setStyle("Fusion")
    sys.setswitchinterval(SWITCH_S)
    if application.findChild(Collector) is None:
        _speak_qt(application)
        few_arenas()
        Collector(application)
    return application


def _speak_qt(application: QCoreApplication) -> None:
    """Qt's own boxes, figures and days in the language that is spoken, whatever the system's is."""
    spoken = QLocale(language()) if language() != "en" else QLocale(QLocale.Language.English, QLocale.Country.UnitedKingdom)
    spoken.setNumberOptions(QLocale.NumberOption.OmitGroupSeparator)
    QLocale.setDefault(spoken)
    translator = QTranslator(application)
    if translator.load(spoken, "qtbase", "_", QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)):
        application.installTranslator(translator)


def use_size(settings: Settings) -> None:
    """Draw all in the size that is set; to be called before there is an application. What the desktop asks for comes first."""
    if settings.size_percent != 100:
        os.environ.setdefault("QT_SCALE_FACTOR", f"{settings.size_percent / 100.0:g}")
