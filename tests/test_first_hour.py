"""The first hour: an empty library, a link that is set up and tried, old logs, and what each batch teaches."""

import shutil
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from click.testing import CliRunner
from logged import LOGS, MACHINES, fitted_to, lot_of, record_of
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QPushButton
from sqlalchemy import update

from firnel.app.commands import main
from firnel.app.window import make_application, make_window
from firnel.core.machine.preheat import Going, preheat_of, preheat_state
from firnel.core.machine.readings import told_readings
from firnel.core.model.lessons import learn_more
from firnel.core.model.probe_shift import ProbeShift
from firnel.core.model.score import muted
from firnel.core.plan import Anchor, Plan, PlannedMove, Targets
from firnel.core.units import Units
from firnel.core.vocabulary import Control, Lot, MarkKind
from firnel.devices.address import AddressError, open_source
from firnel.devices.clock import Clock
from firnel.devices.joined import JoinedSource
from firnel.devices.reading import LinkState, LinkStatus, Reading
from firnel.devices.simulator.kinds import KINDS
from firnel.devices.simulator.physics import DrumRoaster
from firnel.devices.simulator.plant import Plant
from firnel.devices.simulator.server import SimulatorServer
from firnel.store.library import Library
from firnel.store.tables import plan_versions
from firnel.ui.machines.map_sheet import MapSheet
from firnel.ui.machines.old_logs_sheet import OldLogsSheet
from firnel.ui.shared.list_page import ListPage
from firnel.ui.shared.parts import choose, chosen
from firnel.ui.theme.look import Look
from firnel.work.beginning import new_machine, steps
from firnel.work.desk import Desk, machine_of_kind
from firnel.work.machines.care import due_words, keep_interval, note_done
from firnel.work.machines.forecasting import forecast_record
from firnel.work.machines.knowledge import compare, fit_machine, keep_model, model_of, trust_words, usable_batches
from firnel.work.machines.learner import keep_lesson, learn_next, task_of
from firnel.work.machines.link import (
    Channel,
    Instrument,
    RegisterMapError,
    Way,
    fitting_map,
    instruments_of,
    map_of,
    strange_to,
    url_of,
)
from firnel.work.machines.moved import reads_beans
from firnel.work.machines.old_logs import find_files, look_at_all, mixed_words, read_beside, take_in
from firnel.work.review.records import BatchFilter, ImportRefusedError
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.roast.cue import cue_of
from firnel.work.settings import Settings


def always(_done):
    return True


@pytest.fixture
def window(qtbot, library):
    made = make_window(library, Settings(learning="by the button"), Look(make_application()), keep=lambda settings: None)
    qtbot.addWidget(made, before_close_func=lambda w: w.desk.session.close())
    made.show()
    made.activateWindow()
    qtbot.waitUntil(made.isActiveWindow)
    return made


@pytest.fixture
def served():
    server = SimulatorServer(Plant(DrumRoaster(KINDS["gas-6"], np.random.default_rng(1), steel_c=205.0)))
    server.start()
    yield server
    server.stop()


# From nothing to a charged batch


def test_an_empty_library_leads_to_a_charged_first_batch_by_hand_in_twelve_actions(qtbot, window, library):
    window.begin_where_empty()
    actions = []

    def typed(text):
        actions.append(text)
        for sign in text:
            qtbot.keyClick(QApplication.focusWidget(), sign)

    def pressed(key):
        actions.append(key)
        qtbot.keyClick(QApplication.focusWidget(), key)

    enter = Qt.Key.Key_Return
    typed("Old Drum")
    pressed(enter)
    typed("4,5")
    pressed(enter)  # the machine is kept
    pressed(enter)  # readings by hand
    assert window.desk.by_hand is not None
    pressed(enter)  # no old logs
    typed("Burundi Kibira")
    pressed(enter)
    pressed(enter)  # prepared, at the useful load
    qtbot.waitUntil(lambda: QApplication.focusWidget() is window.roast)
    typed("203")
    pressed(enter)
    session = window.desk.session
    qtbot.waitUntil(lambda: session.trace.last_t is not None)
    pressed(Qt.Key.Key_Space)
    assert len(actions) <= 12
    assert MarkKind.CHARGE in session.marks
    assert session.trace.trace().bean.tolist() == [203.0]
    assert (session.order.load_kg, session.order.lot.name, session.order.machine.name) == (4.5, "Burundi Kibira", "Old Drum")
    qtbot.waitUntil(lambda: all(step.done for step in steps(library)))


def test_an_empty_page_offers_only_what_makes_the_first_of_its_kind(window, library):
    def offered(name):
        window.show_station(name)
        window.view(name).refresh()
        return {one.text(): one.objectName() for one in window.view(name).findChildren(QPushButton) if one.isVisible()}

    assert offered("Plan") == {"New plan": "primary", "The five steps of the beginning": ""}
    offered("Machines")
    assert not window.view("Machines").over_time.isVisible(), "nothing is chosen that it could be of"
    library.save_plan(Plan("Filter", "Drum Six", "Isuka", 5.0, targets=Targets(development_s=90.0)))
    with_one = offered("Plan")
    assert (with_one["New plan"], with_one["Roast this plan"]) == ("", "primary")
    assert {"Change", "Queue", "Archive"} <= set(with_one)


def test_what_the_beginning_cannot_take_it_says_and_it_can_be_left_and_come_back_to(qtbot, window, library):
    window.begin_where_empty()
    beginning = window.view("Beginning")
    beginning.name.setText("Drum")
    for wrong in ("nine", "9 °C", "900"):
        beginning.useful.setText(wrong)
        qtbot.keyClick(beginning.fuel, Qt.Key.Key_Return)  # from any field of the step
        assert wrong in beginning._machine_wrong.text() or wrong == "900"
    assert "0.05 to 300 kg" in beginning._machine_wrong.text()
    assert library.machines() == []
    choose(beginning.heat, "electric")
    assert not beginning.fuel.isVisible(), "what is not asked does not stand there"
    qtbot.keyClick(window.rail._buttons["Green"], Qt.Key.Key_Return)
    green = window.view("Green")
    qtbot.keyClick(green._empty.begin, Qt.Key.Key_Return)
    assert window.stations.pages.currentWidget() is beginning, "Enter presses a button that has the focus"
    assert window.rail.begin.isVisible()


def test_the_beginning_shows_and_takes_the_units_that_were_chosen(window, library):
    window.use_settings(replace(window.desk.settings, temperature="°F", mass="lb", pressure="mbar"))
    window.begin_where_empty()
    beginning = window.view("Beginning")
    assert "mbar" in beginning.fuel.itemText(0)
    for field, text in zip(
        (beginning.name, beginning.useful, beginning.yellow, beginning.crack), ("Drum", "10", "300", "66 °C"), strict=True
    ):
        field.setText(text)
    beginning._on_machine()
    assert "between 212 and 464 °F" in beginning._machine_wrong.text()
    beginning.crack.setText("383")
    beginning._on_machine()
    (machine,) = library.machines()
    assert machine.useful_load_kg == pytest.approx(4.5359, abs=1e-3), "NIST SP 811: a pound is 0.45359237 kg"
    assert (machine.yellow_c, machine.first_crack_c) == pytest.approx((148.89, 195.0), abs=0.01)
    beginning.open_step(4)
    assert beginning.load.text() == "10.00"


@pytest.mark.parametrize(
    ("heat", "fuel", "sources"), [("gas", "LPG", ["gas"]), ("electric, several heaters", "", ["hot-air", "radiant", "drum"])]
)
def test_a_machine_of_any_heat_is_made_with_its_controls(library, heat, fuel, sources):
    made = new_machine(library, "Mine", heat, 2.0, fuel)
    assert list(made.heat_kinds) == sources
    assert made.useful_load_kg == 2.0
    assert not any(scale.reported for scale in made.controls.values())
    assert told_readings(made) == (None, None), "what nobody told is not taken for told"
    assert told_readings(new_machine(library, "Told", heat, 2.0, fuel, (None, 204.0))) == (None, 204.0)
    with pytest.raises(ValueError, match="Yellow comes before first crack"):
        new_machine(library, "Turned", heat, 2.0, fuel, (204.0, 160.0))
    with pytest.raises(ValueError, match="already"):
        new_machine(library, "Mine", heat, 2.0, fuel)


# The link


def test_a_link_is_the_same_after_its_address():
    several = [
        Instrument(Way.MODBUS, "10.0.0.5", 1502, 3, "gas-15"),
        Instrument(Way.SERIAL, device="/dev/ttyUSB1", baud=2400, fahrenheit=True, probe="air"),
    ]
    again = instruments_of(url_of(several))
    assert [one.url for one in again] == [one.url for one in several]
    for one in ([Instrument(Way.HAND)], [Instrument(Way.SIMULATED, map="gas-6")]):
        assert [x.url for x in instruments_of(url_of(one))] == [x.url for x in one]


class Given:
    """An instrument whose readings a test hands up."""

    def __init__(self, title, *reads):
        self.title, self.reads, self.units = title, reads, {}

    def start(self, on_reading, on_status):
        self.reading, self.status = on_reading, on_status

    def stop(self):
        self.reading = None


def test_several_instruments_are_read_as_one_machine():
    beans, gas = Given("thermometer", "bean"), Given("converter", "air", "gas")
    joined, readings, states = JoinedSource([beans, gas]), [], []
    joined.start(readings.append, states.append)
    for one in (beans, gas):
        one.status(LinkStatus(LinkState.LIVE, "Reading."))
    gas.reading(Reading(1.0, air=230.0, controls={Control.GAS: 2.0}))
    beans.reading(Reading(2.0, bean=201.0))
    assert (readings[-1].bean, readings[-1].air, readings[-1].controls) == (201.0, 230.0, {"gas": 2.0})
    beans.reading(Reading(30.0, bean=190.0))
    assert (readings[-1].air, readings[-1].controls) == (None, {}), "what was told long ago is not known any more"
    gas.reading(Reading(40.0, air=225.0))
    assert (readings[-1].bean, readings[-1].air) == (None, 225.0), "the record goes on without the beans"
    gas.status(LinkStatus(LinkState.LOST, "The converter is gone."))
    assert states[-1] == LinkStatus(LinkState.LOST, "The converter is gone.")


@pytest.mark.parametrize(
    ("url", "words"),
    [
        ("serial:///dev/ttyS7?as=air", "nothing there reads the beans"),
        ("serial:///dev/ttyS7 serial:///dev/ttyS8", "Two instruments"),
        ("hand: serial:///dev/ttyS8", "stand alone"),
        ("serial:///dev/ttyS7?as=steel", "bean or air"),
    ],
)
def test_instruments_that_do_not_go_together_are_refused(url, words):
    with pytest.raises(AddressError, match=words):
        open_source(url, Clock())


def test_a_register_map_is_made_tried_and_kept_in_the_window(qtbot, window, library, served):
    machine = library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    window.show_station("Machines")
    link = window.view("Machines").link
    link.show_address(f"modbus://127.0.0.1:{served.port}?map=gas-6")
    link._edit_map("gas-6", link.modbus._on_map)
    sheet = next(one for one in window.findChildren(MapSheet))
    assert sheet._name.text() == "drum-six"
    assert [row.field.currentText() for row in sheet._rows] == ["bean", "air", "gas", "airflow", "drum"]
    sheet._rows[1].address.setText("900")
    sheet.try_it()
    qtbot.waitUntil(lambda: "of 5 channels do not read" in sheet._said.text())
    assert "°C" in sheet._rows[0].now.text()
    assert "no answer there" in sheet._rows[1].now.text()
    sheet._rows[1].address.setText("0")
    sheet.keep()
    assert "both take input register 0" in sheet._said.text()
    sheet._take_away(sheet._rows[1])
    sheet.keep()
    assert link.modbus.map.currentData() == "drum-six"
    link.try_it()
    qtbot.waitUntil(lambda: link._state.text() == "All channels read.")
    link.connect_it()
    qtbot.waitUntil(lambda: window.desk.link.state is LinkState.LIVE)
    assert library.machine(machine.name).device_url.endswith("map=drum-six&unit=1")
    window.desk.disconnect()


def test_a_map_for_another_machine_and_one_that_cannot_be_are_told():
    six, nine = machine_of_kind("Drum Six", "gas-6"), machine_of_kind("Nine", "electric-9")
    told = strange_to(six, [Instrument(Way.MODBUS, map="electric-9")])
    assert "which Drum Six does not have" in told
    assert strange_to(nine, [Instrument(Way.MODBUS, map="electric-9")]) == ""
    assert (fitting_map(six), fitting_map(nine)) == ("gas-6", "electric-9")
    assert fitting_map(replace(nine, controls={})) == "gas-6", "the usual one where none fits"
    with pytest.raises(RegisterMapError, match="Two channels are bean"):
        map_of("mine", six, [Channel("bean"), Channel("bean", address=4)])


# Old logs


@pytest.fixture
def folder(tmp_path):
    """Logs of two machines and the table beside them."""
    made = tmp_path / "logs"
    made.mkdir()
    for name in ("south-001", "south-002", "east-001"):
        shutil.copy(LOGS / f"{name}.csv", made)
    lines = (LOGS / "batches.csv").read_text().splitlines()
    wanted = [line for line in lines[1:] if line.startswith(("south-001", "south-002", "east-001"))]
    (made / "batches.csv").write_text("\n".join([lines[0], *wanted]) + "\n", encoding="utf-16")
    return made


def test_a_folder_of_logs_is_taken_in_with_its_table_and_no_log_twice(library, folder):
    logs, tables = find_files([folder])
    assert ([path.stem for path in logs], [path.name for path in tables]) == (
        ["east-001", "south-001", "south-002"],
        ["batches.csv"],
    )
    found, wrong = look_at_all(logs, tables, {}, always)
    assert wrong == "batches.csv: “batch_of_day” is not read."
    assert mixed_words(found) == "", "each machine's logs are alike"
    assert take_in(library, found, always).words.startswith("3 logs were taken in. Machine east was added with the scales")
    south = library.batch(library.find_batch("0002"))
    row = record_of("south-001")
    assert (south.machine, south.load_kg, south.roasted_kg) == ("south", row.load_kg, row.roasted_kg)
    assert south.mark(MarkKind.FIRST_CRACK).t == row.mark(MarkKind.FIRST_CRACK).t
    again = take_in(library, found, always)
    assert again.count == 0
    assert "was taken in before" in again.words


def test_logs_of_several_machines_under_one_name_are_told_apart(folder):
    (folder / "batches.csv").unlink()
    logs, _ = find_files([folder])
    found, _ = look_at_all(logs, [], {}, always)
    assert "look like those of 2 machines: 1 with gas inH2O" in mixed_words(found)
    with pytest.raises(ImportRefusedError, match="No logs there"):
        find_files([folder / "batches.xlsx"])


def test_a_table_that_is_wrong_is_told_and_the_logs_are_there_without_it(folder):
    (folder / "batches.csv").write_text("file,green_kg\nsouth-001,a lot\n")
    with pytest.raises(ImportRefusedError, match="row 2: load 'a lot' is not a figure"):
        read_beside(folder / "batches.csv")
    found, wrong = look_at_all(*find_files([folder]), {}, always)
    assert "is not a figure" in wrong
    assert len(found) == 3


def test_a_table_in_other_units_says_what_was_measured_of_the_green_too(tmp_path, folder):
    heads = "File;Roasted by;Date;Moisture %;Density (g/L);Charge lb;Roasted g;Room F;First crack;Mood"
    (folder / "batches.csv").write_text(f"{heads}\nsouth-001.csv;Ama;02.11.2026 09:30;11,2;731;1,5;580;68;7:40;good\n")
    rows, unknown = read_beside(folder / "batches.csv")
    told = rows["south-001"].wishes
    assert (told.operator, told.started.astimezone().hour, told.marks) == ("Ama", 9, {"first_crack": 460.0})
    # The pound of NIST SP 811; 68 degF are 20 degC by definition.
    assert (told.load_kg, told.roasted_kg, told.room_c) == pytest.approx((1.5 * 0.45359237, 0.58, 20.0))
    assert rows["south-001"].lot == Lot("south-001", moisture=0.112, density_g_per_l=731.0)
    assert unknown == ("Mood",)
    (folder / "batches.csv").write_text("file,date\nsouth-001,2/11/26\n")
    with pytest.raises(ImportRefusedError, match="is no day that can be read"):
        read_beside(folder / "batches.csv")


def test_the_command_line_takes_a_folder_with_its_table_and_nothing_where_the_table_is_wrong(library, folder):
    runner, at = CliRunner(), ["--library", str(library.path)]
    good = (folder / "batches.csv").read_text(encoding="utf-16")
    (folder / "batches.csv").write_text("file,green_kg\nsouth-001,a lot\nlost-9,2\n")
    came = runner.invoke(main, ["import", str(folder), *at])
    assert (came.exit_code, library.batch_lines(BatchFilter(), None, 9)) == (1, [])
    assert "row 2: load 'a lot' is not a figure." in came.stderr
    (folder / "batches.csv").write_text(good + "lost-9,south\n")
    library.save_lot(Lot("south-001", moisture=0.09))  # measured since: it stays
    came = runner.invoke(main, ["import", str(folder), "--operator", "Ama", *at])
    assert came.exit_code == 0, came.stderr
    assert "batches.csv has rows of logs that are not here: lost-9." in came.stderr
    kept = [library.batch(library.find_batch(label)) for label in ("0001", "0002", "0003")]
    assert [(one.machine, one.lot, one.operator) for one in kept] == [
        (name[:-4], name, "Ama") for name in ("east-001", "south-001", "south-002")
    ]
    lots = {lot.name: lot for lot in library.lots()}
    wanted = lot_of("south-001")
    assert (lots["south-001"].moisture, lots["south-001"].density_g_per_l) == (0.09, wanted.density_g_per_l)
    assert lots["south-001"].process == wanted.process
    table = runner.invoke(main, ["import", str(folder / "batches.csv"), *at])
    assert table.exit_code == 1
    assert "tells of logs, and none is named" in table.stderr


def test_old_logs_are_looked_at_corrected_and_taken_in_in_the_window(qtbot, window, library, folder):
    (folder / "east-001.csv").unlink()
    (folder / "batches.csv").unlink()
    hot = (folder / "south-002.csv").read_text().splitlines()
    rows = [line.split(",") for line in hot[1:]]
    warm = [",".join([row[0], *(f"{float(cell) * 1.8 + 32:.1f}" for cell in row[1:3]), *row[3:]]) for row in rows]
    (folder / "south-002.csv").write_text("\n".join([hot[0].replace("_c", ""), *warm]))  # °F without saying
    sheet = OldLogsSheet(window.desk, Look(make_application()), window)
    sheet.open_places([folder])
    qtbot.waitUntil(lambda: sheet.table.rowCount() == 2)
    assert "°F (it reads up to" in " ".join(sheet._logs[1].read.said)
    assert sheet._logs[1].record.trace.bean.max() < 230.0
    sheet.machine.setEditText("Old South")
    sheet.load.setText("0,7")
    sheet.fill_in()
    sheet._show_row(0)
    sheet.chosen.marks[MarkKind.FIRST_CRACK].setText("500")
    next(one for one in sheet.findChildren(QPushButton) if one.text() == "Correct this one").click()
    with qtbot.waitSignal(sheet.taken):
        sheet.take_in()
    kept = [library.batch(library.find_batch(label)) for label in ("0001", "0002")]
    assert [(one.machine, one.load_kg) for one in kept] == [("Old South", 0.7)] * 2
    assert kept[0].mark(MarkKind.FIRST_CRACK).t == 500.0


# What each batch teaches


def logged_days(library, names, change=lambda record: record):
    """Batches an hour apart."""
    for hour, name in enumerate(names):
        library.save_lot(lot_of(name))
        begun = datetime(2026, 11, 2, 8, tzinfo=UTC) + timedelta(hours=hour)
        library.add_record(change(replace(record_of(name), started=begun)))


def test_one_batch_teaches_in_a_process_of_its_own_and_nothing_is_learned_twice(library):
    machine = library.save_machine(MACHINES["south"])
    assert model_of(library, machine)[0].batches == 0
    logged_days(library, ["south-001"])
    told = learn_next(library, frozenset(), lambda *_: None, always)
    assert "south learned from south-001 (1 in all)" in told
    model, _ = model_of(library, library.machine("south"))
    assert model.batches == 1
    assert model.fitted.learned("power")
    assert task_of(library, library.machine("south")) is None
    assert learn_next(library, frozenset(), lambda *_: None, always) is None


def test_a_batch_roasted_without_a_window_teaches_what_was_not_left_out_on_purpose(library):
    machine = library.save_machine(MACHINES["south"])
    logged_days(library, [f"south-{number:03d}" for number in range(1, 5)])
    first = task_of(library, machine, "south-004")
    assert [batch.label for batch in first.batches] == ["south-001", "south-002", "south-003", "south-004"], "nothing is known"
    fit_machine(library, machine, ["south-001", "south-002"])
    task = task_of(library, machine, "south-004")
    assert (task.known, [batch.label for batch in task.batches][-1]) == (("south-001", "south-002"), "south-004")
    assert len(task.batches) == 3
    machine = library.machine("south")
    model, _ = model_of(library, machine)
    keep_model(library, machine, replace(model, report=replace(model.report, refused=("south-003",))), task.batches)
    labels = [batch.label for batch in task_of(library, machine, "south-004").batches]
    assert labels == ["south-001", "south-002", "south-003", "south-004"], "what was refused may be right with what came since"


def test_a_machine_whose_unit_was_put_right_is_learned_anew_and_one_that_was_renamed_or_goes_further_is_not(library):
    machine = library.save_machine(MACHINES["south"])
    logged_days(library, [f"south-{number:03d}" for number in range(1, 4)])
    task = task_of(library, machine)
    keep_model(library, machine, fitted_to("south", 3), task.batches)
    assert task_of(library, machine) is None
    gas = machine.controls[Control.GAS]
    for change, learned in (({"name": "burner", "high": 2.0 * gas.high, "least": 0.3}, True), ({"unit": "kPa"}, False)):
        changed = replace(machine, controls={**machine.controls, Control.GAS: replace(gas, **change)})
        model, why = model_of(library, changed)
        assert (model.batches == 3, "scales of south were changed" not in why) == (learned, learned)
        assert (task_of(library, changed) is None) is learned


def test_a_batch_with_a_wrong_load_is_not_learned_from(library):
    machine = library.save_machine(MACHINES["south"])
    logged_days(library, [f"south-{number:03d}" for number in range(1, 6)])
    batches, _ = usable_batches(library, machine)
    wrong = replace(batches[-1], load_kg=1.5 * batches[-1].load_kg)
    known = [batch.label for batch in batches[:-1]]
    lesson = learn_more(known, [*batches[:-1], wrong], 0.8, ["gas"])
    assert lesson.refused == (wrong.label,)
    assert lesson.after_c > lesson.before_c
    assert wrong.label not in lesson.model.report.batches
    good = learn_more(known, batches, 0.8, ["gas"])
    assert good.refused == ()
    assert batches[-1].label in good.model.report.batches


def plan_on(machine_id):
    at_bean, at_air = (
        PlannedMove(Control.GAS, 2.0, anchor, 0.0, at_c=at) for anchor, at in ((Anchor.BEAN, 150.0), (Anchor.AIR, 210.0))
    )
    wanted = Targets(charge_c=200.0, development_s=90.0, drop_c=208.0)
    return Plan("Before", "south", "", 0.7, targets=wanted, moves=(at_bean, at_air), machine_id=machine_id)


def test_a_bean_probe_that_was_moved_is_found_out_and_older_batches_count_as_it_reads_now(library):
    def moved(record):
        more = 5.0 if record.label >= "south-005" else 0.0
        return replace(record, trace=replace(record.trace, bean=record.trace.bean + more))

    machine = library.save_machine(MACHINES["south"])
    names = [f"south-{number:03d}" for number in range(1, 7)]
    logged_days(library, names[:5], moved)
    batches, _ = usable_batches(library, machine)
    before = fitted_to("south", 4)
    # One batch alone was strange: it was put aside.
    keep_model(library, machine, replace(before, report=replace(before.report, refused=("south-005",))), batches[:4])
    assert task_of(library, machine) is None
    begun = datetime(2026, 11, 2, 13, tzinfo=UTC)
    library.add_record(moved(replace(record_of(names[5]), started=begun)))
    task = task_of(library, machine)
    assert [batch.label for batch in task.batches] == names, "put aside no longer: both of them tell"
    plans = [library.save_plan(plan_on(machine.id)), library.save_plan(replace(plan_on(machine.id), name="Since", id=None))]
    with library.plan_book._engine.begin() as connection:
        made = batches[3].started.replace(tzinfo=None)
        connection.execute(update(plan_versions).where(plan_versions.c.plan_id == plans[0].id).values(saved_at=made))
    lesson = task.learn()
    (shift,) = lesson.moved
    assert (shift.label, shift.since) == ("south-005", batches[4].started)
    assert shift.by_c == pytest.approx(5.0, abs=1.0)
    assert keep_lesson(library, task, lesson).startswith("Since south-005 the bean probe reads")
    model, _ = model_of(library, library.machine("south"))
    assert (model.report.batches, model.report.refused, model.report.shifts) == (tuple(names), (), (shift,))
    went, stayed = ([one for one in library.plans() if one.id == plan.id][0] for plan in plans)
    assert (went.version, stayed) == (2, plans[1]), "kept since: whoever did had the new readings before them"
    assert went.targets.drop_c == pytest.approx(208.0 + shift.by_c, abs=0.1)
    assert went.targets.charge_c == pytest.approx(200.0 + shift.by_c, abs=0.1)
    assert [move.at_c for move in went.moves] == [pytest.approx(150.0 + shift.by_c, abs=0.1), 210.0]
    assert any("was moved or changed" in sentence for sentence in trust_words(model))
    words = {
        crack_s: trust_words(replace(model, report=replace(model.report, held_out_rms_bean_c=1.6, held_out_crack_s=crack_s)))[0]
        for crack_s in (12.0, 23.0, 90.0)
    }
    assert [("good" in said, "rough" in said) for said in words.values()] == [(True, False), (False, True), (False, False)]
    old, new = (compare(library, machine, model, label) for label in ("south-002", "south-006"))
    assert max(old.rms_bean_c, new.rms_bean_c) < 2.0, "each against the probe that read it"
    record = library.batch(library.find_batch("south-002"))
    crack, drop = (record.mark(kind) for kind in (MarkKind.FIRST_CRACK, MarkKind.DROP))
    told, _ = forecast_record(library, record, machine, crack.t - record.charge_t + 1.0)
    assert told.drop_c.value == pytest.approx(np.interp(drop.t, record.trace.t, record.trace.bean), abs=4.0)


def test_a_move_of_the_probe_that_an_older_version_found_and_this_one_does_not_is_taken_back_from_the_plans(library):
    machine = library.save_machine(MACHINES["south"])
    logged_days(library, [f"south-{number:03d}" for number in range(1, 4)])
    batches, _ = usable_batches(library, machine)
    plan = library.save_plan(plan_on(machine.id))
    with library.plan_book._engine.begin() as connection:
        early = batches[0].started.replace(tzinfo=None)
        connection.execute(update(plan_versions).where(plan_versions.c.plan_id == plan.id).values(saved_at=early))
    model, drops = fitted_to("south", 3), []
    moved = (ProbeShift("south-002", 3.0, batches[1].started),)
    for shifts in (moved, ()):
        found = replace(model, report=replace(model.report, shifts=shifts))
        keep_model(library, library.machine("south"), found, batches)
        drops.append(library.plans()[0].targets.drop_c)
        document = library.machine_book.model(machine.id)[1]
        library.machine_book.save_model(machine.id, {**document, "version": document["version"] - 1})
    assert drops == [pytest.approx(plan.targets.drop_c + 3.0), pytest.approx(plan.targets.drop_c)]


def test_a_bean_probe_that_is_told_to_be_moved_is_doubted_until_one_batch_has_shown_how_it_reads(qtbot, library):
    machine = library.save_machine(MACHINES["south"])
    names = [f"south-{number:03d}" for number in range(1, 5)]
    logged_days(library, names[:3])
    keep_lesson(library, task := task_of(library, machine), task.learn())
    window = make_window(library, Settings(learning="by the button"), Look(make_application()), keep=lambda settings: None)
    qtbot.addWidget(window, before_close_func=lambda w: w.desk.session.close())
    record = record_of(names[3])
    before, after = (record.mark(MarkKind.YELLOW).t - record.charge_t + by for by in (-60.0, 10.0))
    sure, _ = forecast_record(library, record, machine, before)
    care = window.view("Machines").care
    care.show_machine(machine)
    choose(care._kind, "moved")
    assert not care._read.isEnabled(), "nothing was read in water"
    care._on_check()
    assert "shows by how much" in care._said.text()
    assert chosen(care._kind) == "boiling"
    model, _ = model_of(library, machine)
    assert "the bean probe was moved" in muted(model)
    assert any("by colour, sound and time" in sentence for sentence in trust_words(model))
    doubted, later = (forecast_record(library, record, machine, at)[0] for at in (before, after))
    narrow, wide, told = (one.first_crack.high - one.first_crack.low for one in (sure, doubted, later))
    assert wide > 1.3 * narrow
    assert told < 0.8 * wide, "where yellow comes tells where first crack will: both moved by the same"
    more = replace(
        record, started=datetime.now(UTC) + timedelta(hours=1), trace=replace(record.trace, bean=record.trace.bean + 5.0)
    )
    library.add_record(more)
    lesson = (task := task_of(library, machine)).learn()
    (shift,) = lesson.moved
    assert (shift.label, lesson.refused) == (names[3], ())
    assert shift.by_c == pytest.approx(5.0, abs=2.0), "of one batch, of a lot that was never roasted before"
    keep_lesson(library, task, lesson)
    model, _ = model_of(library, library.machine("south"))
    assert model.probe_moved is None
    assert muted(model) == ""
    for places, beans in ((["bean", "air"], "bean"), (["Abluft", "Bohnen, vorn"], "Bohnen, vorn"), (["P1", "P2"], "P1")):
        assert [place for place in places if reads_beans(place, places)] == [beans]


def test_the_window_learns_by_itself_and_says_so_in_one_line(qtbot, library):
    library.save_machine(MACHINES["south"])
    logged_days(library, ["south-001", "south-002"])
    window = make_window(library, Settings(), Look(make_application()), keep=lambda settings: None)
    qtbot.addWidget(window, before_close_func=lambda w: w.desk.session.close())
    with qtbot.waitSignal(window._teaching.learned):
        window.after_record()
    assert "south learned from south-001 and south-002 (2 in all)" in window.desk.session.message
    assert window.desk._lookout._model == (None, None), "the next batch is foreseen with what was learned"


def test_an_answer_for_a_window_that_is_gone_reaches_nobody(qtbot):
    import gc

    from PyQt6.QtCore import QCoreApplication, QEvent, QObject

    from firnel.ui.shared.background import Background

    parent, heard = QObject(), []
    background = Background(parent, heard.append)
    background.run("job", lambda: 1, heard.append)
    background.run_long("long", lambda progress: progress(0.5), heard.append, heard.append)
    background.wait()
    parent.deleteLater()
    QCoreApplication.sendPostedEvents(parent, QEvent.Type.DeferredDelete.value)
    gc.collect()
    QCoreApplication.processEvents()
    assert heard == []


# Preheating, care, seasoning


def test_a_preheat_goes_up_down_and_up_again_until_the_steel_is_soaked():
    wanted = preheat_of(machine_of_kind("Drum Six", "gas-6"))
    assert (wanted.low_c, wanted.high_c, wanted.seconds) == (195.0, 220.0, 1200.0)  # common practice, no published source
    assert preheat_of(machine_of_kind("Small", "electric-1")).seconds < wanted.seconds
    t = np.arange(0.0, 2400.0, 5.0)
    swing = np.where(t < 600.0, 20.0 + t / 600.0 * 200.0, 207.5 + 13.0 * np.cos((t - 600.0) / 60.0))

    def going(until, bean=swing):
        return preheat_state(wanted, t[t <= until], bean[t <= until])

    assert going(300.0).going is Going.FIRST_UP
    assert going(620.0).going is Going.DOWN
    assert going(800.0).going is Going.UP
    assert going(800.0).left_s == pytest.approx(1200.0 - (800.0 - 525.0), abs=5.0)
    assert going(1800.0).going is Going.SOAKED
    cooled = np.where(t < 1500.0, swing, 150.0)
    assert going(1800.0, cooled).going is Going.FIRST_UP, "a drum that has cooled begins anew"


def test_the_cue_leads_through_the_preheat_of_the_days_first_batch(library, qtbot):
    now = [1000.0]
    desk = Desk(library, Settings(), lambda call: call(), clock=Clock(lambda: now[0]))
    machine = library.save_machine(replace(MACHINES["south"], preheat_low_c=190.0, preheat_high_c=210.0, preheat_s=300.0))
    desk.session.set_machine(machine)
    desk.prepare(BatchOrder(None, machine, None, 0.7))

    def read(bean):
        now[0] += 5.0
        desk.take_reading(Reading(now[0], bean, bean + 10.0))
        return cue_of(desk.session, Units(), 240.0).headline

    assert read(120.0) == "Preheat: up to 210 °C"
    for bean in (140.0, 160.0, 180.0, 198.0):
        read(bean)
    assert read(211.0) == "Preheat: heat low, down to 190 °C"
    for _ in range(62):
        headline = read(200.0)
    assert not headline.startswith("Preheat"), "five minutes between the two are enough"
    desk.session.close()


def test_care_has_intervals_of_the_machines_own_and_what_is_due_is_told_before_the_charge(library):
    machine = library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    now = datetime(2026, 11, 20, 9, tzinfo=UTC)
    assert due_words(library, machine, now) == "", "a house that notes nothing is not nagged"
    note_done(library, machine, "draft", now - timedelta(days=5))
    assert "draft" not in due_words(library, machine, now)
    machine = keep_interval(library, machine, "draft", 3.0)
    assert "check the draft with a little flame" in due_words(library, machine, now)
    assert library.machine("Drum Six").care == {"draft": 3.0}
    assert keep_interval(library, machine, "draft", None).care == {}
    with pytest.raises(ValueError, match="cannot be"):
        keep_interval(library, machine, "chaff", 0.0)


def test_seasoning_is_led_step_by_step_and_the_tumbling_lasts_five_minutes(qtbot, window, library):
    library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    window.show_station("Machines")
    care = window.view("Machines").care
    for _ in range(4):
        care._on_season()
    assert "Let it tumble" in care._season_title.text()
    assert not care._season_go.isEnabled(), "not before five minutes"
    care._tumbling -= 301.0
    care._show_season()
    assert care._season_go.isEnabled()
    care._on_season()
    assert "metal bin" in care._season_words.text()
    care._on_season()
    assert "1 of 5 loads" in care._season_title.text()


def test_a_machine_is_renamed_and_duplicated_without_its_link(qtbot, window, library):
    library.save_machine(replace(machine_of_kind("Drum Six", "gas-6"), device_url="modbus://10.0.0.5?map=gas-6"))
    library.save_machine(machine_of_kind("Other", "gas-6"))
    window.show_station("Machines")
    page = window.view("Machines").definition
    page._texts["name"].setText("Other")
    page._on_keep()
    assert "a name of its own" in page._said.text()
    page._texts["name"].setText("Old Drum")
    page._on_keep()
    assert {machine.name for machine in library.machines()} == {"Old Drum", "Other"}
    page._on_copy()
    assert library.machine("Old Drum 2").device_url == ""


def test_where_a_batch_was_roasted_no_empty_page_leads_to_the_beginning(qtbot, tmp_path, record):
    library = Library(tmp_path / "library.sqlite")
    library.add_record(record)
    window = make_window(library, Settings(), Look(make_application()), lambda settings: None)
    qtbot.addWidget(window)
    window.show()
    for name in ("Plan", "Day", "Bench"):  # the first is made before that is known
        window.show_station(name)
        assert all(page._empty.begin.isHidden() for page in window.view(name).findChildren(ListPage)), name
    assert window.view("Plan")._empty.begin.isHidden()
    assert not window.rail.begin.isVisible()
