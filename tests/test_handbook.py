"""The handbook: every page is there, every view has one, its examples run, and what it says of keys is so."""

import re
import shlex

import click
import pytest
from click.testing import CliRunner
from PyQt6.QtCore import Qt

from firnel.app.commands import main
from firnel.app.window import make_application, make_window
from firnel.store.library import Library
from firnel.ui.shared.actions import ACTIONS, STATIONS
from firnel.ui.theme.look import Look
from firnel.work.handbook import PAGE_OF, found_in, page, pages
from firnel.work.settings import Settings


def test_every_example_of_the_handbook_runs_in_its_order(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    monkeypatch.setenv("FIRNEL_SETTINGS", str(tmp_path / "settings.json"))
    lines = re.findall(r"^\$ firnel (.*)$", "\n".join(one.text for one in pages()), re.MULTILINE)
    assert len(lines) > 12
    for line in lines:
        answer = CliRunner().invoke(main, shlex.split(line))
        assert answer.exit_code == 0, f"{line}: {answer.output}"


def test_commands_that_are_named_are_there_and_keys_do_what_is_said():
    text = "\n".join(one.text for one in pages())
    for name in re.findall(r"`firnel ([a-z]+)", text):
        assert main.get_command(click.Context(main), name) is not None
    keys = {key for action in ACTIONS for key in action.keys} | {action.shown for action in ACTIONS}
    card = page("card").text
    for key in ("Space", "Z", "A", "D", "Q", "L", "W", "N", "V", "C", "S", "R", "M", "Backspace"):
        assert f"**{key}**" in card
        assert key in keys
    assert set(PAGE_OF) == {"Beginning", *STATIONS}
    assert {one.name for one in pages()} >= set(PAGE_OF.values())


def test_a_word_finds_its_page():
    assert [one.title for one, _ in found_in("soak")][0] in ("Words", "Plan")
    assert "register" in found_in("register map")[0][1].lower()
    assert found_in("no such thing") == found_in("  ") == []


@pytest.fixture
def window(tmp_path, qtbot):
    made = make_window(Library(tmp_path / "library.sqlite"), Settings(), Look(make_application()), lambda settings: None)
    qtbot.addWidget(made)
    made.show()
    yield made
    made.desk.shut_down()


def test_the_handbook_opens_at_the_page_of_the_view_is_searched_and_printed(window, qtbot, tmp_path):
    window.show_station("Green")
    qtbot.keyClick(window, Qt.Key.Key_F1, Qt.KeyboardModifier.ShiftModifier)
    book = window.beside._handbook
    assert book.text.toPlainText().startswith("Green")
    book.search.setText("chance alone")
    assert [book.list.item(at).text().partition("\n")[0] for at in range(book.list.count())] == ["Figures"]
    book.search.setText("zzz")
    assert "has nothing on" in book.text.toPlainText()
    window.show_station("Roast")
    window.beside.open_handbook()
    assert book.text.toPlainText().startswith("Roast")
    book.show_page("card")
    book.print_page(tmp_path / "card.pdf")
    assert (tmp_path / "card.pdf").read_bytes().startswith(b"%PDF")
