"""Charts under a hand: all lanes are read at one time, a part is chosen and left; small curves, and figures over time."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
import pyqtgraph as pg
import pytest
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QVBoxLayout, QWidget
from scipy.interpolate import PchipInterpolator
from test_review_pages import cupped

from firnel.app.window import make_application, make_window
from firnel.core.vocabulary import Lot, MarkKind
from firnel.ui.roast.cue_panel import CuePanel
from firnel.ui.shared import motion
from firnel.ui.shared.days_axis import DaysAxis
from firnel.ui.shared.glance import Glance
from firnel.ui.shared.lanes import ClockAxis, Lane, LevelAxis
from firnel.ui.shared.mini_curve import HIGHEST_C, LONGEST_S, LOWEST_C, curve_path
from firnel.ui.shared.ribbons import HandsLane, Ribbon
from firnel.ui.theme.look import Look
from firnel.work import shelf
from firnel.work.bench.scored import scored
from firnel.work.bench.weighing import keep_inspection
from firnel.work.desk import machine_of_kind
from firnel.work.green.intake import measure
from firnel.work.green.over_time import lot_courses
from firnel.work.machines.use import machine_courses
from firnel.work.roast.cue import Cue
from firnel.work.settings import Settings


@pytest.fixture
def glance(qtbot):
    look = Look(make_application())
    top, below = Lane(look, "card"), Lane(look, "lane", with_time=True)
    below.plot.setXLink(top.plot)
    hands = HandsLane(look, top)
    hands.show_ribbons([Ribbon("gas", "kPa", "ember", 3.0, [(0.0, 200.0, 2.0), (200.0, 600.0, 1.0)])])
    t = np.arange(0.0, 601.0, 10.0)
    curve, rate, edge = pg.PlotCurveItem(t, 0.2 * t), pg.PlotCurveItem(t, 12.0 + 0.0 * t), pg.PlotCurveItem(t, 0.2 * t + 4.0)
    for lane, item, words in ((top, curve, "bean"), (below, rate, "rate")):
        lane.plot.addItem(item)
        lane.reads(words, item)
        lane.head.show_head(words.capitalize())
        lane.time_span(0.0, 600.0)
    top.reads("corridor", curve, edge, says="{:.0f}".format)
    page = QWidget()
    column = QVBoxLayout(page)
    for lane in (top, below, hands):
        column.addWidget(lane)
    qtbot.addWidget(page)
    page.resize(700, 500)
    made = Glance((top, below), hands)
    page.show()
    qtbot.waitExposed(page)
    QTest.qWait(20)
    return made, top, below


def at(lane, t):
    """Where a moment lies on the lane's plot."""
    box = lane.plot.getPlotItem().getViewBox()
    return QPoint(round(box.mapViewToScene(QPointF(t, 0.0)).x()), 60)


def test_all_lanes_are_read_at_the_moment_under_the_pointer(glance):
    hand, top, below = glance
    QTest.mouseMove(below.plot.viewport(), at(below, 290.0))
    QTest.mouseMove(below.plot.viewport(), at(below, 300.0))
    said = top.accessibleDescription()
    assert said.startswith("At 5:00: Bean: bean 60.")
    assert "corridor 60–64" in said
    assert "rate 12.0" in said
    assert said.endswith("gas 1.0 kPa")
    hand.read_at(700.0)
    assert "bean" not in top.accessibleDescription(), "there is nothing behind the end"


def test_a_part_is_chosen_by_a_drag_and_left_by_a_double_click_or_keys(glance, qtbot):
    hand, top, below = glance
    view = top.plot.viewport()
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=at(top, 100.0))
    QTest.mouseMove(view, at(top, 200.0))
    QTest.mouseMove(view, at(top, 300.0))
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=at(top, 300.0))
    assert top.part == pytest.approx((100.0, 300.0), abs=2.0)
    assert below.plot.viewRange()[0] == pytest.approx(top.part, abs=1.0), "the lanes go together"
    top.time_span(0.0, 640.0)
    assert top.plot.viewRange()[0] == pytest.approx(top.part, abs=1.0), "what goes on does not take it away"
    top.menu().actions()[0].trigger()
    assert top.part is None
    assert top.plot.viewRange()[0] == pytest.approx((0.0, 640.0))
    hand.read_at(300.0)
    qtbot.keyClick(top, Qt.Key.Key_Plus)
    low, high = top.part
    assert high - low == pytest.approx(0.8 * 640.0)
    assert low < 300.0 < high
    qtbot.keyClick(top, Qt.Key.Key_Right)
    assert hand.x == pytest.approx(300.0 + 0.01 * (high - low))
    for _ in range(40):
        qtbot.keyClick(top, Qt.Key.Key_Plus)
    assert top.part[1] - top.part[0] == pytest.approx(0.02 * 640.0), "no part is endlessly small"
    qtbot.keyClick(top, Qt.Key.Key_Escape)
    assert (top.part, hand.x) == (None, None)
    hand.show_part(-500.0, 5000.0)
    assert top.part is None, "more than all is all"
    QTest.mouseDClick(view, Qt.MouseButton.LeftButton, pos=at(top, 10.0))
    top.time_span(900.0, 950.0)
    assert top.plot.viewRange()[0] == pytest.approx((900.0, 950.0)), "a part of another time is no part of this"


def test_a_small_curve_goes_through_its_points_and_never_swings_over_them():
    points = [(0.0, 200.0), (70.0, 72.0), (300.0, 152.0), (660.0, 198.0), (760.0, 208.0)]
    path = curve_path(points, QRectF(0.0, 0.0, LONGEST_S, HIGHEST_C - LOWEST_C))
    assert path.elementAt(0).x == 0.0
    drawn = np.array([(p.x(), HIGHEST_C - p.y()) for p in (path.pointAtPercent(s) for s in np.linspace(0, 1, 400))])
    assert drawn[:, 1].min() >= 72.0 - 1e-6
    after = drawn[drawn[:, 0] > 80.0]
    assert (np.diff(after[:, 1]) > -1e-9).all()
    # Held against SciPy's monotone interpolation through the same points; it weighs both sides by their length.
    assert np.abs(after[:, 1] - PchipInterpolator(*zip(*points, strict=True))(after[:, 0])).max() < 6.0
    assert curve_path(points[:1], QRectF(0, 0, 10, 10)).isEmpty()


def test_a_lot_is_told_over_time_with_its_stock_reckoned_back(library, record):
    now = datetime(2026, 11, 20, 12, tzinfo=UTC)
    lot = library.save_lot(Lot(record.lot, arrival="2026-09-01", on_hand_kg=100.0, price_per_kg=9.5))
    library.save_lot(Lot("Uganda Rwebisho", arrival="2026-10", price_per_kg=8.0))
    library.save_lot(Lot("slip of the hand", arrival="0001-01-01", price_per_kg=8.0))
    library.lot_book.count(lot.id, 100.0, now - timedelta(days=30))
    for days, share in ((60, 0.112), (5, 0.108)):
        measure(library, lot, "moisture", {"share": share}, now - timedelta(days=days))
    for number, days in enumerate((20, 10, 40)):
        started = now - timedelta(days=days)
        library.add_record(replace(record, label=f"{number:04d}", started=started, load_kg=6.0))
    lot = next(one for one in library.lots() if one.id == lot.id)
    assert lot.on_hand_kg == pytest.approx(88.0), "two of the three were charged since it was counted"
    told = {course.name: course for course in lot_courses(library, lot, now)}
    assert set(told) == {"Moisture", "Stock", "Price"}
    assert [point.value for point in told["Moisture"].points] == pytest.approx([11.2, 10.8])
    assert [point.value for point in told["Stock"].points] == pytest.approx([106.0, 100.0, 94.0, 88.0, 88.0])
    assert [point.of for point in told["Price"].beside] == ["Uganda Rwebisho"]
    assert lot_courses(library, Lot("not kept"), now) == ()


def test_the_days_axis_says_days_and_then_months(qtbot):
    axis = DaysAxis("bottom")
    begin = datetime(2026, 8, 20, 12, tzinfo=UTC).timestamp()
    (step, days), *_ = axis.tickValues(begin, begin + 10 * 86400.0, 800.0)
    assert axis.tickStrings(days, 1.0, step)[0] == "21 Aug"
    (step, months), *_ = axis.tickValues(begin, begin + 150 * 86400.0, 400.0)
    assert axis.tickStrings(months, 1.0, step) == ["Sep 26", "Oct 26", "Nov 26", "Dec 26", "Jan 27"]


def test_the_bench_shows_the_curve_and_the_picture_beside_the_figures(qtbot, library, record, tmp_path):
    picture = tmp_path / "beans.png"
    image = QImage(400, 300, QImage.Format.Format_RGB32)
    image.fill(0x884422)
    image.save(str(picture))
    key = library.add_record(record)
    keep_inspection(library, key, {"beans": 100, "scorched": 2, "picture": str(picture)})
    window = make_window(library, Settings(), Look(make_application()), keep=lambda _: None)
    qtbot.addWidget(window)
    window.show()
    window.show_station("Bench")
    seen = window.view("Bench").weigh.glimpse
    window.view("Bench").weigh._look_at(key)
    qtbot.waitUntil(lambda: not seen.picture.pixmap().isNull())
    assert seen.picture.pixmap().width() == 190
    shown = [words.toPlainText() for words in seen._words.words if words.isVisible()]
    assert any(text.startswith("drop ") for text in shown)
    drop, charge = record.mark(MarkKind.DROP), record.mark(MarkKind.CHARGE)
    assert seen.lane.whole[1] == pytest.approx(drop.t - charge.t + 15.0)
    courses = library.batch_list.courses([key])[key]
    assert courses[0][0] == 0.0
    assert shelf.courses(library, []) == {}
    picture.write_bytes(b"no picture")
    window.view("Bench").weigh._look_at(key)
    qtbot.waitUntil(lambda: "cannot be shown" in seen.picture.text())
    window.desk.session.close()
    window.close()


def test_a_new_cue_comes_in_softly_and_a_warning_at_once(qtbot, monkeypatch):
    Look(make_application()).use("day")
    wished = [True]
    panel = CuePanel(lambda: wished[0])
    qtbot.addWidget(panel)
    panel.show()
    monkeypatch.setattr(motion, "moves", lambda widget: True)
    panel.show_cue(Cue("next", "Gas 2.1 → 1.8 kPa", "at 5:10", "", "", "", "", "calm"))
    assert panel._fade.running
    assert motion.LASTS_MS <= 150
    qtbot.waitUntil(lambda: panel.headline.graphicsEffect() is None)
    panel.show_cue(Cue("next", "Gas 2.1 → 1.8 kPa", "at 5:11", "", "", "", "", "calm"))
    assert not panel._fade.running, "the same words do not flicker"
    for clock in ("in 1:07", "in 1:06"):
        panel.show_cue(Cue("next", f"Gas 2.1 → 1.8 kPa {clock}", "", "", "", "", "", "calm"))
        panel._fade._running.stop()
    panel.show_cue(Cue("next", "Gas 2.1 → 1.8 kPa in 1:05", "", "", "", "", "", "calm"))
    assert not panel._fade.running, "that a second has gone is no news"
    panel.headline.setGraphicsEffect(None)
    place, wished[0] = panel.headline.geometry(), False
    panel.show_cue(Cue("next", "Airflow 25 → 50 Pa", "at 6:10", "", "", "", "", "calm"))
    assert not panel._fade.running
    assert panel.headline.geometry() == place, "nothing jumps"
    wished[0] = True
    panel.show_cue(Cue("next", "Airflow 50 → 80 Pa", "", "", "", "", "", "calm"))
    assert panel._fade.running
    panel.show_cue(Cue("danger", "Heat off now", "beans at 236 °C", "", "", "", "", "danger"))
    assert not panel._fade.running
    assert panel.headline.graphicsEffect() is None
    monkeypatch.setattr(motion, "moves", lambda widget: False)
    panel.show_cue(Cue("next", "Drop", "", "", "", "", "", "calm"))
    assert not panel._fade.running, "less motion is wished for by the system"


def test_a_machine_is_told_by_the_week_and_scores_by_the_batch(library, record):
    now = datetime(2026, 11, 20, 12, tzinfo=UTC)
    machine = library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    keys = []
    for number, days in enumerate((40, 9, 8, 1, 400)):
        started = now - timedelta(days=days)
        keys.append(
            library.add_record(replace(record, label=f"{number:04d}", machine="Drum Six", started=started, load_kg=5.0))
        )
    told = {course.name: course for course in machine_courses(library, machine, now)}
    # 20 November 2026 is a Friday: by the calendar the weeks begin on 5 October, 9 and 16 November.
    assert [(f"{p.at:%-d %b}", p.value) for p in told["Green a week"].points] == [
        ("5 Oct", 5.0),
        ("9 Nov", 10.0),
        ("16 Nov", 5.0),
    ]
    assert [p.value for p in told["Batches a week"].points] == [1.0, 2.0, 1.0]
    assert [p.value for p in told["Loss"].points] == pytest.approx([13.0] * 4), "4.35 of 5 kg"
    assert machine_courses(library, replace(machine, id=None), now) == ()
    assert scored(library) == ()
    cupped(library, {keys[0]: 6, keys[2]: 8})
    (course,) = scored(library)
    assert [(p.of.split()[0], p.value) for p in course.points] == [("0000", 84.25), ("0002", 94.75)]


@pytest.mark.parametrize(("kind", "side", "least"), [(ClockAxis, "bottom", 60.0), (LevelAxis, "left", 18.0)])
@pytest.mark.parametrize("span", [1e-3, 40.0, 900.0, 1e5, 1e9, 1e15])
def test_an_axis_has_never_more_marks_than_there_is_room_for(qtbot, kind, side, least, span):
    ((step, marks),) = kind(side).tickValues(-0.3 * span, 0.7 * span, 640.0)
    assert len(marks) <= 640.0 / least + 1, "wider, or higher, than its figures"
    assert np.allclose(np.diff(marks), step)
