"""The store without a window: lots, samples, plans and what waits, by commands; and samples in the window."""

import json

import pytest
from click.testing import CliRunner

from firnel.app.commands import main
from firnel.app.window import make_application
from firnel.core.plan import Plan, Targets
from firnel.core.plan_document import plan_to_document
from firnel.core.vocabulary import Lot
from firnel.store.library import Library
from firnel.ui.green.view import GreenView
from firnel.ui.theme.look import Look
from firnel.work.desk import Desk
from firnel.work.green.samples import SampleError, decide
from firnel.work.settings import Settings


@pytest.fixture
def said(tmp_path):
    """Runs a command on a library; the library may be named before it too."""
    place = str(tmp_path / "library.sqlite")

    def run(*words, fails=False):
        answer = CliRunner().invoke(main, ["--library", place, *words])
        assert answer.exit_code == (1 if fails else 0), answer.output
        assert "Traceback" not in answer.output
        return answer.stderr if fails else json.loads(answer.stdout) if "--json" in words else answer.stdout

    return run


def test_a_lot_is_written_down_changed_counted_measured_and_put_away(said):
    said("lots", "add", "Burundi Nkorabi", "process=washed", "altitude=1800", "--on-hand", "60")
    lot = said("lots", "change", "nkorabi", "remark=sweet", "--count", "57.5", "--measure", "moisture", "10.8", "--json")
    assert (lot["on_hand_kg"], lot["remark"], lot["moisture"]) == (57.5, "sweet", pytest.approx(0.108))
    shown = said("lots", "show", "Burundi Nkorabi", "--json")
    assert [one["what"] for one in shown["measured"]] == ["moisture"]
    assert shown["altitude_m"] == 1800.0
    for words, why in (
        (("add", "burundi nkorabi"), "already"),
        (("change", "nkorabi", "colour=red"), "no fact of a lot"),
        (("change", "nkorabi", "moisture=10.8"), "A moisture of 10.8 cannot be"),
        (("add", " "), "A lot needs a name"),
        (("add", "two\nlines"), "none that cannot be seen"),
        (("add", "x" * 500), "at most 120 letters"),
        (("add", "other", "density_g_per_l=-5"), "A density of −5 cannot be"),
        (("add", "other", "altitude_m=1e999"), "altitude_m is to be a number"),
        (("add", "other", f"variety={'v' * 300}"), "longer than 100 letters"),
        (("add", "other", f"harvest={'v' * 60}"), "longer than 40 letters"),
        (("change", "nkorabi", "altitude_m=high"), "is to be a number"),
        (("show", "Nobody"), "No lot is called"),
        (("decide", "nkorabi", "--buy"), "is no sample"),
    ):
        assert why in said("lots", *words, fails=True)
    for name in (" ", "two\nlines", "x" * 300):
        assert "machine" in said("machine", "add", name, "--kind", "gas-6", fails=True)
    said("lots", "change", "nkorabi", "--archive")
    assert said("lots", "list", "--json") == []
    assert [entry["what"] for entry in said("library", "log", "--json")][-1] == "added the lot Burundi Nkorabi"


def test_plans_are_kept_from_files_and_batches_of_them_wait(said, tmp_path):
    file = tmp_path / "plan.json"
    said("machine", "add", "Drum Six", "--kind", "gas-6")
    plan = Plan("Nkorabi filter", "Drum Six", load_kg=5.0, targets=Targets(development_s=90.0))
    file.write_text(json.dumps(plan_to_document(plan)), encoding="utf-8")
    assert said("plans", "add", str(file)) == "Nkorabi filter is kept as version 1.\n"
    file.write_text(json.dumps(plan_to_document(Plan("Nkorabi filter", "Drum Six", load_kg=4.0))), encoding="utf-8")
    said("plans", "add", str(file))
    assert [(one["name"], one["version"]) for one in said("plans", "list", "--json")] == [("Nkorabi filter", 2)]
    assert said("plans", "show", "filter", "--json")["load_kg"] == 4.0
    numbers = [one["number"] for one in said("queue", "add", "filter", "--count", "3", "--json")]
    assert numbers == ["0001", "0002", "0003"]
    assert [one["number"] for one in said("queue", "change", "3", "--first", "--json")] == ["0003", "0001", "0002"]
    assert [one["number"] for one in said("queue", "change", "1", "--out", "--json")] == ["0003", "0002"]
    assert {one["number"] for one in said("queue", "change", "0001", "--back", "--json")} == set(numbers)
    assert "No batch 9 waits" in said("queue", "show", "9", fails=True)
    said("plans", "change", "filter", "--rename", "Nkorabi light", "--archive")
    assert said("plans", "list", "--json") == []


def test_a_sample_becomes_a_lot_with_what_is_known_of_it_or_is_passed(either):
    offered = either.save_lot(Lot("Uganda Namora", sample="offer", on_hand_kg=0.4, moisture=0.11))
    bought = decide(either, offered, True, "clean and sweet", 60.0)
    assert (bought.id, bought.sample, bought.archived, bought.on_hand_kg, bought.moisture) == (
        offered.id,
        "",
        False,
        60.0,
        0.11,
    )
    assert bought.verdict == "bought after the offer sample: clean and sweet"
    with pytest.raises(SampleError, match="is no sample"):
        decide(either, bought, True)
    other = either.save_lot(Lot("Uganda Tembwe", sample="arrival"))
    passed = decide(either, other, False, "papery")
    assert (passed.archived, passed.verdict) == (True, "passed after the arrival sample: papery")


def test_a_sample_is_written_down_and_bought_in_the_window(tmp_path, qtbot):
    make_application()
    library = Library(tmp_path / "library.sqlite")
    view = GreenView(Desk(library, Settings(), lambda call: call()), Look(make_application()))
    qtbot.addWidget(view)
    view.show()
    view._begin_new("offer")
    view._form._fields["name"].setText("Uganda Namora")
    view._form._sample.setCurrentIndex(1)
    view._form._on_save()
    assert (view._which.currentText(), library.lots()[0].sample) == ("samples", "pre-shipment")
    assert "not roasted yet, not cupped yet" in view.panel.sample._said.text()
    view.panel.sample.why.setText("clean")
    view.panel.sample.decided.emit(True, view.panel.sample.why.text())
    assert (view._which.currentText(), library.lots()[0].sample) == ("in store", "")
    assert "bought after the pre-shipment sample: clean" in view.head.subtitle.text()
    library.close()
