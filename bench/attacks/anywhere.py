"""Any key, click, drag and word anywhere in the window: nothing breaks, nothing untrue is shown or kept, nothing is lost."""

from __future__ import annotations

import math
import random
import re
import sys
import time
import traceback
from collections import deque
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, TypeVar
from unittest.mock import patch

from conftest import make_record
from made import reading
from PyQt6.QtCore import QMessageLogContext, QPoint, Qt, QTimer, QtMsgType, qInstallMessageHandler
from PyQt6.QtGui import QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QComboBox,
    QDialog,
    QFileDialog,
    QLabel,
    QLineEdit,
    QMenu,
    QTableView,
    QWidget,
)

from attacks.files import ABSURD, Found
from firnel.app.demo import DEMO_NAME, demo_library
from firnel.app.window import begin_work, make_application, make_window
from firnel.core.vocabulary import Lot
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.store.tables import metadata
from firnel.ui.shared.actions import STATIONS
from firnel.ui.shared.questions import Question
from firnel.ui.theme.look import Look
from firnel.work.desk import machine_of_kind
from firnel.work.review.records import refusal_of
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.settings import Settings

KEYS = (
    *"ABCDEFGHIJKLMNOPQRSTUVWXYZ+-,.123", "Space", "Return", "Escape", "Tab", "Up", "Down", "Left", "Right", "Delete",
    "Backspace", *(f"F{number}" for number in range(1, 9)), *(f"Ctrl+{letter}" for letter in "FKLPRZ"), "Ctrl+Left",
    "Ctrl+Shift+Z",
)  # fmt: skip
WORDS = (
    *ABSURD, "5", "12.5", "200", "1:30", "gas 0.8 at yellow", "12 kg Isuka friday for Asha", "999999", "16666:40", "Rwanda",
    "0.001", "5,5", "x" * 60, "ñandú 🫘", "700 °C", "1e12 kg", "30 feb",
)  # fmt: skip
Kind = TypeVar("Kind", bound=QWidget)
#: What no sentence for a roaster holds; what was typed may be told, between quotes or behind "to".
UNTRUE = re.compile(
    r"(?<!['\"“])\b(?:nan|inf)\b(?!')|\bNone\b(?!\.| yet)|Traceback|%s|<\w+ object|\w+Error\(|firnel\.\w|0x[0-9a-f]{8}"
)
#: The platform's own words, and those of what plays sounds.
PLATFORM = re.compile(r"This plugin does not|pipewire|libva|va-|va\b|Qt multimedia|PulseAudio|propagateSizeHints")
#: An answer to one deed that takes longer is a window that hangs. [s]
HANGS_S = 10.0


class Hands:
    """A person who does anything, and a checker who looks on."""

    def __init__(
        self, folder: Path, library: Library, seed: int, found: Found, keep: Callable[[Settings], None] = lambda _: None
    ) -> None:
        self.rng, self.found, self.library, self.folder = random.Random(seed), found, library, folder
        self.did: deque[str] = deque(maxlen=5)
        self.application = make_application()
        self.window = make_window(library, Settings(), Look(self.application), keep=keep, spill_at=folder / "spill")
        self.window.resize(1280, 800)
        self.window.show()
        self.record, self.fed = make_record(), 0
        self.closer = QTimer(self.window)
        self.closer.timeout.connect(self._soon)
        self.told: set[str] = set()
        self.typed: set[str] = set()

    def wrong(self, what: str) -> None:
        """Something that must not be, once for each kind of it."""
        if what[:90] not in self.told:
            self.told.add(what[:90])
            self.found.fail(f"{what[:900]} after {list(self.did)}")

    @contextmanager
    def watched(self) -> Iterator[None]:
        """All that goes wrong meanwhile is noted; files are chosen by nobody."""

        def broke(kind: type[BaseException], error: BaseException, where: Any) -> None:
            if refusal_of(error):  # the window tells it, see `CrashHook`
                return
            self.wrong("".join(traceback.format_exception(kind, error, where))[-900:])

        def said(_kind: QtMsgType, _context: QMessageLogContext, message: str | None) -> None:
            if not PLATFORM.search(message or ""):
                self.wrong(f"Qt: {message}")

        def one(*_about: object) -> tuple[str, str]:
            return str(self.rng.choice((self.folder / "no.csv", self.folder / "out.xlsx", "/nowhere/out.pdf", ""))), ""

        before, sys.excepthook = sys.excepthook, broke
        handler = qInstallMessageHandler(said)
        with (
            patch.object(Question, "exec", lambda question: QDialog.exec(question)),
            patch.object(QFileDialog, "getOpenFileName", one),
            patch.object(QFileDialog, "getSaveFileName", one),
            patch.object(QFileDialog, "getOpenFileNames", lambda *_: ([], "")),
            patch.object(QFileDialog, "getExistingDirectory", lambda *_: str(self.folder)),
        ):
            self.closer.start(15)
            yield
            self.closer.stop()
        sys.excepthook = before
        qInstallMessageHandler(handler)

    # What stands in the way: asked boxes and menus; each in an event of its own, so that the next can be met inside it

    def _soon(self) -> None:
        if self.application.activePopupWidget() is not None or self.application.activeModalWidget() is not None:
            QTimer.singleShot(0, self._out_of_the_way)

    def _out_of_the_way(self) -> None:
        popup, modal = self.application.activePopupWidget(), self.application.activeModalWidget()
        if popup is not None:
            popup.close()
            actions = [action for action in popup.actions() if action.isEnabled()] if isinstance(popup, QMenu) else []
            if actions and self.rng.random() < 0.6:
                action = self.rng.choice(actions)
                self.did.append(f"menu {action.text()}")
                action.trigger()
        elif isinstance(modal, QDialog) and modal.isVisible():
            self.do_something(modal)
            if self.rng.random() < 0.5:
                modal.reject()

    # Deeds

    def do_something(self, root: QWidget) -> None:
        """Anything that hands can do inside a widget."""
        deeds: tuple[tuple[float, Callable[[QWidget], None]], ...] = (
            (0.05, self._go), (0.2, self._key), (0.33, self._click), (0.25, self._type), (0.07, self._choose),
            (0.06, self._row), (0.04, self._drag),
        )  # fmt: skip
        self.rng.choices([deed for _, deed in deeds], [share for share, _ in deeds])[0](root)

    def _one(self, root: QWidget, kind: type[Kind]) -> Kind | None:
        there = [widget for widget in root.findChildren(kind) if widget.isVisible() and widget.isEnabled()]
        return self.rng.choice(there) if there else None

    def _go(self, _root: QWidget) -> None:
        self.did.append(f"to {(name := self.rng.choice(STATIONS))}")
        self.window.show_station(name)

    def _key(self, root: QWidget) -> None:
        self.did.append(f"key {(key := self.rng.choice(KEYS))}")
        pressed = QKeySequence(key)[0]
        QTest.keyClick(self.application.focusWidget() or root, pressed.key(), pressed.keyboardModifiers())

    def _click(self, root: QWidget) -> None:
        if (found := self._one(root, QAbstractButton)) is not None:
            self.did.append(f"click {found.text() or found.accessibleName()}")
            QTest.mouseClick(found, Qt.MouseButton.LeftButton)

    def _type(self, root: QWidget) -> None:
        if (field := self._one(root, QLineEdit)) is not None and not field.isReadOnly():
            words = self.rng.choice(WORDS)
            self.did.append(f"{words!r} into {field.accessibleName() or field.placeholderText()}")
            self.typed.add(words)
            field.setFocus()
            field.selectAll()
            field.insert(words)
            if self.rng.random() < 0.7:
                QTest.keyClick(field, Qt.Key.Key_Return)

    def _choose(self, root: QWidget) -> None:
        if (box := self._one(root, QComboBox)) is not None and box.count():
            place = self.rng.randrange(box.count())
            self.did.append(f"{box.itemText(place)} in {box.accessibleName()}")
            box.setCurrentIndex(place)
            box.activated.emit(place)
            box.textActivated.emit(box.itemText(place))

    def _row(self, root: QWidget) -> None:
        table = self._one(root, QTableView)
        if table is not None and (model := table.model()) is not None and model.rowCount():
            self.did.append(f"a row of {table.accessibleName()}")
            table.selectRow(self.rng.randrange(model.rowCount()))

    def _drag(self, root: QWidget) -> None:
        if (widget := self._one(root, QWidget)) is not None:
            at = QPoint(self.rng.randrange(max(widget.width(), 1)), self.rng.randrange(max(widget.height(), 1)))
            to = at + QPoint(self.rng.randint(-90, 90), self.rng.randint(-50, 50))
            self.did.append(f"a drag on {type(widget).__name__}")
            QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=at)
            QTest.mouseMove(widget, to)
            QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=to)

    # Beans go on, and somebody looks

    def feed(self) -> None:
        """The next reading; now and then a batch is prepared."""
        session, machines = self.window.desk.session, self.library.machines()
        if not session.recording and machines and self.rng.random() < 0.1:
            self.window.desk.prepare(BatchOrder(None, machines[0], None, min(5.0, machines[0].useful_load_kg)))
        at = self.fed % self.record.trace.t.size
        self.window.desk.take_reading(reading(session.clock.now(), float(self.record.trace.bean[at]), 220.0, 2.0))
        self.fed += 1

    def live(self, steps: int) -> None:
        """So many deeds, each answered before the next."""
        kept = 0
        for step in range(steps):
            begun = time.monotonic()
            self.feed()
            self.do_something(self.application.activeModalWidget() or self.window)
            self.application.processEvents()
            self.window.show()
            took = time.monotonic() - begun
            self.found.slowest_s = max(self.found.slowest_s, took)
            if took > HANGS_S:
                self.wrong(f"the window hung for {took:.0f} s")
            if step % 10 == 0:
                self.look()
                now = sum(line.status == "done" for line in self.library.batch_lines(BatchFilter()))
                if now < kept:
                    self.wrong(f"{kept - now} batches are gone")
                kept = now
        self.found.counts["deeds"] += steps

    def look(self) -> None:
        """Nothing that is shown is a figure or a word of the machine's own."""
        for shown in self.window.findChildren(QLabel):
            if shown.isVisible() and (match := UNTRUE.search(shown.text())) is not None and match[0] not in self.typed:
                self.wrong(f"shown: {shown.text()!r}")

    def end(self) -> None:
        """Close, and see that all that is kept is what a table of a roastery can hold."""
        self.closer.stop()
        with patch.object(Question, "exec", lambda _: QDialog.DialogCode.Accepted):
            self.window.close()
        with self.library.engine.connect() as connection:
            for table in metadata.sorted_tables:
                for row in connection.execute(table.select()).mappings():
                    for name, value in row.items():
                        if isinstance(value, float) and not (math.isfinite(value) and abs(value) < 1e10):
                            self.wrong(f"kept: {table.name}.{name} is {value}")


def attack_anywhere(folder: Path, short: bool) -> Found:
    """Hands that do anything: on a library in which nothing stands, on a small one, and on the demo's."""
    found = Found()
    for seed, steps, filled in (
        ((1, 60, False), (2, 120, True)) if short else ((1, 600, False), (2, 1500, True), (3, 1500, True))
    ):
        here = folder / f"{seed}"
        here.mkdir()
        if filled and not short:
            demo_library(here)
        library = Library(here / DEMO_NAME)
        if filled and short:
            library.save_lot(Lot("Rwanda Isuka", "Rwanda", process="washed", density_g_per_l=742, on_hand_kg=148.0))
            library.save_machine(machine_of_kind("Drum Six", "gas-6"))
            library.add_record(make_record("0001"))
        hands = Hands(here, library, seed, found)
        with hands.watched():
            if not short:
                begin_work(hands.window)
            hands.live(steps)
            hands.end()
    return found
