"""The tour of the demo: offered, gone through, left; a practice behind its last stop."""

from dataclasses import replace

import pytest
from conftest import make_record
from PyQt6.QtWidgets import QLabel
from test_plan_and_cue import PLAN

from firnel.app.demo import MODELS
from firnel.app.demo_tour import CHAFF, FOLLOWED_BY, FROST, offer_tour
from firnel.app.window import make_application, make_window
from firnel.core.model.document import VERSION
from firnel.core.vocabulary import Lot
from firnel.ui.shared.tabs import Tabs
from firnel.ui.theme.look import Look
from firnel.work.desk import machine_of_kind
from firnel.work.settings import Settings


@pytest.fixture
def window(qtbot, library, monkeypatch):
    """The window on a library that holds what the tour shows."""
    library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    library.save_lot(Lot(FOLLOWED_BY))
    library.save_plan(replace(PLAN, name="Isuka filter"))
    for label, lot, remark in (("0444", "Rwanda Isuka", CHAFF), ("0468", "Rwanda Isuka", FROST), ("0467", FOLLOWED_BY, "")):
        record = make_record(label)
        bean = record.trace.bean + float(label[-1])
        library.add_record(replace(record, lot=lot, remark=remark, trace=replace(record.trace, bean=bean)))
    made = make_window(library, Settings(), Look(make_application()), keep=lambda settings: None)
    qtbot.addWidget(made, before_close_func=lambda w: w.desk.session.close())
    made.practised = []
    monkeypatch.setattr(made.beside, "practise", made.practised.append)
    made.show()
    return made


def said(window):
    return " ".join(part.text() for part in window.tour.findChildren(QLabel))


def test_a_demo_whose_models_are_of_another_version_is_made_anew():
    assert MODELS == VERSION, "else it shows machines of which nothing is learned"


def test_eight_stops_show_what_they_speak_of_and_a_practice_begins_behind_them(qtbot, window):
    tour = window.tour
    assert not tour.isVisible()
    assert not any("Tour" in entry.text for entry in window.finder.actions())
    offer_tour(window)
    assert "A fortnight of an invented roastery" in said(window)
    assert not tour.back.isVisible()
    stations = []
    for number in range(8):
        tour.go_on.click()
        assert f"{number + 1} of 8" in said(window)
        assert tour.go_on.hasFocus() or not window.isActiveWindow()
        stations.append(window.stations.pages.currentWidget())
    wanted = ["Day", "Green", "Review", "Review", "Review", "Plan", "Machines", "Roast"]
    assert stations == [window.view(name) for name in wanted]
    for label, words in (("0444", "the last of five"), ("0468", "after a frost"), ("0467", "is Velakuni")):
        assert any(f"Batch {label}" in stop.words and words in stop.words for stop in tour._stops)
    review, machines = window.view("Review"), window.view("Machines")
    assert review.tabs.shown == 2, "was it the same?"
    assert machines.findChild(Tabs).shown == 1, "the record"
    tour.back.click()
    assert "7 of 8" in said(window)
    tour.go_on.click()
    tour.go_on.click()
    assert not tour.isVisible()
    assert [plan.name for plan in window.practised] == ["Isuka filter"]


def test_it_is_left_at_any_time_and_found_again(qtbot, window):
    offer_tour(window)
    window.tour.leave.click()
    assert not window.tour.isVisible()
    entry = next(entry for entry in window.finder.actions() if entry.text == "Tour of the demo")
    entry.act()
    window.tour.go_on.click()
    window.tour.leave.click()
    assert not window.tour.isVisible()
    assert window.practised == []
