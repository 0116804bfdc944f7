"""The batch that is weighed and looked at: its curve, and the picture of its beans."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QImage, QImageReader, QPixmap
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from firnel.core.words import tr
from firnel.ui.shared.glance import Glance
from firnel.ui.shared.lane_head import Key
from firnel.ui.shared.lanes import Lane, line_pen, thin_out
from firnel.ui.shared.mark_words import MarkWords
from firnel.ui.shared.parts import card
from firnel.ui.theme.look import Look
from firnel.work.bench.glimpse import NAMED, Glimpse

#: The picture beside the curve. [px]
PICTURE = QSize(190, 190)
#: A picture is not read when it has more points than this: a camera's have some fifty million.
MOST_POINTS = 200_000_000


def read_picture(path: str) -> QImage:
    """A picture, as large as it is shown; a null image where it cannot be read, or where there is none. On any thread."""
    if not path:
        return QImage()
    reader = QImageReader(path)
    reader.setAutoTransform(True)
    size = reader.size()
    if size.isValid() and size.width() * size.height() < MOST_POINTS:
        reader.setScaledSize(size.scaled(PICTURE, Qt.AspectRatioMode.KeepAspectRatio))
    return reader.read()


class GlimpseCard(QWidget):
    """Shows one `Glimpse`."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        frame, column = card(margin=8)
        outer.addWidget(frame)
        row = QHBoxLayout()
        self.lane = Lane(look, "card", with_time=True)
        self.lane.setObjectName("bare")  # it lies in a card already
        self.lane.setAccessibleName(tr("Bean and air temperature of the batch"))
        self._bean, self._air = pg.PlotCurveItem(connect="finite"), pg.PlotCurveItem(connect="finite")
        self._words = MarkWords(self.lane, look, len(NAMED))
        self._words.put_lines()
        for item in (self._air, self._bean):
            self.lane.plot.addItem(item, ignoreBounds=True)
        self._words.put_words()
        self.lane.reads("bean", self._bean)
        self.lane.reads("air", self._air)
        self.glance = Glance((self.lane,))
        self.picture = QLabel()
        self.picture.setFixedSize(PICTURE)
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        row.addWidget(self.lane, 1)
        row.addWidget(self.picture)
        column.addLayout(row)
        look.changed.connect(self._dress)
        self._dress()

    def _dress(self) -> None:
        palette = self._look.palette
        self._bean.setPen(line_pen(palette.ink, 2.4))
        self._air.setPen(line_pen(palette.slate, 1.4, Qt.PenStyle.DashLine))
        self._words.dress()

    def show_glimpse(self, seen: Glimpse, image: QImage) -> None:
        """Show this batch, with its picture as `read_picture` gives it."""
        inside = (seen.t >= seen.span[0]) & (seen.t <= seen.span[1])
        t, bean, air = thin_out(seen.t[inside], seen.bean[inside], seen.air[inside])
        self._bean.setData(t, bean)
        self._air.setData(t, air)
        self.glance.show_whole()
        self.lane.time_span(*seen.span)
        known = np.concatenate([bean[np.isfinite(bean)], air[np.isfinite(air)]])
        low, high = (float(known.min()), float(known.max())) if known.size else (0.0, 1.0)
        self._words.show_marks(seen.marks, low - 5.0, high, seen.span[1])
        self.lane.head.show_head(
            tr("Temperature, {}", seen.unit), (Key("bean"), Key("air", "slate", "dash")), tr("minutes from the charge")
        )
        self._show_picture(seen.picture, image)

    def _show_picture(self, path: str, image: QImage) -> None:
        self.picture.setVisible(bool(path))
        if not path:
            return
        name = path.rsplit("/", 1)[-1]
        self.picture.setToolTip(path)
        if image.isNull():
            self.picture.setPixmap(QPixmap())
            self.picture.setText(tr("{}\ncannot be shown", name))
        else:
            self.picture.setPixmap(QPixmap.fromImage(image))
        self.picture.setAccessibleName(tr("Picture of the beans, {}", name))
