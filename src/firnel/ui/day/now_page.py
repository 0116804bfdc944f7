"""What the other stations roast now: each batch with its cue and its curve, and what to do where one fell silent."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from firnel.core.units import Units, clock
from firnel.core.vocabulary import MarkKind
from firnel.core.words import tr
from firnel.ui.day.seen_curves import SeenCurves
from firnel.ui.shared.parts import ElidedLabel, FigureGrid, PageHead, bare_area, button, card, label, rename
from firnel.ui.shared.questions import Question
from firnel.ui.theme.look import Look
from firnel.ui.theme.tokens import SPACE_M, SPACE_S
from firnel.work import shelf
from firnel.work.desk import Desk
from firnel.work.review.records import LibraryError
from firnel.work.stations.watch import CLOCK_OFF_S, Floor, Seen

#: While nothing new is heard.
SILENT = tr("The server does not answer: this is what was heard last.")
#: Which role of the style sheet a cue has by its urgency.
CUES = {"warn": "seenWarn", "danger": "seenWarn", "drop": "seenDue", "due": "seenDue"}


class SeenCard(QWidget):
    """One batch of another station."""

    take_over_wanted = pyqtSignal(object)  # Seen
    close_wanted = pyqtSignal(object)  # Seen

    def __init__(self, look: Look) -> None:
        super().__init__()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        frame, inside = card(spacing=SPACE_S)
        outer.addWidget(frame)
        row = QHBoxLayout()
        row.setSpacing(SPACE_M)
        inside.addLayout(row)
        words = QVBoxLayout()
        words.setSpacing(3)
        row.addLayout(words, 4)
        self.where, self.batch = ElidedLabel("heading"), ElidedLabel("soft")
        self.cue, self.detail = label("", "seenCue", wrap=True), label("", "soft", wrap=True)
        self.told = label("", "strong", wrap=True)
        self.figures = FigureGrid(small=True)
        self.gone = label("", "warn", wrap=True)
        self.take_over = button(tr("Take over …"), tr("Go on with this batch at this station"), primary=True)
        for widget in (self.where, self.batch, self.cue, self.detail, self.told, self.gone):
            words.addWidget(widget)
        self.close_it = button(tr("Close it"), tr("It ends with what is known of it, and waits on the bench to be weighed"))
        ways = QHBoxLayout()
        ways.addWidget(self.take_over)
        ways.addWidget(self.close_it)
        ways.addStretch(1)
        words.addLayout(ways)
        words.addStretch(1)
        words.addWidget(self.figures)
        self.curves = SeenCurves(look)
        row.addWidget(self.curves, 5)
        self._seen: Seen | None = None
        self.take_over.clicked.connect(self._on_take_over)
        self.close_it.clicked.connect(self._on_close)

    def _on_close(self) -> None:
        if self._seen is not None:
            self.close_wanted.emit(self._seen)

    def _on_take_over(self) -> None:
        if self._seen is not None:
            self.take_over_wanted.emit(self._seen)

    def show_seen(self, seen: Seen, units: Units) -> None:
        """Show the batch as its station told of it last."""
        self._seen = seen
        one, said = seen.running, seen.running.said
        self.where.show_text(" · ".join(part for part in (one.station, one.machine) if part))
        load = units.text(one.load_kg, "kg", 2) if one.load_kg else ""
        parts = (tr("Batch {}", one.label), one.lot, load, one.who, tr("plan “{}”", seen.plan) if seen.plan else "")
        self.batch.show_text(" · ".join(part for part in parts if part))
        away = one.away
        self.gone.setVisible(away)
        self.take_over.setVisible(away)
        self.close_it.setVisible(away)
        for widget in (self.cue, self.detail, self.told):
            widget.setVisible(not away)
        if away:
            heard = tr("has not been heard of for {}", clock(one.silent_s)) if said else tr("has said nothing of it")
            self.gone.setText(
                tr(
                    "{} {}. It may go on roasting and only be cut off: ask there first. If it is gone, this station "
                    "can go on with the batch.",
                    one.station or tr("Its station"),
                    heard,
                )
            )
        self.cue.setText(str(said.get("headline", "")))
        rename(self.cue, CUES.get(str(said.get("urgency", "")), "seenCue"))
        self.detail.setText(str(said.get("detail", "")))
        told = str(said.get("told", ""))
        self.told.setText(told)
        self.told.setVisible(bool(told) and not away)
        rename(self.told, "warn" if said.get("told_urgency") == "warn" else "strong")
        self.figures.show_rows(figures_of(seen, units))
        self.curves.show_seen(seen, units)


def figures_of(seen: Seen, units: Units) -> list[tuple[str, str]]:
    """The batch in figures: stage clock, bean probe, when the marks are expected, where it will land."""
    from firnel.core.landing import Place  # not wanted before a batch is told of

    said = seen.running.said
    if not said:
        return []
    rows = [(str(said["clock_label"]), str(said["clock"]))] if said.get("clock_label") else []
    if (bean := said.get("bean_c")) is not None:
        rate = said.get("rate")
        rows.append((tr("bean"), units.text(bean, "°C", 1) + (f", {units.rate_text(rate)}" if rate is not None else "")))
    charge, came = said.get("charge"), {mark.kind for mark in seen.marks}
    for kind in (MarkKind.YELLOW, MarkKind.FIRST_CRACK, MarkKind.DROP):
        at = said.get("expected", {}).get(kind.value)
        if at is not None and charge is not None:
            rows.append((kind.words if kind in came else tr("{} expected", kind.words), clock(at - charge)))
    if (lands := said.get("lands")) is not None:
        words = f"{clock(lands['development_s'])}, {units.text(lands['drop_c'], '°C', 1)}"
        place = tr(said["place"]) if said.get("place") else ""
        rows.append((place if said.get("place") == Place.OPEN else tr("lands {}", place).strip(), words))
    return rows


class NowPage(QWidget):
    """All stations; it follows them by itself."""

    taken_over = pyqtSignal()

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__()
        self._desk, self._look = desk, look
        self._cards: dict[int, SeenCard] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 12, 14, 12)
        column.setSpacing(SPACE_S)
        self.head = PageHead(tr("At the other stations"), "")
        column.addWidget(self.head)
        self.said = label("", "warn", wrap=True)
        column.addWidget(self.said)
        area, self._batches = bare_area(tr("Batches of the other stations"))
        self._batches.setSpacing(SPACE_M)
        self.nothing = label(tr("No other station roasts at present."), "soft")
        self._batches.addWidget(self.nothing)
        self._batches.addStretch(1)
        column.addWidget(area, 1)
        frame, inside = card(spacing=4)
        inside.addWidget(label(tr("Stations"), "heading"))
        self.stations = FigureGrid(small=True)
        inside.addWidget(self.stations)
        column.addWidget(frame)

    def showEvent(self, event: QShowEvent | None) -> None:
        """From now on the curves are asked for too."""
        self._desk.watch_curves(True)
        super().showEvent(event)

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Nobody looks at the curves any more."""
        self._desk.watch_curves(False)
        super().hideEvent(event)

    def refresh(self) -> None:
        """Show the floor as it was heard last."""
        if self._desk.floor is not None:
            self.show_floor(self._desk.floor)

    def show_floor(self, floor: Floor) -> None:
        """Show the floor as it is heard, while anybody looks."""
        if not self.isVisible():
            return
        units, name = self._desk.settings.units, self._desk.settings.station_name
        said = [
            floor.wrong,
            floor.clock_words,
            "" if floor.answers else SILENT,
        ]
        self.said.setText("\n".join(one for one in said if one))
        self.said.setVisible(any(said))
        count = len(floor.batches)
        roasting = tr("{} batches", count) if count != 1 else tr("one batch")
        self.head.subtitle.setText(tr("This one is {} · {} in other drums", name, roasting if count else tr("nothing")))
        self.nothing.setVisible(not count)
        known = {seen.running.key for seen in floor.batches}
        for key in set(self._cards) - known:
            gone = self._cards.pop(key)
            gone.hide()
            gone.deleteLater()
        for place, seen in enumerate(floor.batches):
            if seen.running.key not in self._cards:
                made = self._cards[seen.running.key] = SeenCard(self._look)
                made.take_over_wanted.connect(self._on_take_over)
                made.close_wanted.connect(self._on_close)
                self._batches.insertWidget(place, made)
            self._cards[seen.running.key].show_seen(seen, units)
        rows = []
        for one in floor.stations:
            heard = tr("away for {}", clock(one.silent_s)) if one.away else tr("at work")
            off = tr(", clock {:+.0f} s", one.clock_off_s) if abs(one.clock_off_s) > CLOCK_OFF_S else ""
            this = tr(" (this one)") if one.name == name else ""
            rows.append((f"{one.name}{this}{f' · {one.who}' if one.who else ''}", f"{heard}{off}"))
        self.stations.show_rows(rows)

    def _on_take_over(self, seen: Seen) -> None:
        one = seen.running
        sentence = tr(
            "Go on here with batch {} of {}? What that one still has goes in when it is back. Somebody must stand at the "
            "roaster: Firnel reads and advises only.", one.label, one.station or tr("a station that is gone"),
        )  # fmt: skip
        question = Question(self, sentence, tr("Go on with it here"), tr("Leave it"), risky=True)
        question.accepted.connect(partial(self.take_over, one.key))
        question.finished.connect(question.deleteLater)
        question.open()

    def _on_close(self, seen: Seen) -> None:
        key = seen.running.key
        ended = "dropped" if seen.charge_t is not None else "discarded"
        self._desk.ask(shelf.set_status, key, ended)
        self.said.setText(tr("Batch {} is closed as it stands.", seen.running.label))
        self.said.show()

    def take_over(self, key: int) -> None:
        """Go on here with a batch of a station that is gone."""
        try:
            self._desk.take_over(key)
        except (ValueError, LibraryError) as error:
            self.said.setText(str(error))
            self.said.show()
            return
        self.taken_over.emit()
