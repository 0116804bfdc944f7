"""The window in German, run by test_language in a process of its own: what is said is settled when the modules are loaded."""

import re
from datetime import date
from functools import cache
from pathlib import Path

import pytest
from babel.messages.pofile import read_po
from PyQt6.QtCore import QLocale, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QComboBox, QDoubleSpinBox, QLabel, QLineEdit, QTableView, QWidget
from test_every_size import LOT, MACHINE, PLAN_NAME, pages, window  # noqa: F401 - a fixture
from test_plan_and_cue import PLAN
from test_roast_session import Bench, press

from firnel.core.day.coffee import Coffee, Component
from firnel.core.day.order import order_from_line
from firnel.core.plan import Anchor
from firnel.core.units import Units
from firnel.core.vocabulary import Control, MarkKind, Note
from firnel.core.words import language
from firnel.exchange.report import Report, Table, write_workbook
from firnel.store.batch_list import BatchFilter
from firnel.ui.shared.actions import key_groups
from firnel.ui.shared.parts import NumberBox
from firnel.ui.shared.settings_dialog import SettingsDialog
from firnel.ui.shared.sheets import KeySheet
from firnel.work.day.labels import LoadLabel, read_label
from firnel.work.desk import machine_of_kind
from firnel.work.handbook import page
from firnel.work.machines.link import Channel, map_of
from firnel.work.plan.typed import with_typed
from firnel.work.roast.cue import cue_of
from firnel.work.roast.plan_thread import note_words, read_note
from firnel.work.settings import Settings

CATALOGUE = Path(__file__).parents[1] / "src/firnel/resources/locale/de/LC_MESSAGES/firnel.po"
#: Names that the user gave, words that are typed in English, and figures that are typed as here or with a comma.
OWN = (LOT, MACHINE, PLAN_NAME, "Rwanda Isuka", "182.0", "washed, natural", "broken 6", "gas 1.8", "House friday", "192.168")


@cache
def english():
    """Patterns of the English sentences, of more than one word, that German says otherwise."""
    with CATALOGUE.open("rb") as file:
        said = [(m.id, m.string) for m in read_po(file, locale="de") if m.id and isinstance(m.id, str) and not m.context]
    long = [one for one, other in said if one != other and re.search(r"[a-z]{2}\W+[a-z]{2}", re.sub(r"\{[^{}]*\}", "", one))]
    held = re.compile(r"\\\{.*?\\\}")
    return [re.compile(held.sub(".*", re.escape(one)), re.DOTALL) for one in long]


def said_by(root):
    """Everything that a window says: words, tool tips, what a reader of the screen is told, headings, choices."""
    for widget in root.findChildren(QWidget):
        if widget.isVisible():
            yield from (widget.toolTip(), widget.accessibleName(), widget.accessibleDescription())
            if isinstance(widget, QLabel | QAbstractButton):
                yield widget.text()
            elif isinstance(widget, QLineEdit):
                yield widget.placeholderText()
            elif isinstance(widget, QComboBox):
                yield from (widget.itemText(index) for index in range(widget.count()))
            elif isinstance(widget, QTableView) and widget.model() is not None:
                across = range(widget.model().columnCount())
                yield from (str(widget.model().headerData(n, Qt.Orientation.Horizontal) or "") for n in across)


def left_in_english(texts):
    for text in {text for text in texts if text and not any(own in text for own in OWN)}:
        if any(pattern.fullmatch(text) for pattern in english()):
            yield f"English: {text!r}"
        if re.search(r"\d\.\d(?!\d?\.|\d{3})", text):
            yield f"a point in a figure: {text!r}"


def test_nothing_in_the_window_is_left_in_english(window):  # noqa: F811 - a fixture
    assert language() == "de"
    assert english()[0].fullmatch("x") is None
    window.resize(1280, 800)
    wrong = [f"{page}: {what}" for page in pages(window) for what in left_in_english(said_by(window))]
    for dialog in (SettingsDialog(Settings(), window.above.sounds, window), KeySheet(key_groups(), window)):
        dialog.show()
        wrong += list(left_in_english(said_by(dialog)))
        dialog.close()
    assert not wrong, "\n".join(sorted(set(wrong)))


def test_qts_own_boxes_speak_german_too(window):  # noqa: F811 - a fixture
    box = QDoubleSpinBox(window)
    box.setValue(2.5)
    assert box.text() == "2,50"
    assert QLocale().language() == QLocale.Language.German
    assert window.tr("x") == "x"


def test_a_batch_is_driven_in_german(library):
    bench = Bench(library, reported=False)
    session, units = bench.session, Units()
    try:
        session.prepare(bench.order())
        bench.feed(5)
        told = [cue_of(session, units)]
        press(bench)
        for until, kind in ((290, MarkKind.YELLOW), (500, MarkKind.FIRST_CRACK)):
            while bench.at < until:
                bench.feed(min(bench.at + 5, until))
                told.append(cue_of(session, units))
            press(bench, kind)
        session.type_setting("Gas 1,4", bench.time)
        assert session.held[Control.GAS] == pytest.approx(1.4), "by its name here, with a comma"
        session.type_setting("airflow 40", bench.time)
        assert session.held[Control.AIRFLOW] == pytest.approx(40.0), "and by its key"
        session.type_setting("gas viel", bench.time)
        assert "keine Einstellung" in session.message
        bench.feed(520)
        told.append(cue_of(session, units))
        press(bench, MarkKind.DROP)
        told.append(cue_of(session, units))
    finally:
        session.close()
    said = [words for cue in told for words in (cue.kicker, cue.headline, cue.detail, cue.clock_label, cue.space)]
    assert "Vor dem Einfüllen".lower() in [words.lower() for words in said]
    assert "Bräunung" in said
    assert {cue.urgency for cue in told} <= {"calm", "soon", "due", "drop", "warn"}, "what a widget goes by is no word"
    assert not list(left_in_english(said))
    kept = library.batch(library.batch_lines(BatchFilter())[0].id)
    assert {mark.kind for mark in kept.marks} >= {MarkKind.CHARGE, MarkKind.YELLOW, MarkKind.FIRST_CRACK, MarkKind.DROP}


def test_moves_are_typed_by_either_name():
    machine = machine_of_kind("Drum Six", "gas-6")
    for typed in ("Luft 45 at 4:30", "air 45 at 4:30", "Gas 1,7 at yellow +20", "gas 1.7 at yellow +20"):
        made = with_typed(PLAN, machine, typed, Units())
        assert len(made.moves) == len(PLAN.moves) + 1
    for typed, anchor in {
        "Gas 1,2 bei Gelb +20": Anchor.YELLOW,
        "Gas 0 bei Luft 190 fallend": Anchor.AIR,
        "Luft 60 bei Bohne 170": Anchor.BEAN,
        "Gas 1,1 10 s vor First Crack": Anchor.FIRST_CRACK,
        "Luft 55 um 6:10": Anchor.TIME,
    }.items():
        assert with_typed(PLAN, machine, typed, Units()).moves[-1].anchor is anchor, typed
    assert len(with_typed(PLAN, machine, "auslaufen 30", Units()).moves) >= len(PLAN.moves)
    with pytest.raises(ValueError, match="kein Zeitpunkt"):
        with_typed(PLAN, machine, "Gas 1,7 irgendwann", Units())


def test_orders_are_typed_in_german_and_in_english():
    lots = (Component("Rwanda Isuka", 1.0),)
    sold, friday = [Coffee("Isuka Filter", lots), Coffee("Morgen am Montag", lots)], date(2026, 11, 27)
    for typed, due, every in (
        ("12 kg Isuka Montag", date(2026, 11, 30), 0),
        ("12 kg Isuka monday", date(2026, 11, 30), 0),
        ("12,0 kg isuka heute", friday, 0),
        ("12 kg Isuka 4. Dez jede Woche", date(2026, 12, 4), 7),
        ("12 kg Isuka am 24. Dezember alle 2 Wochen", date(2026, 12, 24), 14),
        ("12 kg Isuka bis 3. März", date(2027, 3, 3), 0),
    ):
        order = order_from_line(f"{typed} für Café Morgen", sold, friday)
        assert (order.coffee, order.kg, order.due, order.every_days) == ("Isuka Filter", 12.0, due, every)
        assert order.customer == "Café Morgen"
    assert order_from_line("3 kg Morgen am Montag Dienstag", sold, friday).coffee == "Morgen am Montag", "a name stays whole"


def test_what_machines_read_knows_no_language(qtbot):
    label = LoadLabel("0472", "Rwanda Isuka", "5,200 kg", "Isuka Filter 3", 5.2)
    assert label.code == "firnel;0472;5.200;Rwanda Isuka"
    assert read_label(label.code).load_kg == 5.2
    machine = machine_of_kind("Drum Six", "gas-6")
    assert map_of("mine", machine, [Channel("bean"), Channel("air", address=1)], little=True).word_order == "little"
    for text in ("move 3, gas to 1.6: made otherwise at 1.9", "move 1, front heater to 40: passed by"):
        assert read_note(Note(1.0, "plan", text)) is not None
    assert note_words(Note(1.0, "plan", "move 3, gas to 1.6: passed by")) == "Eingriff 3, Gas auf 1,6: überholt"
    box = NumberBox()
    box.setLocale(QLocale("de"))
    qtbot.addWidget(box)
    for typed in ("2.5", "2,5"):
        box.selectAll()
        QTest.keyClicks(box, typed)
        assert (box.value(), box.text()) == (2.5, "2,5")


def test_the_handbook_is_there_in_german_page_by_page():
    folder = CATALOGUE.parents[3] / "handbook"
    for english_page in sorted(folder.glob("*.md")):
        one, other = english_page.read_text("utf-8"), page(english_page.stem.partition("-")[2]).text
        assert one != other
        for pattern in (r"^\$ .*$", r"^## ", r"^\|"):  # examples, parts, rows of tables: one more word is told in German
            found, wanted = (re.findall(pattern, text, re.MULTILINE) for text in (other, one))
            assert found == wanted or len(found) == len(wanted) + (pattern == r"^\|" and "words" in english_page.name)
    assert page("card").text.startswith("# Karte")


def test_figures_of_a_report_stay_figures(tmp_path):
    openpyxl = pytest.importorskip("openpyxl")
    path = tmp_path / "bericht.xlsx"
    write_workbook(path, Report("Chargen", "", (Table("Chargen", ("batch", "loss"), (("0042", "13,5"),)),)))
    rows = list(openpyxl.load_workbook(path)["Chargen"].values)
    assert rows == [("Charge", "Einbrand"), ("0042", 13.5)]
