"""Batches waiting for scale, colour meter and eye, and the sheets to enter what they say."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QLineEdit, QSpinBox, QVBoxLayout, QWidget

from firnel.core.words import capital, tr
from firnel.ui.bench.glimpse_card import GlimpseCard, read_picture
from firnel.ui.shared.background import Background
from firnel.ui.shared.list_page import ListPage
from firnel.ui.shared.parts import ElidedLabel, button, card, label
from firnel.ui.shared.weigh_sheet import WeighSheet
from firnel.ui.theme.look import Look
from firnel.work import shelf
from firnel.work.bench.glimpse import Glimpse, glimpse
from firnel.work.bench.weighing import (
    EYE_COUNTS,
    EYE_GRADES,
    Results,
    UsualLoss,
    keep_inspection,
    level_word,
    read_weight,
    usual_loss_of,
)
from firnel.work.desk import Desk
from firnel.work.review.records import BatchFilter, BatchLine


class WeighPage(ListPage):
    """The queue of batches that are dropped and not weighed."""

    recorded = pyqtSignal()

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__(
            desk,
            tr("Weigh and look"),
            tr("Batches waiting for their weight, colour and inspection"),
            (tr("Batch"), tr("Dropped"), "+Lot", "#Green"),
            tr("Nothing waits. A dropped batch stays here until weight and colour are in, or declined."),
            sheet_width=660,
        )
        self._line: BatchLine | None = None
        self._form = WeighSheet()
        self._form.saved.connect(self._on_saved)
        self.background = Background(self, self._on_scale_error)
        scale = button(tr("Read the scale"), tr("From the scale on its serial line, once it stands (settings)"))
        scale.clicked.connect(self.read_scale)
        self.inspection = InspectionCard()
        self.inspection.kept.connect(self._on_inspected)
        caution = label(
            tr(
                "Weigh when the beans are hand-warm. Hot beans and a hot tray burn: gloves. Fresh coffee gives off carbon "
                "monoxide and dioxide: do not keep it in a closed room with people."
            ),
            "caution",
            wrap=True,
        )
        left, right = QVBoxLayout(), QVBoxLayout()
        for widget in (self._form, scale):
            left.addWidget(widget)
        right.addWidget(self.inspection)
        row = QHBoxLayout()
        for column in (left, right):
            column.addStretch(1)
            row.addLayout(column, 1)
        self.sheet_column.addLayout(row)
        self.sheet_column.addWidget(caution)
        self.glimpse = GlimpseCard(look)
        self.glimpse.setMinimumHeight(170)
        self.sheet_column.addWidget(self.glimpse, 1)
        self.head.title.hide()

    def question(self) -> Callable[[], list[BatchLine]]:
        """What reads which batches are to be weighed."""
        return partial(self._desk.ask, shelf.batch_lines, BatchFilter(due=True), limit=500)

    def show_read(self, read: list[BatchLine]) -> None:
        """Fill the queue."""
        units = self._desk.settings.units
        running = self._desk.session.batch_id if self._desk.session.recording else None
        self.show_rows(
            [
                (
                    (
                        ln.label, (tr("{:%d %b %H:%M}", ln.started.astimezone()), ln.started.timestamp()), ln.lot or "–",
                        units.text(ln.load_kg, "kg"),
                    ),
                    ln,
                )
                for ln in read
                if ln.id != running
            ]
        )  # fmt: skip

    def choice_question(self, key: BatchLine) -> Callable[[], tuple[str, UsualLoss | None]]:
        """What reads the remark of a batch, and what its lot usually loses."""
        ask = self._desk.ask
        return lambda: (ask(shelf.batch, key.id).remark, ask(usual_loss_of, key))

    def show_choice(self, key: BatchLine, read: tuple[str, UsualLoss | None]) -> None:
        """Ask for the results of one batch."""
        if self._line is not None and self._line.id == key.id:
            return  # a refresh must not wipe what is being typed
        self._line = key
        declined = tuple(part for part in key.declined.split(",") if part)
        remark, usual = read
        known = Results(key.roasted_kg, key.colour_whole, key.colour_ground, remark, declined=declined)
        self._form.begin(tr("Batch {}", key.label), key.load_kg, self._desk.settings.units, known, self._desk.settings.meter)
        self._form.know(usual)
        self.inspection.begin()
        self._look_at(key.id)

    def _look_at(self, key: int) -> None:
        ask, units = self._desk.ask, self._desk.settings.units

        def look() -> tuple[Glimpse, QImage]:
            seen = ask(glimpse, key, units)
            return seen, read_picture(seen.picture)

        self.background.run("glimpse", look, lambda found: self.glimpse.show_glimpse(*found))

    def read_scale(self) -> None:
        """Put what the scale says into the sheet, once it stands."""
        port = self._desk.settings.scale_port
        if not port:
            self._form.say(tr("No scale is named: give its serial port in the settings ({settings})."))
            return
        self._form.say(tr("Waiting for the scale to settle …"))
        self.background.run("scale", lambda: read_weight(port, self._desk.settings.scale_baud), self._on_scale)

    def _on_scale(self, weight_kg: float) -> None:
        self._form.say("")
        self._form.take_weight(weight_kg)

    def _on_scale_error(self, sentence: str) -> None:
        self._form.say(sentence)

    def _on_inspected(self, document: dict[str, object]) -> None:
        if self._line is None:
            return
        try:
            self._desk.ask(keep_inspection, self._line.id, document)
        except ValueError as error:
            self.inspection.say(str(error))
            return
        self.inspection.say(tr("Kept."))
        self._look_at(self._line.id)

    def _on_saved(self, results: Results) -> None:
        if self._line is None:
            return
        try:
            self._desk.weigh(results, self._line)
        except ValueError as error:
            self._form.say(str(error))
            return
        loss = None if not results.roasted_kg or not self._line.load_kg else 1.0 - results.roasted_kg / self._line.load_kg
        word = level_word(results.colour_ground, self._desk.settings.levels, loss)
        if word and results.complete:
            self._desk.session.say(tr("Batch {} is kept: {}.", self._line.label, word))
        self._line = None
        self.refresh()
        self.recorded.emit()


class InspectionCard(QWidget):
    """Counts of a sample and grades by eye, with a picture if wanted."""

    kept = pyqtSignal(dict)

    def __init__(self) -> None:
        super().__init__()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        frame, column = card(spacing=4)
        outer.addWidget(frame)
        column.addWidget(label(tr("By eye"), "heading"))
        column.addWidget(label(tr("Counts of a sample; grades of 0 (none) to 3 (strong)"), "soft", wrap=True))
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(3)
        self.fields: dict[str, QSpinBox] = {}
        names = ("beans", *EYE_COUNTS, *EYE_GRADES)
        for index, name in enumerate(names):
            field = QSpinBox()
            field.setRange(0, 3 if name in EYE_GRADES else 2000)
            field.setAccessibleName(tr(name))
            field.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
            self.fields[name] = field
            title = {"beans": tr("Beans seen")}.get(name, capital(tr(name)))
            grid.addWidget(label(title, "soft"), index // 2, 2 * (index % 2))
            grid.addWidget(field, index // 2, 2 * (index % 2) + 1)
        self._remark = QLineEdit()
        self._remark.setPlaceholderText(tr("What the eye says"))
        self._remark.setAccessibleName(tr("Remark of the inspection"))
        row = QHBoxLayout()
        picture, keep = button(tr("Picture …"), tr("Attach one")), button(tr("Keep the look"))
        picture.clicked.connect(self._on_picture)
        keep.clicked.connect(self._on_keep)
        self._said = ElidedLabel("soft")
        row.addWidget(picture)
        row.addWidget(keep)
        row.addWidget(self._said, 1)
        column.addLayout(grid)
        column.addWidget(self._remark)
        column.addLayout(row)
        self._picture = ""

    def begin(self) -> None:
        """Begin anew, for another batch."""
        for name, field in self.fields.items():
            field.setValue(100 if name == "beans" else 0)
        self._remark.clear()
        self._picture = ""
        self._said.show_text("")

    def say(self, sentence: str) -> None:
        """Tell what came of it."""
        self._said.show_text(sentence)

    def _on_picture(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(
            self, tr("A picture of the beans"), "", tr("Pictures (*.png *.jpg *.jpeg *.webp)")
        )
        self._picture = chosen or self._picture
        self.say(tr("With {}", self._picture.rsplit("/", 1)[-1]) if self._picture else "")

    def _on_keep(self) -> None:
        document: dict[str, object] = {name: field.value() for name, field in self.fields.items()}
        self.kept.emit(document | {"remark": self._remark.text().strip(), "picture": self._picture})
