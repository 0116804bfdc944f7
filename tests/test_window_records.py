"""Green and Machines in the real window: measured, counted, fitted, cared for, by keys and clicks."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from conftest import make_record, press
from logged import MACHINES, lot_of, record_of
from openpyxl import load_workbook
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QDialog,
    QFileDialog,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QWidget,
)

from firnel.app.window import make_application, make_window
from firnel.core.vocabulary import Lot, Probe
from firnel.store.library import Library
from firnel.ui.theme.look import Look
from firnel.work.desk import machine_of_kind
from firnel.work.machines.files import machine_to_text
from firnel.work.machines.knowledge import fit_machine
from firnel.work.settings import Settings

ISUKA = Lot("Rwanda Isuka", "Rwanda", process="washed", altitude_m=1890, harvest="2025-10", on_hand_kg=60.0)
DRUM = replace(machine_of_kind("Drum Six", "gas-6"), tray_litres=19.0, probes=(Probe("bean"), Probe("air")))


@pytest.fixture
def library(tmp_path):
    made = Library(tmp_path / "library.sqlite")
    made.save_lot(ISUKA)
    made.save_lot(Lot("Burundi Mparazi", "Burundi", process="natural", density_g_per_l=706, moisture=0.111))
    made.save_machine(DRUM)
    return made


@pytest.fixture
def open_window(qtbot, library):
    def make(station, **settings):
        window = make_window(library, Settings(**settings), Look(make_application()), keep=lambda settings: None)
        qtbot.addWidget(window, before_close_func=lambda w: w.desk.session.close())
        window.show()
        window.show_station(station)
        return window, window.view(station)

    return make


def control(view, kind, name):
    return next(widget for widget in view.findChildren(kind) if widget.accessibleName() == name)


def words(view):
    return " ".join(w.text() for w in view.findChildren(QWidget) if hasattr(w, "text") and w.isVisible())


def type_in(qtbot, view, name, text):
    entry = control(view, QLineEdit, name)
    entry.clear()
    qtbot.keyClicks(entry, text)
    qtbot.keyClick(entry, Qt.Key.Key_Return)


# Green


def choose(view, name):
    view.select_key(lambda lot: lot.name == name)


def test_fills_are_typed_on_one_line_and_the_sheet_follows(qtbot, open_window, library):
    _, green = open_window("Green")
    choose(green, "Rwanda Isuka")
    type_in(qtbot, green, "Figures of the measurement", "185.5 184,9 186.1")
    lot = next(lot for lot in library.lots() if lot.name == "Rwanda Isuka")
    assert lot.density_g_per_l == pytest.approx(742.0)
    assert "742 g/L, ± 2 over 3 fills: high" in words(green)
    assert "742 g/L, high" in words(green)
    assert "dense (742 g/L): takes more heat early" in words(green)


@pytest.mark.parametrize(
    ("kind", "typed", "said"),
    [
        ("Moisture", "110", "3 to 20 %"),
        ("Bulk density", "heavy", "no figure"),
        ("Defects", "blue 3", "no kind in the table"),
        ("Screen sizes", "16", "size:grams"),
    ],
)
def test_a_figure_that_cannot_be_is_told_and_stays_to_be_corrected(qtbot, open_window, library, kind, typed, said):
    _, green = open_window("Green")
    choose(green, "Rwanda Isuka")
    control(green, QComboBox, "What is measured").setCurrentText(kind)
    type_in(qtbot, green, "Figures of the measurement", typed)
    assert said in words(green)
    assert control(green, QLineEdit, "Figures of the measurement").text() == typed
    assert library.lot_book.measurements(1) == []


def test_a_vessel_typed_in_litres_is_named(qtbot, open_window):
    _, green = open_window("Green")
    choose(green, "Rwanda Isuka")
    vessel = control(green, QLineEdit, "Vessel, mL")
    vessel.setText("2")
    type_in(qtbot, green, "Figures of the measurement", "1480")
    assert "Is the vessel 2 L" in words(green)


def test_defects_give_the_grade_and_age_its_warning(qtbot, open_window):
    _, green = open_window("Green")
    choose(green, "Rwanda Isuka")
    control(green, QComboBox, "What is measured").setCurrentText("Defects")
    type_in(qtbot, green, "Figures of the measurement", "broken 30, shell 10")
    assert "premium" in words(green)
    assert "past crop" in words(green)


def test_a_stocktake_is_typed_in_the_chosen_unit(qtbot, open_window, library):
    _, green = open_window("Green", mass="lb")
    choose(green, "Rwanda Isuka")
    type_in(qtbot, green, "Stocktake", "100")
    lot = next(lot for lot in library.lots() if lot.name == "Rwanda Isuka")
    assert lot.on_hand_kg == pytest.approx(45.359237)  # NIST SP 811: 1 lb = 0.453 592 37 kg
    type_in(qtbot, green, "Stocktake", "-4")
    assert "on hand cannot be" in words(green)


def test_a_lot_is_put_away_and_brought_back(qtbot, open_window):
    _, green = open_window("Green")
    choose(green, "Burundi Mparazi")
    press(qtbot, green, "Archive")
    which = control(green, QComboBox, "Which lots are listed")
    assert green.table.model().rowCount() == 1
    which.setCurrentText("archived")
    assert green.table.model().rowCount() == 1
    press(qtbot, green, "Bring back")
    which.setCurrentText("all lots")
    assert green.table.model().rowCount() == 2


def test_facts_are_changed_and_what_cannot_be_is_refused(qtbot, open_window, library):
    _, green = open_window("Green")
    choose(green, "Burundi Mparazi")
    press(qtbot, green, "Facts")
    control(green, QLineEdit, "Altitude").setText("17400")
    press(qtbot, green, "Keep it")
    assert "between −100 and 4000" in words(green)
    control(green, QLineEdit, "Altitude").setText("1740")
    control(green, QLineEdit, "Takes the place of").setText("Rwanda Isuka")
    press(qtbot, green, "Keep it")
    lot = next(lot for lot in library.lots() if lot.name == "Burundi Mparazi")
    assert (lot.altitude_m, lot.replaces) == (1740.0, "Rwanda Isuka")
    assert "Against Rwanda Isuka: natural where that was washed" in words(green)
    press(qtbot, green, "Facts")
    control(green, QLineEdit, "Name").setText("Rwanda Isuka")
    press(qtbot, green, "Keep it")
    assert "already" in words(green)
    press(qtbot, green, "Leave it")
    assert "Measured" in words(green)


def test_tables_go_out_and_come_in_with_a_word(qtbot, open_window, library, tmp_path):
    _, green = open_window("Green")
    path = tmp_path / "lots.xlsx"
    green.write_out(path)
    assert "Wrote 2 lots" in words(green)
    green.take_in(path)
    assert "0 new lots, 2 changed" in words(green)
    green.take_in(tmp_path / "none.csv")
    assert "cannot be read" in words(green)
    green.write_out(tmp_path / "no" / "folder.csv")
    assert "cannot be written" in words(green)


def test_handling_is_for_the_chosen_machine(qtbot, open_window, library):
    library.save_machine(machine_of_kind("Long Fifteen", "gas-15"))
    _, green = open_window("Green")
    choose(green, "Burundi Mparazi")
    box = control(green, QComboBox, "Machine for the handling advice")
    box.setCurrentText("Long Fifteen")
    box.textActivated.emit("Long Fifteen")
    assert "12.0 kg" in words(green)
    assert "natural: sugars left on the bean scorch" in words(green)


def test_the_house_changes_its_rules_and_what_is_too_much_is_refused(qtbot, open_window, library):
    _, green = open_window("Green", temperature="°F")
    choose(green, "Burundi Mparazi")
    press(qtbot, green, "Rules of the house")
    dialog = green.findChild(QDialog)
    entry = control(dialog, QLineEdit, "Charge, Natural or anaerobic")
    assert entry.text() == "−11"
    entry.setText("-90")
    press(qtbot, dialog, "Keep them")
    assert "too much" in words(dialog)
    entry.setText("-18")
    press(qtbot, dialog, "Keep them")
    assert library.house("handling")["natural"][0] == pytest.approx(-10.0)
    assert "−18°" in words(green)


# Machines


@pytest.fixture
def southern(library):
    """The library with a machine that has logs: six batches of the smaller of the two other machines."""
    machine = library.save_machine(MACHINES["south"])
    for index in range(1, 7):
        record = record_of(f"south-{index:03d}")
        library.save_lot(lot_of(record.label))
        library.add_record(replace(record, started=datetime(2026, 11, index, 9, tzinfo=UTC)))
    return machine


def open_south(open_window):
    window, machines = open_window("Machines")
    machines.select_key(lambda machine: machine.name == "south")
    return window, machines


def test_a_machine_is_fitted_in_the_background_and_shown_against_its_batches(qtbot, open_window, library, southern):
    _, machines = open_south(open_window)
    assert "Nothing is learned of this machine yet" in words(machines)
    press(qtbot, machines, "Fit to its batches")
    bar = control(machines, QProgressBar, "Progress of the fit")
    assert bar.isVisible()
    qtbot.waitUntil(lambda: not bar.isVisible())
    assert "It had not seen" in words(machines).replace("it had", "It had")
    assert "Heat at the top of the scale" in words(machines)
    assert "°C off, in the fit" in words(machines)
    assert library.machine_book.model(southern.id) is not None
    assert library.machine("south").first_crack_c != southern.first_crack_c


def test_a_fit_can_be_stopped_and_leaves_the_model_as_it_was(qtbot, open_window, library, southern):
    _, machines = open_south(open_window)
    press(qtbot, machines, "Fit to its batches")
    press(qtbot, machines, "Stop")
    qtbot.waitUntil(lambda: "Stopped" in words(machines))
    assert library.machine_book.model(southern.id) is None


def test_a_machine_without_batches_says_what_a_fit_lacks(qtbot, open_window):
    _, machines = open_window("Machines")
    press(qtbot, machines, "Fit to its batches")
    qtbot.waitUntil(lambda: "no batch yet that can be learned from" in words(machines))


def test_an_old_model_is_not_used(open_window, library, southern):
    library.machine_book.save_model(southern.id, {"version": 0, "full_load": 0.8, "heat": "gas", "names": []})
    _, machines = open_south(open_window)
    assert "Nothing is learned of this machine yet" in words(machines)


def test_the_closed_window_waits_for_no_fit(qtbot, open_window, southern):
    window, machines = open_south(open_window)
    press(qtbot, machines, "Fit to its batches")
    machines.model.background.finish()
    window.close()


def test_the_definition_is_changed_and_contradictions_are_refused(qtbot, open_window, library):
    _, machines = open_window("Machines")
    press(qtbot, machines, "Definition")
    control(machines, QLineEdit, "Useful load").setText("9")
    press(qtbot, machines, "Keep changes")
    assert "at most at the stated load" in words(machines)
    control(machines, QLineEdit, "Useful load").setText("4.8")
    control(machines, QLineEdit, "Step of the gas").setText("0.2")
    control(machines, QLineEdit, "Preheat").setText("30 minutes")
    press(qtbot, machines, "Keep changes")
    kept = library.machine("Drum Six")
    assert (kept.useful_load_kg, kept.preheat) == (4.8, "30 minutes")
    assert next(iter(kept.controls.values())).step == 0.2
    control(machines, QLineEdit, "High of the gas").setText("-1")
    press(qtbot, machines, "Keep changes")
    assert "that cannot be" in words(machines)
    control(machines, QLineEdit, "High of the gas").setText("4")
    control(machines, QLineEdit, "Yellow at").setText("250")
    press(qtbot, machines, "Keep changes")
    assert "Yellow comes before first crack" in words(machines)


def test_temperatures_of_a_machine_are_typed_in_fahrenheit(qtbot, open_window, library):
    _, machines = open_window("Machines", temperature="°F")
    press(qtbot, machines, "Definition")
    control(machines, QLineEdit, "First crack at").setText("392")
    press(qtbot, machines, "Keep changes")
    assert library.machine("Drum Six").first_crack_c == pytest.approx(200.0)


@pytest.mark.parametrize(
    ("load", "said"),
    [("5", "It fits"), ("5.5", "over the useful"), ("9", "do not charge"), ("1.5", "bare"), ("x", "not a figure")],
)
def test_a_load_is_checked_as_it_is_typed(qtbot, open_window, load, said):
    _, machines = open_window("Machines")
    press(qtbot, machines, "Definition")
    qtbot.keyClicks(control(machines, QLineEdit, "Load to check"), load)
    assert said in words(machines)


def test_a_machine_is_copied_and_taken_in_from_a_file(qtbot, open_window, library, tmp_path):
    _, machines = open_window("Machines")
    press(qtbot, machines, "Definition")
    press(qtbot, machines, "Duplicate")
    assert [m.name for m in library.machines()] == ["Drum Six", "Drum Six 2"]
    path = tmp_path / "m.json"
    path.write_text(machine_to_text(DRUM))
    machines.definition.take_in(path)
    assert [m.name for m in library.machines()] == ["Drum Six", "Drum Six 2", "Drum Six 3"]
    path.write_text("{}")
    machines.definition.take_in(path)
    assert "no machine document" in words(machines)


def test_care_is_noted_and_the_caution_stands_where_the_work_is(qtbot, open_window, library):
    for number in range(7):
        record = make_record(f"{number}")
        started = datetime.now(UTC) - timedelta(hours=number)
        library.add_record(replace(record, started=started))
    _, machines = open_window("Machines")
    press(qtbot, machines, "Care and probes")
    assert "due: 7 of 6 batches" in words(machines)
    assert "Chaff smoulders" in words(machines)
    done = [b for b in machines.findChildren(QAbstractButton) if b.text() == "Done" and b.isVisible()]
    for row, states in enumerate(machines.care._states):
        if states.job.key == "chaff":
            qtbot.mouseClick(done[row], Qt.MouseButton.LeftButton)
            break
    assert "0 of 6 batches" in words(machines)
    assert "Chaff smoulders" not in words(machines)


def test_the_meter_is_read_where_the_care_is(qtbot, open_window, library):
    _, machines = open_window("Machines")
    press(qtbot, machines, "Care and probes")
    type_in(qtbot, machines, "Reading of the meter", "1250.5")
    assert "Noted: 1250.5 m³" in words(machines)
    type_in(qtbot, machines, "Reading of the meter", "1200")
    assert "another meter now?" in words(machines)
    said = [entry.accessibleName() for entry in machines.findChildren(QPushButton)]
    assert any("meter at 1250.5 m³" in words for words in said)


def test_probe_checks_are_typed_and_judged(qtbot, open_window, library, tmp_path):
    _, machines = open_window("Machines")
    press(qtbot, machines, "Care and probes")
    type_in(qtbot, machines, "Reading in the water", "97.5")
    said = [entry.accessibleName() for entry in machines.findChildren(QPushButton)]
    assert any("97.5 °C in boiling water of 100.0 °C, reads 2.5 °C low" in words for words in said)
    assert library.machine("Drum Six").probes[0].offset_c == pytest.approx(-2.5, abs=0.1)
    type_in(qtbot, machines, "Reading in the water", "212")
    assert "no offset" in words(machines)
    log = tmp_path / "p.csv"
    log.write_text("time_s,bean_c\n" + "".join(f"{t},24.0\n" for t in range(40)))
    machines.care.take_step(log)
    assert "plunge the probe" in words(machines)


def test_seasoning_is_guided_to_the_fifth_load(qtbot, open_window):
    _, machines = open_window("Machines")
    press(qtbot, machines, "Care and probes")
    assert "Throw every load away" in words(machines)
    care = machines.care
    for number in range(1, 6):
        press(qtbot, machines, "Begin a load")
        assert "Never leave it" in words(machines)
        for _ in range(4):
            if care._tumbling is not None:
                care._tumbling -= 301.0
                care._show_season()
            press(qtbot, machines, "Done, go on")
        press(qtbot, machines, "It is thrown away")
        assert (f"{number} of 5 loads" in words(machines)) == (number < 5)
    assert "Seasoned" in words(machines)


def test_a_fit_is_kept_with_the_library_and_found_again(library, southern):
    model, refused = fit_machine(library, library.machine("south"))
    assert refused == []
    path = library.path
    library.close()
    again = Library(path)
    assert again.machine_book.model(southern.id)[1]["report"]["rms_bean_c"] == pytest.approx(model.report.rms_bean_c)
    again.close()


def test_every_list_is_sorted_copied_written_and_keeps_its_columns(qtbot, open_window, library, tmp_path, monkeypatch):
    for name, on_hand in (("India Kelavani", 9.0), ("Uganda Namora", 133.0)):
        library.save_lot(Lot(name, on_hand_kg=on_hand))
    window, green = open_window("Green")
    table, header = green.table, green.table.horizontalHeader()
    section = table.headings.index("On hand")

    def order():
        return [row[0].split()[0] for row in table.rows(chosen=False)]

    assert order() == ["Burundi", "India", "Rwanda", "Uganda"], "as they were given"
    for wanted in (["India", "Rwanda", "Uganda", "Burundi"], ["Uganda", "Rwanda", "India", "Burundi"]):
        at = QPoint(header.sectionViewportPosition(section) + 10, header.height() // 2)
        qtbot.mouseClick(header.viewport(), Qt.MouseButton.LeftButton, pos=at)
        assert order() == wanted, "by figures, and what has none stands last either way"
    table.setFocus()
    qtbot.keyClick(table, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    qtbot.keyClick(table, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    copied = QApplication.clipboard().text().splitlines()
    assert len(copied) == 5
    assert copied[0].split("\t") == list(table.headings)
    assert "133" in copied[1]
    entry = next(one for one in table.menu().actions() if one.text() == "Process")
    entry.setChecked(False)
    assert window.desk.settings.hidden_columns == ("Green/Process",)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "lots.xlsx"), ""))
    next(one for one in table.menu().actions() if "XLSX" in one.text()).trigger()
    qtbot.waitUntil(lambda: green.head.subtitle.text() == f"Written: {tmp_path / 'lots.xlsx'}")
    sheet = load_workbook(tmp_path / "lots.xlsx")["Green"]
    rows = [[cell for cell in row if cell is not None] for row in sheet.iter_rows(values_only=True)]
    assert any(row and row[0] == "Rwanda Isuka" for row in rows)
    assert not any("Process" in row for row in rows)
    _, later = open_window("Green", hidden_columns=window.desk.settings.hidden_columns)
    assert later.table.isColumnHidden(1), "the next window hides it too"


def test_what_was_put_away_comes_back_by_the_undo_beside_its_words(qtbot, open_window):
    for name, item in (("Green", "Rwanda Isuka"), ("Machines", "Drum Six")):
        window, view = open_window(name)
        view.select_key(lambda key, item=item: key.name == item)
        count = view.table.model().rowCount()
        assert view.head.undo.isHidden()
        purpose = view.head.subtitle.text()
        next(one for one in view.findChildren(QPushButton) if one.text() == "Archive").click()
        assert view.head.subtitle.text() == f"{item} is archived."
        assert view.table.model().rowCount() == count - 1
        window.activateWindow()
        qtbot.waitUntil(window.isActiveWindow)
        qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        qtbot.waitUntil(lambda item=item, view=view: view.head.subtitle.text() == f"{item} is in use again.")
        assert view.table.model().rowCount() == count
        view.head.tell("")
        assert view.head.subtitle.text() == purpose
        assert view.head.undo.isHidden()
