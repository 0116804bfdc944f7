"""Fonts, style sheet and icons of the application, for one theme at a time."""

from __future__ import annotations

from functools import cache
from importlib import resources
from string import Template

from PyQt6.QtCore import QByteArray, QObject, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPalette, QPixmap
from PyQt6.QtSvg import QSvgRenderer
from PyQt6.QtWidgets import QApplication

from firnel.core.words import tr
from firnel.ui.theme.tokens import DAY, MONO, PALETTES, SANS, Palette, tokens


class MissingFontError(RuntimeError):
    """A font that should have come with Firnel is not there."""


class Look(QObject):
    """The theme in use; widgets that paint themselves ask it and listen to `changed`."""

    changed = pyqtSignal()

    def __init__(self, application: QApplication) -> None:
        super().__init__(application)
        self._application = application
        self.palette: Palette = DAY
        load_fonts()

    def use(self, name: str) -> None:
        """Put on a theme: ``day`` or ``night``."""
        self.palette = PALETTES[name]
        font = QFont(SANS)
        font.setPixelSize(15)
        self._application.setFont(font)
        self._application.setPalette(_qt_palette(self.palette))
        self._application.setStyleSheet(style_sheet(self.palette))
        self.changed.emit()

    def icon(self, name: str, role: str = "ink") -> QIcon:
        """A shipped icon in the colour of a role."""
        return _icon(name, getattr(self.palette, role))


def load_fonts() -> None:
    """Make the shipped fonts known to Qt.

    Raises
    ------
    MissingFontError : if one cannot be loaded.
    """
    if {SANS, MONO} <= set(QFontDatabase.families()):
        return
    folder = resources.files("firnel.resources") / "fonts"
    for entry in folder.iterdir():
        if entry.name.endswith(".ttf") and QFontDatabase.addApplicationFontFromData(QByteArray(entry.read_bytes())) < 0:
            raise MissingFontError(tr("The font {} that ships with Firnel cannot be loaded.", entry.name))


def mono(size: int, bold: bool = False) -> QFont:
    """The figure face at a pixel size."""
    return _font(MONO, size, QFont.Weight.Bold if bold else QFont.Weight.Normal)


def sans(size: int, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """The text face at a pixel size."""
    return _font(SANS, size, weight)


def _font(family: str, size: int, weight: QFont.Weight) -> QFont:
    font = QFont(family)
    font.setPixelSize(size)
    font.setWeight(weight)
    return font


def style_sheet(palette: Palette) -> str:
    """The one style sheet, with the theme's values in it."""
    text = (resources.files("firnel.resources") / "styles" / "ledger.qss").read_text(encoding="utf-8")
    return Template(text).substitute(tokens(palette))


@cache
def _icon(name: str, colour: str) -> QIcon:
    raw = (resources.files("firnel.resources") / "icons" / f"{name}.svg").read_text(encoding="utf-8")
    renderer = QSvgRenderer(QByteArray(raw.replace("currentColor", colour).encode()))
    icon = QIcon()
    for size in (20, 40, 60):
        pixmap = QPixmap(QSize(size, size))
        pixmap.fill(Qt.GlobalColor.transparent)
        painter = QPainter(pixmap)
        renderer.render(painter)
        painter.end()
        icon.addPixmap(pixmap)
    return icon


def _qt_palette(palette: Palette) -> QPalette:
    """Qt's own palette, for the few things no style sheet reaches."""
    result = QPalette()
    roles = {
        QPalette.ColorRole.Window: palette.paper,
        QPalette.ColorRole.Base: palette.card,
        QPalette.ColorRole.AlternateBase: palette.lane,
        QPalette.ColorRole.Text: palette.ink,
        QPalette.ColorRole.WindowText: palette.ink,
        QPalette.ColorRole.Button: palette.card,
        QPalette.ColorRole.ButtonText: palette.ink,
        QPalette.ColorRole.Highlight: palette.selected,
        QPalette.ColorRole.HighlightedText: palette.ink,
        QPalette.ColorRole.PlaceholderText: palette.soft,
        QPalette.ColorRole.ToolTipBase: palette.card,
        QPalette.ColorRole.ToolTipText: palette.ink,
    }
    for role, colour in roles.items():
        result.setColor(role, QColor(colour))
    return result
