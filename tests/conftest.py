"""Every test starts from default settings and an empty library, and leaves no thread or window behind."""

import gc
import json
import os
import sys
import threading
import time
import traceback
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import Any
from uuid import uuid4

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # as the program itself has it, before NumPy is loaded

import numpy as np
import pytest

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("XDG_RUNTIME_DIR", "/tmp")

from firnel.work.languages import speak

speak(os.environ.get("FIRNEL_TEST_LANGUAGE", "en"))  # before anything is loaded that says something

from made import trace_of
from PyQt6.QtCore import QCoreApplication, QEvent, Qt
from PyQt6.QtWidgets import QAbstractButton, QApplication, QMainWindow, QTabBar, QWidget
from pytestqt.qtbot import QtBot
from server import Server, in_memory, running
from sqlalchemy import Connection, text

from firnel.core.plan import Plan
from firnel.core.plan_document import plan_to_document
from firnel.core.vocabulary import BatchRecord, Found, Mark, MarkKind
from firnel.store import opening
from firnel.store.library import Library
from firnel.store.opening import migrate
from firnel.store.writing import make_engine, writing
from firnel.ui.shared.collector import Collector
from firnel.ui.shared.questions import Question
from firnel.work.machines import learner

learner.NICENESS = 0  # a process that gives way to all the other tests hardly ever has its turn
#: Files that take long go first, so that no process ends up with one of them alone.
LONG = (
    "test_whole_batch.py", "test_first_hour.py", "test_solving.py", "test_window.py", "test_window_records.py",
    "test_guidance.py", "test_language.py", "test_attacks.py", "test_three_heaters.py", "test_practice.py",
    "test_package.py", "test_every_size.py", "test_clean_ends.py",
)  # fmt: skip
#: So long waits what only a hang can keep from coming, on however slow a computer. [s]
PATIENCE_S = 600.0
#: A library that was made after a pattern is another one.
OWN_IDENTITY = f"UPDATE house SET document = '{{{{\"id\": \"{{}}\"}}}}' WHERE name = '{opening.IDENTITY}'"


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    items.sort(key=lambda item: LONG.index(item.path.name) if item.path.name in LONG else len(LONG))


@pytest.hookimpl(trylast=True)
def pytest_runtest_teardown() -> None:
    """What a test leaves of windows is gone before the next: each that stays is dressed anew with every window that opens."""
    if QApplication.instance() is not None:
        for left in QApplication.topLevelWidgets():
            if isinstance(left, QMainWindow):
                left.deleteLater()
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


@pytest.fixture(autouse=True)
def _own_settings(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("FIRNEL_SETTINGS", str(tmp_path / "settings.json"))
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))


@pytest.fixture(autouse=True)
def _no_box_waits_for_nobody(monkeypatch: pytest.MonkeyPatch) -> None:
    """A box that nobody answers fails the test, with its words, instead of standing there for ever."""

    def refuse(question: Question) -> None:
        raise AssertionError(f"A box asks: {question.sentence}")

    monkeypatch.setattr(Question, "exec", refuse)


@pytest.fixture(scope="session", autouse=True)
def _tables_made_once() -> Iterator[None]:
    """The tables of a new file are made by all migrations once, and then as they came out: a quarter of a second each."""
    made: list[str] = []

    def make(connection: Connection, to: str = "head") -> None:
        new = connection.dialect.name == "sqlite" and connection.exec_driver_sql("SELECT 1 FROM sqlite_master").first() is None
        if not new or to != "head":
            migrate(connection, to)
            return
        if not made:
            migrate(connection, to)
            made.extend(connection.connection.driver_connection.iterdump())
            return
        for statement in made[1:-1]:  # without its transaction
            connection.exec_driver_sql(statement)
        connection.exec_driver_sql(OWN_IDENTITY.format(uuid4().hex))

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(opening, "migrate", make)
        yield


@pytest.fixture(autouse=True)
def _collected_on_the_gui_thread() -> Iterator[None]:
    """A command run in this process ends as one without a window, and has Python collect again: not while there is one."""
    yield
    application = QApplication.instance()
    if application is not None and application.findChild(Collector) is not None:
        gc.disable()


@pytest.fixture(autouse=True)
def _no_thread_left(request: pytest.FixtureRequest) -> Iterator[None]:
    before = set(threading.enumerate())
    yield
    windows = "qtbot" in request.fixturenames or set(threading.enumerate()) != before
    if windows and not gc.isenabled():  # a test ends before the window's collector has looked
        gc.collect()
    for thread in threading.enumerate():
        if thread not in before and thread.name == "journal":
            thread.join(20.0)  # a slow disk: it ends once it has written
    left = [thread for thread in threading.enumerate() if thread not in before and thread.is_alive() and not thread.daemon]
    named = [
        thread for thread in threading.enumerate() if thread not in before and thread.name in ("modbus", "serial", "journal")
    ]
    frames = sys._current_frames()
    stand = [
        f"{one.name}:\n{''.join(traceback.format_stack(frames[one.ident]))}" for one in left + named if one.ident in frames
    ]
    assert not left + named, "threads left running: " + "\n".join(stand)


def wait_for(condition: Callable[[], object]) -> None:
    """Until it holds, however slow the computer is."""
    deadline = time.monotonic() + PATIENCE_S
    while not condition():
        assert time.monotonic() < deadline, "it does not happen"
        time.sleep(0.02)


@pytest.fixture
def qtbot(qtbot: QtBot) -> Iterator[QtBot]:
    """A window that is to be closed is held until then: collected before, it would never end what runs in it.

    What is waited for is waited for with `PATIENCE_S`.
    """
    held: list[QWidget] = []
    add = qtbot.addWidget

    def hold(widget: QWidget, **more: Any) -> None:
        held.append(widget)
        add(widget, **more)

    qtbot.addWidget = hold
    for name in ("waitUntil", "waitSignal", "waitSignals", "waitActive", "waitExposed"):
        setattr(qtbot, name, partial(getattr(qtbot, name), timeout=round(1000 * PATIENCE_S)))
    yield qtbot
    held.clear()


@pytest.fixture
def library(tmp_path: Path) -> Iterator[Library]:
    opened = Library(tmp_path / "library.sqlite")
    yield opened
    opened.close()


@pytest.fixture(scope="session")
def server() -> Iterator[Server]:
    """A real database server."""
    with running(in_memory()) as started:
        yield started


@pytest.fixture(scope="session")
def pattern(server: Server) -> str:
    """A database on the server in which an empty library stands."""
    name = server.new_database()
    Library(server.url(name)).close()
    return name


@pytest.fixture(params=["file", "server"])
def either(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[Library]:
    """A library in a file, and one on a server."""
    if request.param == "file":
        opened = Library(tmp_path / "library.sqlite")
    else:
        server, pattern = request.getfixturevalue("server"), request.getfixturevalue("pattern")
        name = server.new_database(pattern)
        server.do(OWN_IDENTITY.format(uuid4().hex), name)
        opened = Library(server.url(name))
    yield opened
    opened.close()


@pytest.fixture
def record() -> BatchRecord:
    """A plain batch: 60 s of idling, a plunge at 60 s of the log, a turn, a steady rise, a drop."""
    return make_record()


def make_record(label: str = "0007", step: float = 1.0) -> BatchRecord:
    t = np.arange(0.0, 730.0, step)
    since = t - 60.0
    rise = 205.0 - 145.0 * np.exp(-np.maximum(since, 0) / 260.0)
    bean = np.where(since < 0, 198.0, rise + (198.0 - 60.0) * np.exp(-np.maximum(since, 0) / 22.0))
    after_drop = since > 640.0
    bean = np.where(after_drop, np.interp(700.0, t, bean) - 0.5 * (since - 640.0), bean)
    air = bean + 25.0
    gas = np.where(since < 0, 0.0, np.where(since < 300, 2.4, 1.6))
    trace = trace_of((t, bean, air, gas, np.full_like(t, 50.0), np.full_like(t, 58.0)), np.zeros(t.size, np.int64))
    marks = [(MarkKind.CHARGE, 60.0), (MarkKind.YELLOW, 340.0), (MarkKind.FIRST_CRACK, 600.0), (MarkKind.DROP, 700.0)]
    return BatchRecord(
        label, "Rwanda Isuka", "Drum Six", datetime(2026, 11, 2, 9, 30, tzinfo=UTC), trace,
        tuple(Mark(kind, at, trace.bean_at(at), Found.KEY) for kind, at in marks), load_kg=5.0, roasted_kg=4.35,
        colour_whole=66.0, colour_ground=68.5, room_c=21.0, remark="a remark, with comma",
    )  # fmt: skip


def older_library(path: Path, version: str, plan: Plan) -> None:
    """A library as an older Firnel left it: with a plan, two batches of one number, and readings."""
    engine = make_engine(f"sqlite:///{path}")
    with writing(engine) as connection:
        migrate(connection, version)
        document = json.dumps(plan_to_document(plan))
        connection.execute(text("INSERT INTO plans (name, document) VALUES ('test', :document)"), {"document": document})
        for label in ("0001", "0001"):
            connection.execute(
                text(
                    "INSERT INTO batches (label, plan_id, status, started, remark, clock_rate, search_text) "
                    "VALUES (:label, 1, 'done', '2026-11-03 08:00:00', '', 1.0, '')"
                ),
                {"label": label},
            )
        connection.execute(text("INSERT INTO readings (batch_id, seq, t, bean, quality) VALUES (1, 0, 0.0, 198.5, 0)"))
    engine.dispose()


@pytest.fixture
def many() -> Callable[[Library, int], None]:
    """Fills a library with batches that have no readings."""

    def fill(library: Library, count: int) -> None:
        for number in range(count):
            library.new_batch(None, None, None, 5.0, datetime(2026, 1, 1, tzinfo=UTC), f"{number:05d}", "done")

    return fill


def press(qtbot: QtBot, parent: QWidget, name: str) -> None:
    """A click on the tab or the button of that name."""
    for bar in parent.findChildren(QTabBar):
        for number in range(bar.count() if bar.isVisible() else 0):
            if bar.tabText(number) == name:
                qtbot.mouseClick(bar, Qt.MouseButton.LeftButton, pos=bar.tabRect(number).center())
                return
    found = next(one for one in parent.findChildren(QAbstractButton) if one.text() == name and one.isVisible())
    qtbot.mouseClick(found, Qt.MouseButton.LeftButton)
