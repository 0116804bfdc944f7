"""The guards of the house: no Qt below the window, legible colours, shipped fonts and icons, true documents."""

import ast
import itertools
import json
import re
import subprocess
import sys
from collections import defaultdict
from pathlib import Path

import click
import numpy as np
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
        assert main.get_command(click.Context(main), command) is not None


def test_the_window_touches_no_library():
    """It asks the desk (`Desk.ask`); what it may ask stands in `work`."""
    for path in (ROOT / "src/firnel/ui").rglob("*.py"):
        tree = ast.parse(path.read_text())
        for node in ast.walk(tree):
            touched = isinstance(node, ast.Attribute) and node.attr in ("library", "_library", "engine", "bench_book")
            named = isinstance(node, ast.alias) and node.name == "Library"
            assert not touched, f"{path.name}:{node.lineno} touches the library"
            assert not named, f"{path.name} knows the library"


# What a full loss of one kind of cone leaves of a colour, in linear sRGB: G. M. Machado, M. M. Oliveira, L. A. F. Fernandes,
# "A physiologically-based model for simulation of color vision deficiency", IEEE TVCG 15 (2009) 1291-1298, severity 1;
# from memory.
EYES = {
    "all cones": np.eye(3),
    "no red": np.array([[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]]),
    "no green": np.array([[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.01182, 0.04294, 0.968881]]),
    "no blue": np.array([[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.3039]]),
}
#: So far apart in CIELAB (CIE 1976) two lines are told apart at a glance; a just noticeable difference is about 2.3.
APART = 15.0


def lab(linear):
    """CIELAB of linear sRGB, white D65: CIE 15:2004, and IEC 61966-2-1 for the primaries; both from memory."""
    xyz = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]]) @ linear
    f = [np.cbrt(x) if x > 216 / 24389 else (24389 / 27 * x + 16) / 116 for x in xyz / np.array([0.95047, 1.0, 1.08883])]
    return np.array([116 * f[1] - 16, 500 * (f[0] - f[1]), 200 * (f[1] - f[2])])


def seen(colour, eye):
    parts = np.array([int(colour[i : i + 2], 16) / 255.0 for i in (1, 3, 5)])
    return lab(np.clip(EYES[eye] @ np.where(parts <= 0.04045, parts / 12.92, ((parts + 0.055) / 1.055) ** 2.4), 0.0, 1.0))


def keys_of_plots():
    """Roles and styles of the keys that stand together above a plot, where they are written out: by file, function and list."""
    for path in (ROOT / "src/firnel/ui").rglob("*.py"):
        for function in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if not isinstance(function, ast.FunctionDef):
                continue
            lists = defaultdict(set)
            for part in ast.walk(function):
                if not isinstance(part, ast.Assign | ast.Expr):
                    continue
                appended = isinstance(part, ast.Expr) and isinstance(part.value, ast.Call) and ast.unparse(part.value.func)
                target = (
                    ast.unparse(part.targets[0]) if isinstance(part, ast.Assign) else (appended or "").removesuffix(".append")
                )
                for call in ast.walk(part):
                    if isinstance(call, ast.Call) and getattr(call.func, "id", "") == "Key" and call.args:
                        told = [arg.value if isinstance(arg, ast.Constant) else None for arg in call.args[1:]]
                        lists[target].add((*told, *("ink", "line")[len(told) :]))
            for target, keys in lists.items():
                yield f"{path.name}, {function.name}, {target}", {key for key in keys if None not in key}


def test_lines_that_are_drawn_alike_are_told_apart_by_every_eye():
    assert (
        np.linalg.norm(seen("#ff0000", "no green") - seen("#00a000", "no green"))
        < 60.0
        < np.linalg.norm(seen("#ff0000", "all cones") - seen("#00a000", "all cones"))
    ), "red and green come nearer to each other for who has no green cones"
    found = dict(keys_of_plots())
    assert len(found) > 6
    for where, keys in found.items():
        for one, two in itertools.combinations(sorted(keys), 2):
            if one[1] != two[1]:
                continue
            for palette, eye in itertools.product((DAY, NIGHT), EYES):
                by = np.linalg.norm(seen(getattr(palette, one[0]), eye) - seen(getattr(palette, two[0]), eye))
                assert by >= APART, f"{where}: {one[0]} and {two[0]}, {palette.name}, {eye}"
