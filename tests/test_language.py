"""What is said in another language: figures and days as it writes them, nothing left out, nothing that breaks on the way."""

import os
import re
import string
import subprocess
import sys
from datetime import date, datetime, timedelta
from enum import StrEnum
from pathlib import Path

import pytest
from babel import Locale
from babel.dates import get_day_names, get_month_names
from babel.messages.pofile import read_po

from firnel.app.language import speak_as_set
from firnel.core import words
from firnel.core.names import check_name
from firnel.core.units import Units, parse_clock
from firnel.core.words import KEYS, as_number, capital, inside, later, meant, tr, trn
from firnel.work.languages import speak
from firnel.work.settings import Settings, save_settings

ROOT = Path(__file__).parents[1]
CATALOGUE = ROOT / "src/firnel/resources/locale/de/LC_MESSAGES/firnel.po"


@pytest.fixture
def german():
    before = os.environ.get("FIRNEL_TEST_LANGUAGE", "en")
    speak("de")
    yield
    speak(before)


@pytest.fixture(scope="module")
def messages():
    with CATALOGUE.open("rb") as file:
        return [message for message in read_po(file, locale="de") if message.id]


class Way(StrEnum):
    LATE = "late"


def test_figures_days_and_kinds_are_told_as_the_language_writes_them(german):
    moment = datetime(2026, 3, 9, 14, 5)
    assert tr("{:.1f} kg of {}", 2.5, "Isuka") == "2.5 kg of Isuka".replace(".", ","), (
        "a sentence that is not known keeps its words"
    )
    assert tr("{:g} kg", 0.25) == "0,25 kg"
    assert tr("{:%A %-d %B}", moment) == "Montag, 9. März"
    assert tr("{:.{}f}", 3.14159, 2) == "3,14"
    assert tr("{} {} late", Way.LATE, "x").startswith("zu spät")
    assert trn("{} batch", "{} batches", 2) in ("2 batches", "2 Chargen")
    assert (as_number("2,5"), as_number("2.5"), as_number("−4,25")) == (2.5, 2.5, -4.25)
    assert parse_clock("1:02,5") == 62.5
    with pytest.raises(ValueError, match="Eine Partie braucht einen Namen"):
        check_name(tr("a lot"), " ")


def test_a_sentence_of_the_core_is_turned_into_other_units_in_any_language(german):
    said = f"{tr('{:.2f}', 5.0)} kg{tr(' to ')}{tr('{:.1f} °C', 200.0)}, 100{tr(' to ')}200 °C, {tr('{:.1f}', 2.5)} K, 10 K/min"
    assert Units("°F", "lb").sentence(said) == "11,02 lb bis 392,0 °F, 212 bis 392 °F, 4,5 °F, 18 °F/min"


def test_what_is_said_is_not_translated_once_more(german):
    # “Charge” is a batch in German, and to fill the drum in English.
    assert tr("Batch") == "Charge"
    assert tr("Charge") == "Einfüllen"
    assert tr(tr("Batch")) == tr(capital(tr("batch"))) == "Charge"
    assert later("Charge") == "Charge"
    assert (inside("Häutchen"), meant("verdict", "off"), tr("off")) == ("Häutchen", "daneben", "aus")


def test_days_months_and_the_decimal_sign_are_those_of_the_cldr(german):
    # Unicode CLDR, German, stand-alone forms, through Babel.
    assert words.point() == Locale("de").number_symbols["latn"]["decimal"]
    for month in range(1, 13):
        day = date(2026, month, 1)
        assert tr("{:%B}", day) == get_month_names("wide", locale="de")[month]
        assert tr("{:%b}", day) == get_month_names("abbreviated", "stand-alone", locale="de")[month]
    for number in range(7):
        day = date(2026, 11, 2) + timedelta(days=number)  # a Monday
        assert tr("{:%A}", day) == get_day_names("wide", locale="de")[number]
        assert tr("{:%a}", day) == get_day_names("abbreviated", "stand-alone", locale="de")[number]


def test_the_catalogue_says_all_that_the_sources_say(messages):
    checked = subprocess.run([sys.executable, "tools/words.py", "--check"], cwd=ROOT, capture_output=True, text=True)
    assert checked.returncode == 0, checked.stdout
    assert len(messages) > 2500


KEYS_TOLD = re.compile(r"\{(?:" + "|".join(KEYS) + r")\}")


class Anything:
    """Takes any format."""

    def __init__(self, number):
        self._number = number

    def __format__(self, spec):
        return f"<{self._number}>"

    __repr__ = __str__ = lambda self: f"<{self._number}>"


def test_every_sentence_takes_the_figures_that_it_is_given(messages):
    wrong = []
    for message in messages:
        if message.context or not isinstance(message.id, str) or "{" not in message.id:
            continue
        keys, sentence = ([sorted(KEYS_TOLD.findall(one)), KEYS_TOLD.sub("", one)] for one in (message.id, message.string))
        if keys[0] != sentence[0]:
            wrong.append(f"{message.id!r} speaks of other keys")
        own = sum(1 + spec.count("{") for _, name, spec, _ in string.Formatter().parse(keys[1]) if name is not None)
        digits = re.compile(r"\{\d*:[^{}]*\{")
        figures = [2 if digits.search(message.id) else Anything(number) for number in range(own)]
        try:
            said = sentence[1].format(*figures)
        except (IndexError, ValueError) as error:
            wrong.append(f"{message.id!r}: {error}")
            continue
        if not digits.search(message.id) and "give {} to {}" not in message.id:
            wrong += [f"{message.id!r} leaves out figure {n}" for n in range(own) if f"<{n}>" not in said]
    assert not wrong, "\n".join(wrong)


@pytest.mark.parametrize(
    ("settings", "environment", "spoken"),
    [
        (Settings(language="Deutsch"), {}, "de"),
        (Settings(language="English"), {"LANG": "de_DE.UTF-8"}, "en"),
        (Settings(), {"LANG": "de_CH.UTF-8"}, "de"),
        (Settings(), {"LANG": "de_DE.UTF-8", "LANGUAGE": "fi:en"}, "en"),
        (Settings(), {"LANG": "C"}, "en"),
        (None, {"LANG": "de_DE.UTF-8"}, "de"),
    ],
)
def test_the_language_is_the_chosen_one_else_the_systems(tmp_path, monkeypatch, german, settings, environment, spoken):
    path = tmp_path / "settings.json"
    if settings is None:
        path.write_text("{ torn")
    else:
        save_settings(settings, path)
    for name in ("LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG"):
        monkeypatch.delenv(name, raising=False)
    for name, value in environment.items():
        monkeypatch.setenv(name, value)
    speak_as_set(path)
    assert words.language() == spoken
    assert path.exists(), "what is wrong with the settings is for the window to tell"


def test_the_command_line_speaks_english_whatever_the_system_speaks(tmp_path):
    asked = [sys.executable, "-m", "firnel", "--library", str(tmp_path / "none" / "library.sqlite"), "lots", "list"]
    done = subprocess.run(asked, capture_output=True, text=True, env=os.environ | {"LANG": "de_DE.UTF-8", "LANGUAGE": "de"})
    assert "does not exist, so no library can be made there" in done.stderr


def test_the_whole_window_speaks_german():
    files = [
        "tests/in_german.py",
        "tests/test_every_size.py",
        "tests/test_archive.py::test_what_was_written_comes_back_whole_whatever_its_keys_are_there",
        "tests/test_mending.py::test_what_is_mended_keeps_what_stood_there_before",
    ]
    # What fits where there is least room fits where there is more.
    cut = "tests/test_every_size.py::test_nothing_is_cut_or_overlaps_at_any_size"
    roomy = [f"--deselect={cut}[{size}]" for size in ("size0", "size1", "size3")]
    roomy.append("--deselect=tests/test_every_size.py::test_what_opens_beside_the_views_fits_and_is_not_cut[size0]")
    done = subprocess.run(
        [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", "-p", "no:randomly", *roomy, *files],
        cwd=ROOT, capture_output=True, text=True, env=os.environ | {"FIRNEL_TEST_LANGUAGE": "de"},
    )  # fmt: skip
    assert done.returncode == 0, done.stdout[-6000:]


def test_a_language_without_a_catalogue_is_refused():
    with pytest.raises(FileNotFoundError):
        speak("xx")
    assert words.language() == os.environ.get("FIRNEL_TEST_LANGUAGE", "en")
