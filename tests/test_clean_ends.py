"""Ends are clean, and errors that nobody expected end nothing."""

import json
import logging
import os
import signal
import subprocess
import sys
from pathlib import Path

import pytest
from conftest import PATIENCE_S, make_record, wait_for

from firnel.app.command_parts import no_display
from firnel.app.crash import CrashHook, begin_log, log_path
from firnel.app.ends import EndedError
from firnel.app.first import First
from firnel.app.window import make_application, make_window
from firnel.core.plan import Plan
from firnel.core.plan_document import plan_to_document
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.ui.opening import Opening
from firnel.ui.shared.background import Background
from firnel.ui.theme.look import Look
from firnel.work.practice import practice as practising
from firnel.work.settings import Settings

SIGNALS = [signal.SIGINT, signal.SIGTERM, signal.SIGHUP]


def test_the_frame_tells_how_far_it_is_and_closing_it_ends_all(qtbot):
    application = make_application()
    frame = Opening("Quillbank", look := Look(application))
    qtbot.addWidget(frame)
    frame.show_now(application)
    first = First(application, look, Settings(), None, frame)
    first.tell("3 of 66 batches roasted")
    assert frame.accessibleName() == "3 of 66 batches roasted"
    frame.close()
    with pytest.raises(EndedError):
        first.tell("4 of 66 batches roasted")


def started(*arguments, **more):
    return subprocess.Popen(
        [sys.executable, "-m", "firnel", *map(str, arguments)],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        **more,
    )


@pytest.mark.parametrize("number", SIGNALS)
def test_a_roast_without_a_window_ends_with_all_written_whatever_ends_it(tmp_path, number):
    simulator = started("simulator", "--port", "0", "--speed", "20")
    port = json.loads(simulator.stdout.readline())["port"]
    plan = tmp_path / "plan.json"
    plan.write_text(json.dumps(plan_to_document(Plan("test", "Drum", load_kg=5.0))))
    at = tmp_path / "library.sqlite"
    roast = started("roast", "--device", f"modbus://127.0.0.1:{port}?map=gas-6", "--plan", plan, "--library", at, "--follow")
    assert '"link"' in roast.stdout.readline()
    wait_for(lambda: at.exists() and _readings(at))
    roast.send_signal(number)
    said = roast.communicate(timeout=PATIENCE_S)[1]
    assert roast.returncode == 1
    assert said.strip().splitlines()[-1] == "Stopped; what was recorded is kept."
    library = Library(at)
    assert library.owner_book.busy(library_now()) == []
    library.close()
    simulator.send_signal(number)
    assert simulator.wait(PATIENCE_S) == 0
    simulator.stdout.close()
    simulator.stderr.close()


def library_now():
    from datetime import UTC, datetime

    return datetime.now(UTC)


def _readings(at: Path) -> int:
    library = Library(at)
    lines = library.batch_lines(BatchFilter())
    count = library.batch(lines[0].id).trace.t.size if lines else 0
    library.close()
    return count


def test_a_batch_ends_with_its_last_line_though_the_hand_is_still_listened_to(tmp_path):
    plan = tmp_path / "plan.json"
    plan.write_text(json.dumps({"format": "firnel-plan-1", "name": "by hand", "machine": "Drum Six", "load_kg": 5.0}))
    at = tmp_path / "own.sqlite"
    subprocess.run(
        [sys.executable, "-m", "firnel", "machine", "add", "Drum Six", "--kind", "gas-6", "--library", at], check=True
    )
    told = ("roast", "--device", "hand:", "--plan", plan, "--hand", "-", "--library", at)
    roast = started(*told, stdin=subprocess.PIPE)
    roast.stdin.write("reading 200\nmark charge\nabandon spill\n")
    roast.stdin.flush()  # and it stays open
    assert (roast.wait(60), roast.stderr.read()) == (0, "")
    for pipe in (roast.stdin, roast.stdout, roast.stderr):
        pipe.close()


@pytest.mark.parametrize("how", ["parent gone", "asked"])
def test_a_simulator_ends_with_who_started_it_or_when_asked_and_says_nothing(how):
    simulator = started("simulator", "--port", "0", "--with-parent", stdin=subprocess.PIPE)
    assert "port" in simulator.stdout.readline()
    if how == "asked":  # while it still listens for its parent
        simulator.terminate()
        assert simulator.wait(60) == 0
    simulator.stdin.close()  # as the system does when the parent is killed
    assert simulator.wait(60) == 0
    assert simulator.stderr.read() == ""
    simulator.stdout.close()
    simulator.stderr.close()


@pytest.mark.parametrize(("loads", "late"), [("json", "late\n"), ("PyQt6.QtWidgets", "")])
def test_a_process_that_had_a_window_is_left_without_taking_down_what_qt_holds(loads, late):
    code = f"import {loads}, atexit\natexit.register(print, 'late')\nfrom firnel.app.ends import through\nthrough(lambda: 3)"
    ended = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=PATIENCE_S, check=False)
    assert (ended.returncode, ended.stdout) == (3, late), ended.stderr


@pytest.mark.parametrize("number", SIGNALS)
def test_the_window_ends_on_a_signal_with_its_batch_as_it_stands(tmp_path, number):
    at = tmp_path / "library.sqlite"
    environment = os.environ | {"QT_QPA_PLATFORM": "offscreen", "FIRNEL_SETTINGS": str(tmp_path / "settings.json")}
    window = started("gui", "--library", at, "--device", "hand:", env=environment)
    copies = at.with_name("library-copies")  # the day's copy is made once the window is there
    wait_for(lambda: window.poll() is not None or (copies.exists() and list(copies.iterdir())))
    assert window.poll() is None, window.stderr.read()
    window.send_signal(number)
    try:
        said = window.communicate(timeout=PATIENCE_S)[1]
    finally:
        window.kill()
    assert window.returncode == 0, said
    assert "Traceback" not in said
    library = Library(at)
    library.lock_for_roasting()
    assert library.left_cleanly
    library.close()


def test_what_computes_without_an_end_keeps_no_window_from_ending(tmp_path):
    code = """
import sys
from PyQt6.QtCore import QTimer
from firnel.app import window as opened
from firnel.app.first import begin
from firnel.ui.shared import background

background.PATIENCE_MS = 50
work = opened.begin_work

def for_ever():
    print("computes", flush=True)
    while True:
        pass

def begin_and_end(window, *complaints):
    work(window, *complaints)
    window._aside.run("for ever", for_ever, print)
    QTimer.singleShot(200, window.end)

opened.begin_work = begin_and_end
sys.exit(opened.run_window(begin(sys.argv[1]), sys.argv[1]))
"""
    at = tmp_path / "library.sqlite"
    environment = os.environ | {"QT_QPA_PLATFORM": "offscreen", "HOME": str(tmp_path)}
    ended = subprocess.run(
        [sys.executable, "-c", code, str(at)], env=environment, capture_output=True, text=True, timeout=PATIENCE_S, check=False
    )
    assert (ended.returncode, ended.stdout.strip()) == (0, "computes"), ended.stderr
    library = Library(at)
    library.lock_for_roasting()  # it was let go
    library.close()


def test_an_unexpected_error_is_told_once_and_lies_in_the_log(qtbot, library):
    window = make_window(library, Settings(), Look(make_application()), keep=lambda settings: None)
    qtbot.addWidget(window, before_close_func=lambda w: w.desk.session.close())
    window.show()
    begin_log()
    told = []
    hook = CrashHook(told.append)
    try:
        raise_it()
    except ZeroDivisionError as error:
        for _ in range(3):
            hook.take(type(error), error, error.__traceback__)
    assert len(told) == 1
    assert "division by zero" in told[0]
    assert str(log_path()) in told[0]
    assert "ZeroDivisionError" in log_path().read_text()
    for handler in list(logging.getLogger("firnel").handlers):
        handler.close()
        logging.getLogger("firnel").removeHandler(handler)
    logging.getLogger("firnel").propagate = True
    window.tell(told[0])
    assert window.notice.isVisible()
    window.notice._yes.click()
    assert not window.notice.isVisible()


def raise_it():
    return 1 / 0


def test_a_result_for_a_widget_that_is_gone_reaches_nobody(qtbot):
    from PyQt6.QtCore import QObject
    from PyQt6.sip import delete

    class Asker(QObject):
        def take(self, value):
            raise AssertionError(f"{value} reached what is gone")

    owner, asker = QObject(), Asker()
    background = Background(owner, print)
    background.run("job", lambda: 1, asker.take)
    delete(asker)
    background.wait()
    qtbot.wait(20)
    delete(owner)


def test_a_practice_leaves_no_folder_behind(library, tmp_path, monkeypatch):
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    from test_plan_and_cue import PLAN

    from firnel.work.desk import machine_of_kind

    library.save_machine(machine_of_kind(PLAN.machine, "gas-6"))
    made = practising.Practice(library, library.save_plan(PLAN), Settings(), "nothing", 1, lambda: 0.0)
    assert list(tmp_path.glob("firnel-practice-*"))
    made.close()
    assert not list(tmp_path.glob("firnel-practice-*"))


@pytest.mark.parametrize(
    ("arguments", "code", "words"),
    [
        (("forecast", "{batch}", "--at", "0"), 1, "hardly any bean readings"),
        (("forecast", "{batch}", "--at", "nan"), 2, "cannot be"),
        (("simulator", "--port", "99999"), 2, "99999"),
        (("import", "{csv}", "--room", "nan"), 2, "cannot be"),
        (("import", "{csv}", "--room", "1e9"), 2, "cannot be"),
        (("import", "{csv}", "--load", "-5"), 2, "cannot be"),
        (("import", "{csv}", "--mark", "drop=9999"), 1, "lies outside"),
        (("import", "{csv}", "--load", "60", "--machine", "Drum Six"), 1, "more than Drum Six takes"),
        (("plan", "solve", "--machine", "Drum Six", "--load", "5", "--lot", "nowhere"), 1, "No lot is called"),
        (("gui",), 1, "no display"),
        (("library", "check"), 0, "sound"),
        (("export", "{batch}", "--format", "json", "-o", "/nowhere/x.json"), 1, "cannot be written"),
    ],
)
def test_no_argument_leads_to_a_traceback(tmp_path, arguments, code, words):
    from firnel.exchange.csv_log import write_csv_log
    from firnel.work.desk import machine_of_kind

    at, csv = tmp_path / "library.sqlite", tmp_path / "log.csv"
    library = Library(at)
    library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    library.add_record(make_record())
    library.close()
    csv.write_text(write_csv_log(make_record(step=2.0)))
    given = [str(part).format(batch="0007", csv=csv) for part in arguments]
    environment = {
        name: value for name, value in os.environ.items() if name not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
    }
    at_option = [] if arguments[0] == "simulator" else ["--library", str(at)]
    done = subprocess.run(
        [sys.executable, "-m", "firnel", *given, *at_option],
        capture_output=True,
        text=True,
        env=environment,
        timeout=PATIENCE_S,
    )
    assert "Traceback" not in done.stderr
    assert words in done.stdout + done.stderr
    assert done.returncode == code, done.stderr


def test_files_are_told_one_by_one(tmp_path):
    from click.testing import CliRunner

    from firnel.app.commands import main
    from firnel.exchange.csv_log import write_csv_log

    good, bad = tmp_path / "good.csv", tmp_path / "bad.csv"
    good.write_text(write_csv_log(make_record()))
    bad.write_text("nothing")
    result = CliRunner().invoke(
        main, ["import", str(good), str(bad), str(good), "--json", "--library", str(tmp_path / "l.sqlite")]
    )
    said = json.loads(result.stdout)
    assert result.exit_code == 1
    assert [one["label"] for one in said["imported"]] == ["0001"]
    assert [Path(one["file"]).name for one in said["refused"]] == ["bad.csv", "good.csv"]
    assert "taken in before, as batch 0001" in said["refused"][1]["why"]


def test_where_there_is_no_display_that_is_said(monkeypatch):
    monkeypatch.delenv("QT_QPA_PLATFORM")
    monkeypatch.delenv("WAYLAND_DISPLAY", raising=False)
    monkeypatch.setenv("DISPLAY", ":987")
    assert "does not answer" in no_display()
    monkeypatch.setenv("QT_QPA_PLATFORM", "offscreen")
    assert no_display() == ""
