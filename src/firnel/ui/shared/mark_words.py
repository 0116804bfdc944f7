"""Marks of a batch in a plot of the past: a line each, and its words above the curves, one lower where two would meet."""

from __future__ import annotations

from collections.abc import Sequence

import pyqtgraph as pg
from PyQt6.QtCore import Qt

from firnel.ui.shared.lanes import Lane, ground_label, line_pen, put_on_ground, room_of
from firnel.ui.theme.look import Look

#: Height of the words of a mark, and what the lowest keep off the curves. [px]
LINE_PX, FOOT_PX = 22.0, 6.0
#: Words of marks later than this share of the whole stand left of their lines, so that none leaves the lane.
LATE = 0.7


class MarkWords:
    """Lines and words of up to so many marks; they are placed anew when the lane gets another size.

    Parameters
    ----------
    lane : in whose plot they stand.
    most : how many there are at most.
    """

    def __init__(self, lane: Lane, look: Look, most: int) -> None:
        self._lane, self._look = lane, look
        self._marks: Sequence[tuple[float, str]] = ()
        self._low, self._high, self._end = 0.0, 1.0, 1.0
        self._lines = [pg.InfiniteLine(angle=90) for _ in range(most)]
        self.words = [ground_label((0.5, 0.0)) for _ in range(most)]
        lane.plot.getPlotItem().getViewBox().sigResized.connect(self._place)

    def put_lines(self) -> None:
        """Into the plot, to be called before the curves are put there."""
        for line in self._lines:
            self._lane.plot.addItem(line, ignoreBounds=True)

    def put_words(self) -> None:
        """Into the plot, to be called when the curves are there."""
        for words in self.words:
            self._lane.plot.addItem(words, ignoreBounds=True)

    def dress(self) -> None:
        """In the colours of the theme."""
        palette = self._look.palette
        for line, words in zip(self._lines, self.words, strict=True):
            line.setPen(line_pen(palette.soft, 1, Qt.PenStyle.DotLine))
            words.setColor(palette.soft)
            put_on_ground(words, palette.card)

    def show_marks(self, marks: Sequence[tuple[float, str]], low: float, high: float, end: float) -> None:
        """Show these marks, and give the plot its levels with room for their words.

        Parameters
        ----------
        marks : place on the time axis, and words; without words a mark is a line only.
        low, high : between which the curves lie.
        end : of the time axis.
        """
        self._marks, self._low, self._high, self._end = tuple(marks), low, high, end
        self._place()

    def _place(self, *_: object) -> None:
        plot, late = self._lane.plot, LATE * self._end
        font = self.words[0].textItem.font()
        starts = [at - room_of(words, font, plot)[0] for at, words in self._marks]
        lower = [at > late and any(start < at for start in starts[n + 1 :]) for n, (at, _) in enumerate(self._marks)]
        taken = (1 + any(lower)) * LINE_PX + FOOT_PX
        share = taken / max(plot.getPlotItem().getViewBox().height(), 4 * LINE_PX)  # of the lane, for the words
        headroom = (self._high - self._low) * share / (1.0 - share)
        self._lane.level_span(self._low, self._high + headroom)
        for number, (line, words) in enumerate(zip(self._lines, self.words, strict=True)):
            at, text = self._marks[number] if number < len(self._marks) else (None, "")
            line.setVisible(at is not None)
            words.setVisible(bool(text))
            if at is not None:
                line.setValue(at)
                words.setText(text, color=self._look.palette.soft)
                words.setAnchor((1.0, 0.0) if at > late else (0.5, 0.0))
                words.setPos(at, self._high + headroom * (1.0 - lower[number] * LINE_PX / taken))
