"""The main job, as a roaster does it: a simulated machine over Modbus, the real window, keys alone."""

import json
import os
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest
from conftest import PATIENCE_S
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QLineEdit

from firnel.app.demo_batches import LOTS, MACHINES, RECIPES, plan_of
from firnel.app.window import make_application, make_window
from firnel.core.plan_document import plan_to_document
from firnel.core.vocabulary import MarkKind
from firnel.store.library import Library
from firnel.ui.review.view import ReviewView
from firnel.ui.theme.look import Look
from firnel.work.desk import LinkState, machine_of_kind
from firnel.work.machines.knowledge import model_of
from firnel.work.review.records import sheet_of
from firnel.work.settings import Settings

SPEED = 12.0


def filled(path: Path) -> Library:
    """A library with one machine, one lot and one plan."""
    library = Library(path)
    recipe = RECIPES[0]
    machine = library.save_machine(machine_of_kind(recipe.machine, MACHINES[recipe.machine]))
    library.save_lot(LOTS[recipe.lot].lot)
    library.save_plan(plan_of(recipe, machine))
    return library


class Simulated:
    """The simulator process, with what truly happens written to a file. It charges soon after its start, watched or not."""

    def __init__(self, folder: Path, library: Library) -> None:
        self.truth_at, self._plan_at = folder / "truth.jsonl", folder / "plan.json"
        self._plan_at.write_text(json.dumps(plan_to_document(library.plans()[0])))
        self.process: subprocess.Popen[str] | None = None
        self.url = ""

    def start(self, port: int = 0) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-m", "firnel", "simulator", "--port", str(port), "--plan", str(self._plan_at),
             "--speed", str(SPEED), "--truth", str(self.truth_at), "--seed", "5"],
            stdout=subprocess.PIPE, text=True,
        )  # fmt: skip
        assert self.process.stdout is not None
        self.url = f"modbus://127.0.0.1:{json.loads(self.process.stdout.readline())['port']}?map=gas-6"

    def truth(self) -> dict[str, dict[str, float]]:
        if not self.truth_at.exists():
            return {}
        return {entry["event"]: entry for entry in map(json.loads, self.truth_at.read_text().splitlines())}

    def stop(self) -> None:
        if self.process is None:
            return
        self.process.terminate()
        self.process.wait(PATIENCE_S)
        if self.process.stdout is not None:
            self.process.stdout.close()


@dataclass
class Windowless:
    """A batch that is roasted without a window, and where it is kept."""

    machine: Simulated
    roast: subprocess.Popen[str]
    at: Path


@pytest.fixture(scope="module", autouse=True)
def windowless(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Windowless]:
    """It takes as long as a batch does at this speed: it is roasted while the windows roast theirs."""
    folder = tmp_path_factory.mktemp("windowless")
    at = folder / "roastery.sqlite"
    library = filled(at)
    machine = Simulated(folder, library)
    library.close()
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    told = ("roast", "--device", f"modbus://127.0.0.1:{port}?map=gas-6", "--plan", str(folder / "plan.json"), "--follow",
            "--library", str(at))  # fmt: skip
    own = {"FIRNEL_SETTINGS": str(folder / "settings.json"), "XDG_DATA_HOME": str(folder), "XDG_STATE_HOME": str(folder)}
    with (folder / "said").open("w+") as said:  # a pipe that nobody reads yet would stop it
        roast = subprocess.Popen([sys.executable, "-m", "firnel", *told], stdout=said, text=True, env=os.environ | own)
        while roast.poll() is None and not (folder / "said").stat().st_size:
            time.sleep(0.05)
        machine.start(port)  # only now: it charges soon, and a charge that nobody saw is found late
        yield Windowless(machine, roast, at)
        roast.kill()
        roast.wait()
    machine.stop()


@pytest.fixture
def simulated(tmp_path: Path) -> Iterator[Simulated]:
    library = filled(tmp_path / "roastery.sqlite")
    machine = Simulated(tmp_path, library)
    library.close()
    yield machine
    machine.stop()


def test_a_batch_is_roasted_by_keys_weighed_and_found_in_review(qtbot, tmp_path, simulated):
    application = make_application()
    look = Look(application)
    window = make_window(Library(tmp_path / "roastery.sqlite"), Settings(), look)
    qtbot.addWidget(window, before_close_func=lambda w: w.desk.session.close())
    window.show()
    desk, session = window.desk, window.desk.session
    simulated.start()
    desk.connect(simulated.url, desk.library.machines()[0])
    # Prepare the batch by keys: N, then Enter in the load; the plan fills the rest.
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    qtbot.keyClick(window.roast, Qt.Key.Key_N)
    qtbot.waitUntil(window.roast.prepare.isVisible)
    load = window.roast.prepare.findChild(QLineEdit, "figures")
    load.setFocus()
    qtbot.keyClick(load, Qt.Key.Key_Return)
    assert session.recording
    assert session.label == "0001"
    qtbot.waitUntil(lambda: desk.link.state is LinkState.LIVE)

    for event, kind in (
        ("charge", MarkKind.CHARGE),
        ("yellow", MarkKind.YELLOW),
        ("first_crack", MarkKind.FIRST_CRACK),
        ("drop", MarkKind.DROP),
    ):
        qtbot.waitUntil(lambda event=event: event in simulated.truth())
        before = session.now()
        if kind not in session.marks:
            qtbot.keyClick(window.roast, Qt.Key.Key_Space)
            assert before <= session.marks[kind].t <= session.now(), "stamped when the key went down"
        qtbot.waitUntil(lambda kind=kind: kind in session.marks)
        if event == "yellow":
            qtbot.keyClick(window.roast, Qt.Key.Key_C)
            qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_3)
    qtbot.waitUntil(lambda: session.phase == "cooling")
    assert [note.text for note in session.notes if note.kind == "colour"] == ["yellow"]
    assert len(session.moves) >= 5, "the machine reports its moves"

    qtbot.waitUntil(lambda: window.roast.weigh.isVisible())
    qtbot.keyClick(window.roast, Qt.Key.Key_W)
    for text in (f"{simulated.truth()['drop']['roasted_kg']:.3f}", "66.5", "68", "first of the day"):
        qtbot.keyClicks(QApplication.focusWidget(), text)
        qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    assert not session.recording, window.roast.weigh.findChildren(QLineEdit)[-1].text()

    qtbot.keyClick(window, Qt.Key.Key_F6)
    review = window.view("Review")
    assert isinstance(review, ReviewView)
    review.search.setText("isuka 0001")
    qtbot.waitUntil(lambda: "0001" in review.sheet.head.title.text())
    record = desk.library.batch(desk.library.find_batch("0001"))
    stages, truth = sheet_of(record).stages, simulated.truth()
    true_t = {name: truth[name]["t"] for name in truth}
    # A key is pressed once the truth is seen in its file: late by what a busy computer takes, times the speed of this machine.
    assert stages.drying.seconds == pytest.approx(true_t["yellow"] - true_t["charge"], abs=30.0)
    assert stages.browning.seconds == pytest.approx(true_t["first_crack"] - true_t["yellow"], abs=30.0)
    assert stages.development.seconds == pytest.approx(true_t["drop"] - true_t["first_crack"], abs=30.0)
    assert (record.load_kg, record.colour_whole, record.remark) == (5.0, 66.5, "first of the day")
    assert record.loss == pytest.approx(1 - truth["drop"]["roasted_kg"] / truth["charge"]["load_kg"], abs=1e-3)
    # 60-95 s: common practice, no published source
    assert 55 <= record.mark(MarkKind.TURNING).t - record.charge_t <= 100
    window.close()


ROASTER = """
import sys, json, time
from pathlib import Path
from PyQt6.QtCore import QTimer
from firnel.app.window import make_application, make_window
from firnel.store.library import Library
from firnel.ui.theme.look import Look
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.settings import Settings
application = make_application()
window = make_window(Library(sys.argv[1]), Settings(), Look(application), keep=lambda s: None)
window.show()
library, session = window.desk.library, window.desk.session
machine = library.machines()[0]
print("ready", flush=True)
window.desk.connect(sys.stdin.readline().strip(), machine)
session.prepare(BatchOrder(library.lots()[0], machine, library.plans()[0], 5.0))
def tell():
    said = {"t": session.trace.last_t, "marks": [k.value for k in session.marks]}
    if (said["t"] or 0.0) >= 200.0 and "charge" in said["marks"]:
        said["written"] = session.flush()  # what had been on the screen for a second; however busy the computer is
    print(json.dumps(said), flush=True)
timer = QTimer(); timer.timeout.connect(tell); timer.start(50)
application.exec()
"""


def test_a_batch_survives_kill_minus_nine_and_is_gone_on_with(qtbot, tmp_path, simulated):
    at = tmp_path / "roastery.sqlite"
    pipe = subprocess.PIPE
    with subprocess.Popen([sys.executable, "-c", ROASTER, str(at)], stdin=pipe, stdout=pipe, text=True) as roaster:
        assert roaster.stdout is not None
        assert roaster.stdin is not None
        try:
            assert roaster.stdout.readline() == "ready\n"
            simulated.start()
            roaster.stdin.write(simulated.url + "\n")
            roaster.stdin.flush()
            said: dict[str, object] = {}
            while not said.get("written"):  # the charge is found from the curve, nobody presses a key
                said = json.loads(roaster.stdout.readline())
                assert (said["t"] or 0.0) < 900.0, said
        finally:
            roaster.kill()

    window = make_window(Library(at), Settings(), Look(make_application()))
    qtbot.addWidget(window, before_close_func=lambda w: w.desk.session.close())
    window.show()
    window.offer_unfinished()
    assert window.notice.isVisible()
    line = window.desk.library.owner_book.unowned(window.desk.clock.wall())[0]
    kept = window.desk.library.batch(line.id)
    assert kept.trace.t[-1] >= said["t"], "how fast that is, bench/recovery.py and bench/attack.py measure"
    assert kept.mark(MarkKind.CHARGE) is not None
    window.notice.answered.emit(True)
    session = window.desk.session
    assert session.phase == "drying"
    window.desk.connect(simulated.url, window.desk.library.machines()[0])
    readings = len(session.trace)
    qtbot.waitUntil(lambda: len(session.trace) > readings + 5)
    assert session.now() > said["t"], "the batch clock ran on while Firnel was away"
    window.desk.session.close()
    window.close()


def test_a_batch_is_roasted_without_a_window_and_its_cues_followed(windowless):
    assert windowless.roast.wait(PATIENCE_S) == 0
    truth = windowless.machine.truth()
    events = [json.loads(line) for line in (windowless.at.parent / "said").read_text().splitlines()]
    marks = {event["mark"]: event["t"] for event in events if event["event"] == "mark"}
    # A late reading of a busy computer is as late as that, times the speed of this machine.
    assert marks["drop"] == pytest.approx(truth["drop"]["t"] - truth["charge"]["t"], abs=30.0)
    cues = [event for event in events if event["event"] == "cue"]
    assert [cue["control"] for cue in cues if "control" in cue].count("gas") >= 3
    library = Library(windowless.at)
    record = library.batch(library.find_batch("0001"))
    assert record.plan == library.plans()[0].name
    assert record.mark(MarkKind.DROP) is not None
    assert events[-1]["event"] == "learned"
    assert model_of(library, library.machine(record.machine))[0].report.batches == ("0001",)
    library.close()
