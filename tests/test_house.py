"""The guards of the house: no Qt below the window, legible colours, shipped fonts and icons, true documents."""

import ast
import json
import re
import subprocess
import sys
from pathlib import Path

import pytest
from PyQt6.QtGui import QFontDatabase, QFontInfo

from firnel.app.window import make_application
from firnel.ui.shared.frame import STATIONS
from firnel.ui.theme.look import Look, mono, sans, style_sheet
from firnel.ui.theme.tokens import DAY, MONO, NIGHT, SANS, contrast

ROOT = Path(__file__).parents[1]


def test_everything_below_the_window_is_imported_without_qt():
    script = """
import importlib, json, pkgutil, sys, firnel
for room in ("core", "devices", "store", "exchange", "work"):
    package = importlib.import_module(f"firnel.{room}")
    for found in pkgutil.walk_packages(package.__path__, f"firnel.{room}."):
        if "migrations" not in found.name:
            importlib.import_module(found.name)
print(json.dumps([name for name in sys.modules if name.split(".")[0] in ("PyQt6", "pyqtgraph")]))
"""
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    assert json.loads(done.stdout) == []


def test_contrast_is_that_of_wcag():
    # WCAG 2.1, definition of contrast ratio: black on white is 21:1; #777777 on white is 4.48:1 (W3C technique G18).
    assert contrast("#000000", "#ffffff") == pytest.approx(21.0)
    assert contrast("#777777", "#ffffff") == pytest.approx(4.48, abs=0.01)


@pytest.mark.parametrize("palette", [DAY, NIGHT], ids=lambda p: p.name)
def test_text_can_be_read_on_its_ground_in_both_themes(palette):
    for ground in (palette.paper, palette.card, palette.lane):
        assert contrast(palette.ink, ground) >= 7.0, "the cue"
        for role in ("soft", "ember", "slate", "plum", "moss", "amber"):
            assert contrast(getattr(palette, role), ground) >= 4.5, (role, ground)
    assert contrast(palette.on_ember, palette.ember) >= 4.5
    assert contrast(palette.rail_text, palette.rail) >= 7.0
    for ground in (palette.selected, palette.hover, palette.field):
        assert contrast(palette.ink, ground) >= 7.0


def test_the_shipped_fonts_are_used_and_have_the_arrow():
    Look(make_application())
    assert {SANS, MONO} <= set(QFontDatabase.families())
    for font, family in ((sans(16), SANS), (mono(16), MONO)):
        assert QFontInfo(font).family() == family


@pytest.mark.parametrize("palette", [DAY, NIGHT], ids=lambda p: p.name)
def test_the_style_sheet_has_no_token_left_and_no_colour_of_its_own(palette):
    text = style_sheet(palette)
    assert "$" not in text
    raw = (ROOT / "src/firnel/resources/styles/ledger.qss").read_text()
    assert re.findall(r"#[0-9a-fA-F]{6}\b", raw) == []


def test_every_station_has_its_icon():
    look = Look(make_application())
    for _, icon in STATIONS:
        assert not look.icon(icon).isNull()


def test_licences_of_what_is_shipped_lie_beside_it():
    notice = (ROOT / "NOTICE.md").read_text()
    for path in ("src/firnel/resources/fonts/OFL.txt", "src/firnel/resources/icons/LICENSE.txt", "LICENSE"):
        assert (ROOT / path).exists()
        assert path.rsplit("/", 1)[-1] in notice


def test_links_in_the_documents_lead_somewhere():
    for document in (ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs").glob("*.md")):
        for target in re.findall(r"\]\(([^)#]+)\)", document.read_text()):
            if not target.startswith("http"):
                assert (document.parent / target).exists(), f"{document.name} links to {target}"


def test_the_documents_name_only_commands_and_keys_that_exist():
    readme = (ROOT / "README.md").read_text()
    run = (ROOT / "run").read_text()
    for command in set(re.findall(r"\./run ([a-z]+)", readme)):
        assert f"\n{command})" in run, command
    from firnel.app.commands import main

    for command in set(re.findall(r"(?:firnel|run firnel) (import|batches|show|export|machine|simulator|gui)\b", readme)):
        assert command in main.commands


def test_the_window_touches_no_library():
    """It asks the desk (`Desk.ask`); what it may ask stands in `work`."""
    for path in (ROOT / "src/firnel/ui").rglob("*.py"):
        tree = ast.parse(path.read_text())
        for node in ast.walk(tree):
            touched = isinstance(node, ast.Attribute) and node.attr in ("library", "_library", "engine", "bench_book")
            named = isinstance(node, ast.alias) and node.name == "Library"
            assert not touched, f"{path.name}:{node.lineno} touches the library"
            assert not named, f"{path.name} knows the library"
