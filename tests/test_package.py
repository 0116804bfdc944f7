"""The door: a wheel that works outside the checkout, documents that open on a double click, what a desktop is told."""

import json
import os
import shutil
import subprocess
import sys
import xml.etree.ElementTree as ET
from configparser import ConfigParser
from datetime import UTC, datetime
from itertools import product
from pathlib import Path

import click
import numpy as np
import pytest
from click.testing import CliRunner
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QApplication

from firnel.app.commands import main
from firnel.app.demo_library import Story
from firnel.app.demo_models import model_brought, models_brought
from firnel.app.window import make_application, make_window
from firnel.core.plan import Plan, Targets
from firnel.core.plan_document import plan_to_document
from firnel.store.library import Library
from firnel.ui.machines.old_logs_sheet import OldLogsSheet
from firnel.ui.theme.look import Look
from firnel.work.machines.knowledge import usable_batches
from firnel.work.machines.learner import Task
from firnel.work.opened import take_in_documents
from firnel.work.review.records import export_text
from firnel.work.settings import Settings

ROOT = Path(__file__).parents[1]
PACKAGING = ROOT / "packaging"


@pytest.fixture(scope="module")
def outside(tmp_path_factory):
    """Firnel as its wheel installs it, beside the packages of this environment but without the checkout."""
    folder = tmp_path_factory.mktemp("wheel")
    pip = [sys.executable, "-m", "pip", "--quiet", "--disable-pip-version-check"]
    source = folder / "source"
    shutil.copytree(ROOT / "src" / "firnel", source / "src" / "firnel", ignore=shutil.ignore_patterns("__pycache__"))
    for name in ("pyproject.toml", "README.md", "LICENSE", "NOTICE.md"):
        shutil.copy(ROOT / name, source)
    subprocess.run([*pip, "wheel", "--no-deps", "--no-build-isolation", "-w", folder, source], check=True, timeout=300)
    (wheel,) = folder.glob("*.whl")
    subprocess.run([*pip, "install", "--no-deps", "--target", folder / "there", wheel], check=True, timeout=300)

    def run(*words, **more):
        home = {"HOME": str(folder), "FIRNEL_SETTINGS": str(folder / "settings.json"), "QT_QPA_PLATFORM": "offscreen"}
        begin = "import sys; sys.path.insert(0, sys.argv.pop(1)); import firnel.app.start; firnel.app.start.main()"
        command = [sys.executable, "-c", begin, str(folder / "there"), *words]
        return subprocess.run(command, env=os.environ | home | more, cwd=folder, capture_output=True, text=True, timeout=300)

    return run


def test_the_wheel_brings_all_that_it_needs(outside, tmp_path):
    library = str(tmp_path / "library.sqlite")
    made = outside("--library", library, "machine", "add", "Drum Six", "--kind", "gas-6")  # migrations, register maps
    assert (made.returncode, made.stderr) == (0, "")
    assert json.loads(outside("machine", "list", "--json", "--library", library).stdout)[0]["name"] == "Drum Six"
    where = outside("plan", "--help")
    assert where.returncode == 0
    for spoken in ("en", "de"):  # with its catalogue, and its handbook
        painted = outside("demo", "--until", "painted", "--folder", str(ROOT / ".demo"), LANGUAGE=spoken)
        assert painted.returncode == 0, painted.stderr


def test_what_the_demo_brings_along_of_its_machines_is_what_its_batches_teach(outside, tmp_path):
    assert outside("demo", "--until", "painted", "--folder", str(ROOT / ".demo")).returncode == 0
    newest = max((ROOT / ".demo").glob("demo-*.sqlite"), key=lambda path: path.stat().st_mtime)
    library = Library(Path(shutil.copy(newest, tmp_path)))
    brought, relearned = models_brought(), "Ridge Nine"
    for machine in library.machines():
        learned = brought[machine.name]["model"]["report"]["batches"]
        batches = [batch for batch in usable_batches(library, machine)[0] if batch.label in learned]
        model = model_brought(brought, machine.name, batches)
        assert model is not None, "the demo has other batches now: run tools/demo_models.py"
        if machine.name == relearned:  # the one with the fewest
            again = Task(machine, (), tuple(batches)).learn().model.fitted
            doubt = np.sqrt(np.diag(again.covariance))
            assert (np.abs(model.fitted.values - again.values) < 0.2 * doubt).all(), (
                "learned otherwise: run tools/demo_models.py"
            )
        assert model_brought(brought, machine.name, batches[1:]) is None
    library.close()


def test_the_demo_has_the_same_numbers_in_the_order_of_its_days_on_every_weekday():
    told = set()
    for weekday, hour in product(range(7), (0, 7, 18)):
        today = datetime(2026, 11, 16 + weekday, hour, tzinfo=UTC)
        story = Story(today)
        times = [*(when for when, *_ in story.daily), *story.rungs, *story.cold, *story.follows]
        assert max(times) < today, "nothing is there before it was roasted"
        told.add(tuple(map(story.label, times)))
    assert len(told) == 1, "what the machines learned is brought along by number"
    assert sorted(told.pop()) == [f"{number:04d}" for number in range(401, 477)]


def test_documents_are_opened_and_shown(tmp_path, record, qtbot):
    library = Library(tmp_path / "library.sqlite")
    batch, plan, none = (tmp_path / name for name in ("one.firnel.json", "plan.firnel", "none.firnel"))
    batch.write_text(export_text(library, record, "json"), encoding="utf-8")
    plan.write_text(json.dumps(plan_to_document(Plan("Isuka filter", targets=Targets(development_s=90.0)))), encoding="utf-8")
    none.write_text("{}", encoding="utf-8")
    opened = take_in_documents(library, [batch, none, plan, plan])
    assert (opened.plan, opened.batch) == ("Isuka filter", record.label)
    assert [line.partition(":")[0] for line in opened.said[:2]] == ["one.firnel.json", "none.firnel"]
    assert len(library.plans()) == 1
    window = make_window(library, Settings(), Look(make_application()), lambda settings: None)
    qtbot.addWidget(window)
    window.show()
    window.open_files([plan])
    window._aside.wait()
    qtbot.waitUntil(lambda: window.notice.isVisible())
    assert window.stations.pages.currentWidget() is window.view("Plan")
    drop(window, batch)
    window._aside.wait()
    qtbot.waitUntil(lambda: window.stations.pages.currentWidget() is window.view("Review"))
    drop(window, ROOT / "tests" / "logs" / "east-001.csv")
    (sheet,) = window.findChildren(OldLogsSheet)
    qtbot.waitUntil(lambda: sheet.table.rowCount() == 1)
    sheet.reject()
    window.desk.shut_down()


def drop(window, path):
    """As a file manager does."""
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(path))])
    left = Qt.MouseButton.LeftButton
    for kind in (QDragEnterEvent, QDropEvent):
        at = QPoint(5, 5) if kind is QDragEnterEvent else QPointF(5, 5)
        event = kind(at, Qt.DropAction.CopyAction, mime, left, Qt.KeyboardModifier.NoModifier)
        QApplication.sendEvent(window, event)
        assert event.isAccepted()


def test_what_a_desktop_is_told_agrees_with_what_is_installed():
    entry = ConfigParser(interpolation=None)
    entry.read(PACKAGING / "org.firnel.Firnel.desktop", encoding="utf-8")
    about = ET.parse(PACKAGING / "org.firnel.Firnel.metainfo.xml").getroot()
    kinds = ET.parse(PACKAGING / "org.firnel.Firnel.mime.xml").getroot()
    (kind,) = [one.attrib["type"] for one in kinds]
    assert entry["Desktop Entry"]["MimeType"] == f"{kind};"
    assert about.findtext("provides/mediatype") == kind
    assert about.findtext("launchable") == "org.firnel.Firnel.desktop"
    for action in (entry["Desktop Entry"]["Exec"], entry["Desktop Action Demo"]["Exec"]):
        program, command, *_ = action.split()
        assert program == "firnel"
        assert main.get_command(click.Context(main), command) is not None
    version = CliRunner().invoke(main, ["--version"]).stdout.split()[-1]
    assert about.find("releases/release").attrib["version"] == version


def test_the_man_page_names_every_command():
    page = subprocess.run([sys.executable, ROOT / "tools" / "man_page.py"], capture_output=True, text=True, check=True).stdout
    for name, command in ((one, main.get_command(click.Context(main), one)) for one in main.list_commands(click.Context(main))):
        assert f".B {name}" in page
        assert (command.help or "").split()[0] in page
