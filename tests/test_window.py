"""The views, driven by keys and clicks as a user makes them."""

import json
import os
import subprocess
import sys
import threading
import weakref
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import pytest
from conftest import make_record, press
from PyQt6.QtCore import QDate, QObject, QPoint, QRect, QSize, Qt, QTimer
from PyQt6.QtGui import QCursor
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QCheckBox,
    QComboBox,
    QDateEdit,
    QDialog,
    QLabel,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QStyle,
    QStyleOptionComboBox,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)
from test_plan_and_cue import PLAN

from firnel.app.first import First
from firnel.app.place import keep_place, place_path, stand_as_before
from firnel.app.window import connect_first, make_application, make_window, show_instead, use_size
from firnel.core.day.coffee import Coffee, Component
from firnel.core.units import Units, parse_clock
from firnel.core.vocabulary import Control, Found, Lot, MarkKind
from firnel.devices.simulator.kinds import KINDS
from firnel.devices.simulator.physics import DrumRoaster
from firnel.devices.simulator.plant import Fault, Plant
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.ui.ahead import Ahead
from firnel.ui.day.coffee_page import CoffeePage
from firnel.ui.opening import Opening
from firnel.ui.shared.actions import STATIONS
from firnel.ui.shared.background import Background
from firnel.ui.shared.collector import Collector
from firnel.ui.shared.day_entry import DayEntry
from firnel.ui.shared.lanes import Lane
from firnel.ui.shared.questions import Question
from firnel.ui.shared.space_key import SpaceKey
from firnel.ui.shared.tabs import Tabs
from firnel.ui.shared.typed import has_typed
from firnel.ui.simulator_panel import SimulatorPanel
from firnel.ui.theme.look import Look
from firnel.ui.theme.tokens import WINDOW
from firnel.work.bench.results import Results
from firnel.work.day.orders import keep_coffee
from firnel.work.desk import LinkState, machine_of_kind
from firnel.work.review.records import LibraryError
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.settings import Settings

UNWEIGHED = Results(None, None, None, "").columns


@pytest.fixture
def look():
    return Look(make_application())


@pytest.fixture
def open_window(qtbot, tmp_path, look):
    """Opens windows on one library."""

    def make(fill=True, **settings):
        library = Library(tmp_path / "library.sqlite")
        if fill and not library.lots():
            library.save_lot(
                Lot("Rwanda Isuka", "Rwanda", process="washed", density_g_per_l=742, moisture=0.108, on_hand_kg=148.0)
            )
            library.save_machine(machine_of_kind("Drum Six", "gas-6"))
            library.save_plan(PLAN)
            for number in range(1, 6):
                record = make_record(f"{number:04d}")
                library.add_record(replace(record, started=record.started + timedelta(hours=number)))
        window = make_window(library, Settings(**settings), look, keep=lambda settings: None)
        qtbot.addWidget(window, before_close_func=lambda w: w.desk.session.close())
        window.show()
        window.activateWindow()
        qtbot.waitUntil(window.isActiveWindow)
        return window

    return make


def test_no_worker_thread_ever_destroys_a_widget(qtbot, open_window):
    threads = []
    window = open_window()

    def leave_garbage():
        for _ in range(3000):
            held = QLabel()
            held.itself = held
            weakref.finalize(held, lambda: threads.append(threading.current_thread()))

    leave_garbage()
    done = []
    background = window.findChildren(Background)[0] if window.findChildren(Background) else Background(window, print)
    background.run("busy", lambda: [[n] for n in range(200_000)], done.append)
    qtbot.waitUntil(lambda: bool(done))
    assert all(thread is threading.main_thread() for thread in threads)
    QApplication.instance().findChild(Collector).look()
    assert set(threads) == {threading.main_thread()}


def test_a_frame_is_seen_before_anything_slow_is_loaded():
    code = """
import sys
from firnel.app.first import begin
first = begin("some/where/Mill Lane.sqlite")
assert first.opening.seen
slow = ("sqlalchemy", "numpy", "pyqtgraph", "pydantic")
print(first.opening.accessibleName(), [name for name in slow if name in sys.modules])
"""
    done = subprocess.run([sys.executable, "-W", "ignore", "-c", code], capture_output=True, text=True)
    assert done.stdout.strip() == "Opening Mill Lane … []", done.stderr


def test_the_window_takes_the_place_of_its_frame(qtbot, tmp_path, look):
    opening = Opening("Mill Lane", look)
    opening.show_now(QApplication.instance())
    opening.setGeometry(40, 30, 1100, 700)
    first = First(QApplication.instance(), look, Settings(), None, opening)
    window = make_window(Library(tmp_path / "library.sqlite"), first.settings, look, keep=lambda settings: None)
    qtbot.addWidget(window, before_close_func=lambda w: w.desk.session.close())
    with qtbot.waitSignal(window.roast.painted):
        show_instead(first, window)
        assert window.geometry() == opening.geometry()
    assert opening.isHidden()
    first.done()  # once more does nothing
    again, strange = Opening("Mill Lane", look), Opening("Mill Lane", look)
    opening.setGeometry(50, 40, 640, 480)
    keep_place(opening)
    stand_as_before(again)
    assert again.geometry() == opening.geometry(), "the next time it stands where it stood"
    far = {"x": 90000, "y": 0, "width": 640, "height": 480, "enlarged": False}  # on a screen that was taken away
    for told in ("no place at all", "[]", '{"x": 1e999}', json.dumps(far)):
        place_path().write_text(told)
        stand_as_before(strange)
        assert (strange.width(), strange.height()) == WINDOW
    screen = QApplication.primaryScreen().geometry()
    place_path().write_text(json.dumps(far | {"x": screen.width() - 400, "width": 700}))
    stand_as_before(strange)
    assert strange.geometry() == QRect(screen.width() - 700, 0, 700, 480), "whole, though the screen is smaller now"


def figures(widget):
    return widget.findChildren(QLineEdit, "figures")


def test_every_view_is_one_key_away_and_says_what_to_do_when_empty(qtbot, open_window):
    window = open_window(fill=False)
    for number, name in enumerate(("Green", "Plan", "Day", "Roast", "Bench", "Review", "Machines"), start=1):
        qtbot.keyClick(window, getattr(Qt.Key, f"Key_F{number}"))
        view = window.view(name)
        qtbot.waitUntil(view.isVisible)
        if name != "Roast":
            empty = [w.text() for w in view.findChildren(QWidget, "empty") if w.isVisible()]
            assert len(empty) == 1, name
            assert len(empty[0]) > 20


def test_where_the_screen_is_small_a_view_scrolls_and_where_it_is_not_none_does(qtbot, open_window, monkeypatch):
    window = open_window()
    area = window.stations.pages.area
    for name in STATIONS:
        window.show_station(name)
        for wide, high, whole in ((1280, 800, True), (640, 420, False)):  # of 1920x1080 at 200 % something, and a usual laptop
            window.resize(wide, high)
            bars, view = (area.horizontalScrollBar(), area.verticalScrollBar()), window.view(name)

            def settled(bars=bars, view=view, whole=whole):
                least = view.minimumSizeHint().expandedTo(view.minimumSize())
                fits = least.width() <= area.width() and least.height() <= area.height()
                return fits is all(bar.maximum() == 0 for bar in bars) and (fits or not whole)

            qtbot.waitUntil(settled)
            assert window.stations.pages.width() >= window.stations.pages.currentWidget().minimumWidth()
    monkeypatch.setenv("QT_SCALE_FACTOR", "1")  # so that it is taken away again at the end
    del os.environ["QT_SCALE_FACTOR"]
    use_size(Settings())
    assert "QT_SCALE_FACTOR" not in os.environ
    use_size(Settings(size_percent=150))
    assert os.environ["QT_SCALE_FACTOR"] == "1.5"
    monkeypatch.setenv("QT_SCALE_FACTOR", "2")
    use_size(Settings(size_percent=150))
    assert os.environ["QT_SCALE_FACTOR"] == "2", "what the desktop asks for comes first"


def test_every_control_in_every_view_has_a_name_for_a_screen_reader(qtbot, open_window):
    window = open_window()
    for name in ("Green", "Plan", "Day", "Roast", "Bench", "Review", "Machines"):
        window.show_station(name)
        for kind in (QAbstractButton, QLineEdit, QComboBox, QDateEdit):
            for control in window.view(name).findChildren(kind):
                if control.objectName().startswith("qt_") or isinstance(control.parent(), QComboBox | QDateEdit | QLineEdit):
                    continue
                assert control.accessibleName() or control.property("text"), (name, control)


def test_nothing_needs_more_room_than_a_small_screen_has(qtbot, open_window):
    window = open_window()
    for name in ("Green", "Plan", "Day", "Roast", "Bench", "Review", "Machines"):
        window.show_station(name)
        QApplication.processEvents()
        size = window.minimumSizeHint()
        assert size.width() <= 1280, name
        assert size.height() <= 720, name  # 1920x1080 at 150 %


def test_a_plot_is_taken_along_as_a_picture_or_as_figures(qtbot, open_window):
    window = open_window()
    window.show_batch("0003")
    review = window.view("Review")
    qtbot.waitUntil(lambda: review.sheet.head.title.text().startswith("0003"))
    lane = next(one for one in review.sheet.findChildren(Lane) if one.isVisible() and one.figures())
    picture, table = lane.menu().actions()
    picture.trigger()
    assert QApplication.clipboard().pixmap().width() == 2 * lane.width()
    table.trigger()
    rows = [line.split("\t") for line in QApplication.clipboard().text().splitlines()]
    name, x, y = lane.figures()[0]
    assert rows[0][:2] == ["x", name]
    assert name.startswith(lane.head.quantity)
    assert [float(cell) for cell in rows[5][:2]] == pytest.approx([x[4], y[4]])


def test_a_batch_is_found_its_mark_corrected_and_the_correction_undone(qtbot, open_window):
    window = open_window()
    qtbot.keyClick(window, Qt.Key.Key_F6)
    review = window.view("Review")
    qtbot.keyClicks(review.search, "0003")
    qtbot.waitUntil(lambda: review.sheet.head.title.text().startswith("0003"))
    yellow = next(e for e in review.findChildren(QLineEdit, "time") if e.accessibleName() == "Time of yellow")
    assert yellow.text() == "4:40"
    yellow.setFocus()
    yellow.selectAll()
    qtbot.keyClicks(yellow, "5:00")
    qtbot.keyClick(yellow, Qt.Key.Key_Return)
    library = window.desk.library
    key = library.find_batch("0003")
    qtbot.waitUntil(lambda: library.batch_lines(BatchFilter(text="0003"))[0].drying_s == 300.0)
    assert library.batch(key).mark(MarkKind.YELLOW).found is Found.GIVEN
    qtbot.waitUntil(lambda: review.sheet.head.undo.isVisible())
    assert review.sheet.head.subtitle.text() == "Yellow moved from 4:40 to 5:00."
    review.background.wait()
    QApplication.processEvents()
    assert review.sheet.head.undo.isVisible(), "and stays when the sheet is drawn anew"
    review.tabs.choose(1)
    qtbot.keyClick(review.table, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert library.batch(key).mark(MarkKind.YELLOW).t == 360.0, "what cannot be seen is not taken back"
    review.tabs.choose(0)
    review.leave_out("burnt")
    qtbot.keyClick(review.table, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert library.batch(key).left_out == ""
    qtbot.keyClick(review.table, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert library.batch(key).mark(MarkKind.YELLOW).t == 340.0
    review.background.wait()
    QApplication.processEvents()


def test_a_correction_that_contradicts_is_refused_in_words(qtbot, open_window):
    window = open_window()
    window.show_station("Review")
    review = window.view("Review")
    qtbot.waitUntil(lambda: review.sheet.head.title.text().startswith("0005"))
    review.correct(MarkKind.YELLOW, 9999.0)
    assert "not after" in review.sheet.head.subtitle.text()
    assert window.desk.library.batch(window.desk.library.find_batch("0005")).mark(MarkKind.YELLOW).t == 340.0


def test_two_batches_are_laid_over_each_other(qtbot, open_window):
    window = open_window()
    window.show_station("Review")
    review = window.view("Review")
    qtbot.waitUntil(lambda: review.sheet.head.title.text().startswith("0005"))
    press(qtbot, review, "Lay over")
    review.table.selectRow(2)
    qtbot.waitUntil(lambda: review.sheet.head.title.text().startswith("0003"))
    over = review.sheet.curves._over.getData()[0]
    assert over.size == 730
    press(qtbot, review, "Take off")
    assert review.sheet.curves._over.getData()[0] is None or review.sheet.curves._over.getData()[0].size == 0


def test_a_long_list_fetches_what_it_shows(qtbot, open_window, many):
    window = open_window(fill=False)
    many(window.desk.library, 450)
    window.show_station("Review")
    model = window.view("Review").model
    assert model.rowCount() == 200
    for rows in (400, 450):
        model.fetchMore(model.index(-1, -1))
        assert model.rowCount() == rows
    assert not model.canFetchMore(model.index(-1, -1))


def test_the_bench_takes_weights_and_refuses_more_than_was_charged(qtbot, open_window):
    window = open_window()
    library = window.desk.library
    library.set_results(library.find_batch("0002"), UNWEIGHED, status="dropped")
    window.show_station("Bench")
    bench = window.view("Bench")
    weight = figures(bench)[0]
    qtbot.keyClicks(weight, "5,2")
    press(qtbot, bench, "Save the batch")
    assert any("not less than the green load" in w.text() for w in bench.findChildren(QWidget, "warn"))
    weight.clear()
    qtbot.keyClicks(weight, "4,31")
    press(qtbot, bench, "Save the batch")
    assert library.batch(library.find_batch("0002")).roasted_kg == pytest.approx(4.31)
    assert [line.label for line in library.batch_lines(BatchFilter(due=True))] == ["0002"], "its colour is still to come"
    bench.weigh.select(0)
    next(box for box in bench.findChildren(QCheckBox) if box.text() == "no colour").setChecked(True)
    press(qtbot, bench, "Save the batch")
    assert library.batch_lines(BatchFilter(due=True)) == []
    assert library.batch(library.find_batch("0002")).status == "done"


def test_weights_are_typed_in_the_chosen_unit(qtbot, open_window):
    window = open_window(mass="g")
    library = window.desk.library
    library.set_results(library.find_batch("0002"), UNWEIGHED, status="dropped")
    window.show_station("Bench")
    qtbot.keyClicks(figures(window.view("Bench"))[0], "4310")
    press(qtbot, window.view("Bench"), "Save the batch")
    assert library.batch(library.find_batch("0002")).roasted_kg == pytest.approx(4.31)


def test_lots_and_machines_are_taken_down_once(qtbot, open_window):
    window = open_window(fill=False)
    window.show_station("Green")
    green = window.view("Green")
    press(qtbot, green, "Add a lot")
    name = next(e for e in green.findChildren(QLineEdit) if e.accessibleName() == "Name")
    density = next(e for e in green.findChildren(QLineEdit) if e.accessibleName() == "Density")
    qtbot.keyClicks(name, "Uganda Rwebisho")
    qtbot.keyClicks(density, "6980")
    press(qtbot, green, "Add it")
    assert any("between 450 and 950" in w.text() for w in green.findChildren(QWidget, "warn"))
    density.setText("698")
    press(qtbot, green, "Add it")
    assert [lot.density_g_per_l for lot in window.desk.library.lots()] == [698.0]
    qtbot.keyClicks(green.search, "nothing is called so")
    press(qtbot, green, "Add a lot")
    name.setText("Burundi Mparazi")
    press(qtbot, green, "Add it")
    assert green.search.text() == "", "what was just kept is not hidden by a search"
    assert green.panel._name.text() == "Burundi Mparazi"
    window.show_station("Machines")
    machines = window.view("Machines")
    press(qtbot, machines, "Add a machine")
    qtbot.keyClicks(
        next(e for e in machines.findChildren(QLineEdit) if e.accessibleName() == "Name of the machine"), "Drum Six"
    )
    press(qtbot, machines, "Add it")
    assert window.desk.library.machine("Drum Six").controls


def test_a_link_that_leads_nowhere_is_told_on_the_machine(qtbot, open_window):
    window = open_window()
    window.show_station("Machines")
    machines = window.view("Machines")
    machines.findChild(Tabs).choose_named("Link")
    press(qtbot, machines, "Modbus")
    host, port = machines.link.modbus.host, machines.link.modbus.port
    host.setText("no host")
    press(qtbot, machines, "Connect")
    assert any("The host is a name" in w.text() for w in machines.findChildren(QWidget) if hasattr(w, "text"))
    host.setText("127.0.0.1")
    port.setText("9")
    press(qtbot, machines, "Connect")
    qtbot.waitUntil(lambda: window.desk.link.state is LinkState.LOST)
    press(qtbot, machines, "Disconnect")
    assert window.desk.link.state is LinkState.OFF


def test_the_day_shows_what_was_roasted_and_its_sum(qtbot, open_window):
    window = open_window()
    window.show_station("Day")
    day = window.view("Day")
    local = datetime(2026, 11, 2, 12, tzinfo=UTC).astimezone()
    day.findChild(QDateEdit).setDate(QDate(local.year, local.month, local.day))
    texts = [w.text() for w in day.findChildren(QWidget) if hasattr(w, "text")]
    assert "25.00 kg" in texts
    press(qtbot, day, "Day after")
    assert any(w.isVisible() for w in day.findChildren(QWidget, "empty"))


def test_anything_is_found_in_the_palette(qtbot, open_window):
    window = open_window()
    qtbot.keyClick(window, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    line = window.palette_sheet.findChild(QLineEdit)
    for typed, name in (("isuka lot", "Green"), ("test plan", "Plan"), ("drum machine", "Machines"), ("0004", "Review")):
        window.palette_sheet.open()
        qtbot.keyClicks(line, typed)
        qtbot.keyClick(line, Qt.Key.Key_Return)
        assert window.view(name).isVisible(), typed
    qtbot.waitUntil(lambda: window.view("Review").sheet.head.title.text().startswith("0004"))
    window.palette_sheet.open()
    qtbot.keyClick(line, Qt.Key.Key_Escape)
    assert not window.palette_sheet.isVisible()


def test_settings_are_used_at_once_and_kept(qtbot, open_window, look):
    window = open_window()
    window.beside.open_settings()
    dialog = window.findChild(QDialog)
    next(b for b in dialog.findChildren(QComboBox) if b.accessibleName() == "Temperature").setCurrentText("°F")
    next(b for b in dialog.findChildren(QComboBox) if b.accessibleName() == "Theme").setCurrentText("night")
    press(qtbot, dialog, "Use these")
    assert window.desk.settings.temperature == "°F"
    assert look.palette.name == "night"
    window.show_station("Machines")
    assert any("°F" in w.text() for w in window.view("Machines").findChildren(QWidget, "soft"))
    qtbot.keyClick(window, Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier)
    assert look.palette.name == "day"


def test_the_key_sheet_opens_on_a_question_mark(qtbot, open_window):
    window = open_window()
    qtbot.keyClick(window, Qt.Key.Key_Question)
    dialog = window.findChild(QDialog)
    assert dialog.isVisible()
    keys = {w.text() for w in dialog.findChildren(QWidget, "key")}
    assert {"Space", "Enter", "Z", "F4", "Ctrl+K"} <= keys
    dialog.close()


def test_readings_by_hand_are_typed_and_a_batch_driven_with_them(qtbot, open_window):
    window = open_window()
    desk, session = window.desk, window.desk.session
    now = [1000.0]
    desk.clock.run_by(lambda: now[0])
    machine = desk.library.machine("Drum Six")
    by_hand = replace(machine, controls={c: replace(s, reported=False) for c, s in machine.controls.items()})
    desk.connect("hand:", by_hand)
    qtbot.waitUntil(lambda: desk.by_hand is not None and desk.link.state is LinkState.LIVE)
    session.prepare(BatchOrder(desk.library.lots()[0], by_hand, None, 5.0))
    qtbot.keyClick(window.roast, Qt.Key.Key_Space)
    for bean in ("110", "96,5", "104"):
        now[0] += 30.0
        qtbot.keyClick(window.roast, bean[0])
        now[0] += 4.0  # the rest is typed slowly
        line = QApplication.focusWidget()
        qtbot.keyClicks(line, bean[1:])
        qtbot.keyClick(line, Qt.Key.Key_Return)
        count = len(session.trace)
        qtbot.waitUntil(lambda count=count: len(session.trace) >= count)
        qtbot.wait(1)
    qtbot.waitUntil(lambda: len(session.trace) == 3)
    assert session.trace.column("t").tolist() == pytest.approx([30.0, 64.0, 98.0]), "stamped at the first key"
    qtbot.keyClick(window.roast, Qt.Key.Key_Up)
    assert session.held[Control.GAS] == pytest.approx(0.1)
    qtbot.keyClick(window.roast, Qt.Key.Key_R)
    qtbot.keyClicks(QApplication.focusWidget(), "smoky")
    qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    assert session.notes[-1].text == "smoky"
    qtbot.keyClick(window.roast, Qt.Key.Key_Z)
    assert session.notes == ()


def test_a_batch_in_the_drum_is_seen_above_every_other_view(qtbot, open_window):
    window = open_window()
    window.desk.session.prepare(BatchOrder(machine=window.desk.library.machine("Drum Six"), load_kg=5.0))
    qtbot.keyClick(window.roast, Qt.Key.Key_Space)
    window.show_station("Green")
    assert window.above.now_line.isVisible()
    assert "drying" in window.above.now_line.accessibleName()
    qtbot.mouseClick(window.above.now_line, Qt.MouseButton.LeftButton)
    assert window.roast.isVisible()
    assert not window.above.now_line.isVisible()


def test_a_load_over_the_drum_is_refused_with_the_reason(qtbot, open_window):
    window = open_window()
    window.desk.session.set_machine(window.desk.library.machine("Drum Six"))
    qtbot.keyClick(window.roast, Qt.Key.Key_N)
    load = figures(window.roast.prepare)[0]
    load.setText("50")
    press(qtbot, window.roast.prepare, "Prepare")
    assert not window.desk.session.recording
    assert any("more than Drum Six takes" in w.text() for w in window.roast.prepare.findChildren(QWidget, "warn"))
    qtbot.keyClick(load, Qt.Key.Key_Escape)
    assert not window.roast.prepare.isVisible()


def test_which_of_several_lots_it_is_nothing_tells_but_a_hand_or_a_plan(open_window):
    window = open_window()
    sheet, library = window.roast.prepare, window.desk.library
    machines, plans = library.machines(), library.plans()
    orders = []
    sheet.prepared.connect(orders.append)
    for lots, offered, lot in (("AB", [], None), ("A", [], "A"), ("AB", plans, plans[0].lot)):
        sheet.offer([Lot(name) for name in lots], machines, offered, machines[0], Units())
        sheet._on_go()
        assert (orders[-1].lot.name if orders[-1].lot else None) == (lot or None)
    for label, before in (("", True), ("0007", False)):
        sheet.show_unnamed(label)
        (told,) = sheet.findChildren(QLabel, "caution")
        assert ("Before you charge" in told.text(), "Never leave" in told.text()) == (before, True)


def test_a_plan_is_taken_to_the_roaster_with_one_button(qtbot, open_window):
    window = open_window()
    window.show_station("Plan")
    press(qtbot, window.view("Plan"), "Roast this plan")
    assert window.roast.prepare.isVisible()
    press(qtbot, window.roast.prepare, "Prepare")
    assert window.desk.session.order.plan.name == "test"
    assert window.desk.session.order.load_kg == 5.0


def test_closing_an_unfinished_batch_keeps_it_for_the_bench(qtbot, open_window):
    window = open_window()
    key, _ = window.desk.library.new_batch(None, None, None, 5.0, datetime.now(UTC), status="roasting")
    window.offer_unfinished()
    press(qtbot, window.notice, "Close it")
    assert window.desk.library.batch(key).status == "dropped"
    assert not window.notice.isVisible()


def test_enter_goes_on_with_a_batch_wherever_the_cursor_is(qtbot, open_window):
    window = open_window()
    machine = window.desk.library.machines()[0]
    window.desk.library.new_batch(None, machine.id, None, 5.0, datetime.now(UTC), status="roasting")
    window.offer_unfinished()
    window.roast.setFocus()
    qtbot.keyClick(window.roast, Qt.Key.Key_Return)
    assert not window.notice.isVisible()
    assert window.desk.session.recording
    window.desk.session.close()


def test_the_first_machine_with_an_address_is_connected_at_start(qtbot, open_window):
    window = open_window()
    machine = window.desk.library.machine("Drum Six")
    window.desk.library.save_machine(replace(machine, device_url="hand:"))
    connect_first(window, None)
    qtbot.waitUntil(lambda: window.desk.link.state is LinkState.LIVE)
    connect_first(window, "nonsense")
    assert "leads nowhere" in window.desk.session.message
    connect_first(window, "modbus://127.0.0.1:9?map=gas-6")
    assert window.desk.session.machine.name == "Drum Six", "the only one that it can be"


def test_the_simulators_panel_turns_its_knobs(qtbot, look):
    import numpy as np

    plant = Plant(DrumRoaster(KINDS["gas-6"], np.random.default_rng(1), steel_c=205.0))
    panel = SimulatorPanel(
        machine_of_kind("x", "gas-6"), "6 kg", lambda: (plant.input_registers(), plant.holding_registers()), plant.write, 4.5
    )
    qtbot.addWidget(panel)
    panel.show()
    panel.findChildren(QWidget)[0].setFocus()
    gas = next(w for w in panel.findChildren(QWidget) if w.accessibleName() == "gas")
    qtbot.keyClick(gas, Qt.Key.Key_Right)
    assert plant.roaster.settings[Control.GAS] == pytest.approx(0.1)
    for name in ("Open charge door", "Open drop door"):
        qtbot.mouseClick(next(b for b in panel.findChildren(QPushButton) if b.text() == name), Qt.MouseButton.LeftButton)
        panel.refresh()
    assert plant.roaster.dropped is not None
    panel.findChild(QComboBox).setCurrentIndex(int(Fault.SPIKE))
    assert plant.fault is Fault.SPIKE
    assert parse_clock("") is None


def test_only_what_has_the_focus_is_watched_for_the_key_that_marks(qtbot, open_window, monkeypatch):
    watched = []
    monkeypatch.setattr(SpaceKey, "eventFilter", lambda self, widget, event: bool(watched.append(widget)))
    window = open_window()
    focused = {QApplication.focusWidget()}
    follows = QApplication.instance().focusChanged.connect(lambda old, new: focused.update((old, new)))
    for name in STATIONS:
        window.show_station(name)
        QApplication.processEvents()
    QObject.disconnect(follows)  # else it holds a part of every window to come, and each is dressed with all before it
    assert watched
    assert set(watched) <= focused, "each event that comes by costs a turn of Python, and waits for who has it"


def test_views_are_made_ahead_one_at_a_time_while_hands_rest(open_window):
    window, made, rest, left = open_window(), [], [False], ["Plan", "Green"]
    ahead = Ahead(window, lambda: (lambda: made.append(left.pop())) if left else None, lambda: rest[0])
    ahead.begin()
    timer = ahead.findChild(QTimer)
    timer.timeout.emit()
    assert made == [], "hands are at work"
    rest[0] = True
    QCursor.setPos(QCursor.pos() + QPoint(40, 10))
    timer.timeout.emit()
    assert made == [], "the mouse has moved"
    timer.timeout.emit()
    assert made == ["Green"]
    timer.timeout.emit()
    assert made == ["Green", "Plan"]
    timer.timeout.emit()
    assert made == ["Green", "Plan"], "there is nothing left to do, and what comes later is looked for"


def come_to_rest(qtbot, window):
    """Let all be done that the window does while hands rest; what is worked out beside it may still write."""

    def done() -> bool:
        if (deed := window._upcoming()) is not None:
            deed()
        return deed is None

    qtbot.waitUntil(done)


def test_a_window_that_rests_has_all_its_views_and_one_that_roasts_is_left_alone(qtbot, open_window):
    window = open_window()
    window.desk.prepare(BatchOrder(None, machine_of_kind("Drum Six", "gas-6"), None, 5.0))
    assert not window._rested()
    window.desk.session.abandon("not today")
    assert window._rested()
    come_to_rest(qtbot, window)
    assert window.stations.made == set(STATIONS)


def test_a_view_is_read_again_only_where_something_has_changed(open_window, tmp_path, monkeypatch):
    window = open_window()
    green, reads = window.view("Green"), []
    read = green.read
    monkeypatch.setattr(green, "read", lambda: (reads.append(1), read()))

    def go() -> int:
        reads.clear()
        window.show_station("Roast")
        window.show_station("Green")
        return len(reads)

    assert (go(), go()) == (1, 0)
    other = Library(window.desk.library.url)  # another program writes into the same file
    other.save_lot(Lot("Uganda Ruhinda", "Uganda"))
    other.close()
    assert (go(), go()) == (1, 0)
    assert any("Ruhinda" in row[0] for row in green.table.rows(chosen=False))
    reads.clear()
    window.use_settings(replace(window.desk.settings, temperature="°F"))
    assert (len(reads), go()) == (1, 0), "the same figures in other units"
    window.refuse("The library does not answer.")
    assert (go(), go()) == (1, 0), "what could not be read is tried again"


def test_what_hands_have_typed_stays_where_it_is_when_the_page_is_read_again(open_window):
    window = open_window()
    window.desk.library.save_lot(Lot("Uganda Ruhinda", "Uganda", on_hand_kg=60.0))
    window.show_station("Green")
    green = window.view("Green")
    field = next(one for one in green.sheet.findChildren(QLineEdit) if one.accessibleName() == "Stocktake")
    QTest.keyClicks(field, "141.5")
    window.show_station("Roast")
    window.desk.library.save_lot(Lot("Burundi Kibira", "Burundi"))
    window.show_station("Green")
    assert field.text() == "141.5"
    assert len(green.table.rows(chosen=False)) == 3, "the list is of now all the same"
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert field.text() == "", "it is kept"
    assert {lot.name: lot.on_hand_kg for lot in window.desk.library.lots()}["Rwanda Isuka"] == pytest.approx(141.5)
    QTest.keyClicks(field, "7")
    green.select_key(lambda lot: lot.name == "Uganda Ruhinda")
    assert field.text() == "", "it was for another lot"


def test_a_number_that_hands_have_set_stays_when_the_page_is_read_again_until_it_is_kept(open_window):
    window = open_window()
    library = window.desk.library
    keep_coffee(library, Coffee("Morning", (Component("Rwanda Isuka", 1.0),), ready_days=5), datetime.now(UTC))
    window.show_station("Day")
    page = window.view("Day").findChild(CoffeePage)
    page.refresh()
    box = next(one for one in page.sheet.findChildren(QSpinBox) if one.accessibleName() == "Days of rest until it is ready")
    assert (box.value(), has_typed(page.sheet)) == (5, False)
    box.setFocus()
    QTest.keyClick(box, Qt.Key.Key_Up)
    assert (box.value(), has_typed(page.sheet)) == (6, True)
    library.save_lot(Lot("Burundi Kibira", "Burundi"))
    page._show_again(page.question()())
    assert box.value() == 6, "what comes by itself leaves it alone"
    page.refresh()
    assert (box.value(), has_typed(page.sheet)) == (5, False)


def test_what_is_refused_while_hands_rest_is_not_asked_for_over_and_over(qtbot, open_window, monkeypatch):
    window, asked = open_window(), []
    come_to_rest(qtbot, window)

    def silent(*_: object) -> list[Lot]:
        asked.append(1)
        raise LibraryError("The library does not answer.")

    window.desk.library.save_lot(Lot("Uganda Ruhinda", "Uganda"))
    monkeypatch.setattr(Library, "lots", silent)
    come_to_rest(qtbot, window)
    assert asked
    before = len(asked)
    window.show_station("Green")
    assert len(asked) == before + 1, "who goes there asks again"


def test_a_question_is_answered_by_what_it_says_and_enter_risks_nothing(qtbot):
    make_application()
    for risky, key, code in (
        (True, Qt.Key.Key_Return, QDialog.DialogCode.Rejected),
        (False, Qt.Key.Key_Return, QDialog.DialogCode.Accepted),
        (False, Qt.Key.Key_Escape, QDialog.DialogCode.Rejected),
    ):
        question = Question(None, "A batch is in the drum. Leave all the same?", "Leave", "Stay", risky=risky)
        qtbot.addWidget(question)
        question.open()
        qtbot.keyClick(question, key)
        assert question.result() == code.value, (risky, key)


def test_what_opens_below_a_choice_or_a_day_shows_all_that_it_has(qtbot):
    look = Look(make_application())
    look.use("day")
    box, day = QComboBox(), DayEntry("Day", date(2026, 12, 2), "d MMM yyyy")
    box.addItems([f"choice {number}" for number in range(6)])
    for one in (box, day):
        qtbot.addWidget(one)
        one.show()
    drawn = QStyleOptionComboBox()
    box.initStyleOption(drawn)
    assert not box.style().styleHint(QStyle.StyleHint.SH_ComboBox_Popup, drawn, box), "a list, with no arrows to scroll it by"
    qtbot.mouseClick(day, Qt.MouseButton.LeftButton, pos=QPoint(day.width() - 8, day.height() // 2))
    month = day.calendarWidget().findChild(QTableView)
    qtbot.waitUntil(month.isVisible)
    rule = QStyleOptionViewItem()
    rule.initFrom(month)
    rule.text, rule.features = "30", QStyleOptionViewItem.ViewItemFeature.HasDisplay
    needed = month.style().sizeFromContents(QStyle.ContentsType.CT_ItemViewItem, rule, QSize(), month).width()
    assert needed <= month.columnWidth(3), "or the days are cut to dots"
