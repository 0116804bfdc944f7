"""What changes comes in softly and at once: within 150 ms, and not at all where less motion is wished for."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QAbstractAnimation, QObject, QVariantAnimation
from PyQt6.QtWidgets import QGraphicsOpacityEffect, QStyle, QWidget

#: So long a change takes [ms], and how faint it begins.
LASTS_MS, FAINT = 140, 0.4


def moves(widget: QWidget) -> bool:
    """Whether the system wishes anything to move: its style says for how long."""
    style = widget.style()
    return style is not None and style.styleHint(QStyle.StyleHint.SH_Widget_Animation_Duration, None, widget) > 0


class Fade(QObject):
    """Lets what a widget shows come in; its place and size stay as they are.

    Parameters
    ----------
    widget : that shows it.
    wished : whether the settings wish it.
    """

    def __init__(self, widget: QWidget, wished: Callable[[], bool] = lambda: True) -> None:
        super().__init__(widget)
        self._widget, self._wished = widget, wished
        self._running = QVariantAnimation(self)
        self._running.setStartValue(FAINT)
        self._running.setEndValue(1.0)
        self._running.setDuration(LASTS_MS)
        self._running.valueChanged.connect(self._on_value)
        self._running.finished.connect(self._on_finished)

    def begin(self) -> None:
        """It has just changed."""
        if not self._widget.isVisible() or not self._wished() or not moves(self._widget):
            return
        self._running.stop()
        effect = QGraphicsOpacityEffect(self._widget)
        effect.setOpacity(FAINT)
        self._widget.setGraphicsEffect(effect)
        self._running.start()

    def end(self) -> None:
        """It is there at once."""
        if self.running:
            self._running.stop()
            self._on_finished()

    @property
    def running(self) -> bool:
        """Whether it is coming in just now."""
        return self._running.state() is QAbstractAnimation.State.Running

    def _on_value(self, opacity: float) -> None:
        effect = self._widget.graphicsEffect()
        if isinstance(effect, QGraphicsOpacityEffect):
            effect.setOpacity(opacity)

    def _on_finished(self) -> None:
        self._widget.setGraphicsEffect(None)  # drawn plainly again: the effect would cost each repaint something
