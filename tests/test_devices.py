import os
import pty
import time

import numpy as np
import pytest
from conftest import wait_for
from made import reading

from firnel.core.vocabulary import Control, ControlScale, Machine, Quality, Role
from firnel.devices.address import AddressError, open_source
from firnel.devices.clock import Clock
from firnel.devices.hand import HandSource
from firnel.devices.reading import LinkState, QualityWatch
from firnel.devices.register_map import Register, RegisterMapError, read_register_map, shipped_maps
from firnel.devices.serial_line import SerialSource
from firnel.devices.simulator.kinds import KINDS
from firnel.devices.simulator.physics import DrumRoaster, GreenLoad
from firnel.devices.simulator.plant import Fault, Knob, Plant
from firnel.devices.simulator.server import SimulatorServer
from firnel.work.link import Link


class Listener:
    """Keeps what a driver calls back with."""

    def __init__(self):
        self.readings, self.states = [], []

    def listen(self, source):
        source.start(self.readings.append, self.states.append)

    @property
    def state(self):
        return self.states[-1].state if self.states else None


@pytest.fixture
def server():
    plant = Plant(DrumRoaster(KINDS["gas-6"], np.random.default_rng(4), steel_c=205.0), speed=10.0)
    served = SimulatorServer(plant)
    served.start()
    yield served
    served.stop()


@pytest.fixture
def machine(server):
    clock = Clock()
    source = open_source(f"modbus://127.0.0.1:{server.port}?map=gas-6", clock)
    listener = Listener()
    listener.listen(source)
    listener.clock, listener.plant = clock, server.plant
    wait_for(lambda: len(listener.readings) > 3)
    yield listener
    source.stop()


# Modbus, over a real connection


def test_readings_come_with_their_controls_and_the_machines_own_speed(machine):
    machine.plant.write(Knob.GAS, 240)
    machine.plant.write(Knob.AIRFLOW, 5000)
    count = len(machine.readings)
    wait_for(lambda: len(machine.readings) > count + 2)
    last = machine.readings[-1]
    assert (last.controls, last.quality) == ({"gas": 2.4, "airflow": 50.0, "drum": last.controls["drum"]}, Quality.GOOD)
    assert 150 < last.bean < 230
    assert machine.clock.rate == 10.0
    times = [reading.time for reading in machine.readings]
    assert times == sorted(times)


@pytest.mark.parametrize(
    ("unit", "gas", "words"), [("mbar", 24.0, ""), ("kPa", 2.4, ""), ("%", 2.4, "is read in kPa, and Drum has it in %")]
)
def test_settings_come_on_the_scales_of_the_machine_or_it_is_told_that_they_do_not(server, unit, gas, words):
    taken, states = [], []
    link = Link(Clock(), lambda call: call(), taken.append, states.append)
    scales = {Control.GAS: ControlScale(unit, 0.0, 40.0, 1.0), Control.AIRFLOW: ControlScale("Pa", 0.0, 100.0, 5.0)}
    said = link.open(f"modbus://127.0.0.1:{server.port}?map=gas-6", Machine("Drum", "own", controls=scales))
    assert words in said
    assert bool(said) is bool(words)
    server.plant.write(Knob.GAS, 240)
    link.start()
    wait_for(lambda: taken and taken[-1].controls.get("gas") == pytest.approx(gas))
    assert taken[-1].controls["drum"] > 10.0, "what the machine has no scale for comes as it is read"
    scales[Control.GAS] = ControlScale("inH2O", 0.0, 16.0, 0.1)
    assert link.fit(Machine("Drum", "own", controls=scales)) == "", "a scale that is put right holds at once"
    wait_for(lambda: taken[-1].controls.get("gas") == pytest.approx(2.4 / 0.249089, abs=0.01))  # NIST SP 811, B.8
    link.close()


def test_a_pulled_cable_is_told_and_the_driver_comes_back_by_itself(machine):
    machine.plant.write(Knob.FAULT, Fault.CABLE)
    wait_for(lambda: machine.state in (LinkState.LOST, LinkState.CONNECTING))
    assert any("Firnel tries again" in status.sentence for status in machine.states)
    wait_for(lambda: any("othing answers" in status.sentence for status in machine.states))
    machine.plant.write(Knob.FAULT, Fault.NONE)
    count = len(machine.readings)
    wait_for(lambda: len(machine.readings) > count)
    assert machine.state is LinkState.LIVE


def test_a_silent_machine_is_told(machine):
    machine.plant.write(Knob.FAULT, Fault.SILENCE)
    wait_for(lambda: machine.state in (LinkState.LOST, LinkState.CONNECTING))
    machine.plant.write(Knob.FAULT, Fault.NONE)
    wait_for(lambda: machine.state is LinkState.LIVE)


def test_exceptions_from_the_machine_are_told_as_such(machine):
    machine.plant.write(Knob.FAULT, Fault.EXCEPTION)
    wait_for(lambda: machine.state is LinkState.SILENT)
    assert "exception 4" in machine.states[-1].sentence  # 04, server device failure: Modbus Application Protocol V1.1b3, 7
    machine.plant.write(Knob.FAULT, Fault.NONE)
    wait_for(lambda: machine.state is LinkState.LIVE)


def test_a_frozen_probe_is_marked(machine):
    machine.plant.write(Knob.FAULT, Fault.FROZEN)
    wait_for(lambda: machine.readings[-1].quality & Quality.FROZEN)


def test_a_port_that_nobody_listens_on_is_told_and_a_stop_does_not_wait_for_the_next_try(monkeypatch):
    monkeypatch.setattr("firnel.devices.source.PAUSES", (1e6,))
    listener, source = Listener(), open_source("modbus://127.0.0.1:9?map=gas-6", Clock())
    listener.listen(source)
    wait_for(lambda: listener.state is LinkState.LOST)
    assert "Nothing answers at 127.0.0.1:9" in listener.states[-1].sentence
    source.stop()


def test_a_taken_port_is_told_to_who_starts_a_simulator(server):
    with pytest.raises(OSError, match="in use"):
        SimulatorServer(server.plant, server.port)


# Serial, over a pseudo-terminal


def test_a_thermometer_on_a_serial_line_is_read_line_by_line():
    master, slave = pty.openpty()
    source, listener = open_source(f"serial://{os.ttyname(slave)}?baud=9600", Clock()), Listener()
    listener.listen(source)
    wait_for(lambda: listener.states)
    os.write(master, b"hello\r\n")
    wait_for(lambda: listener.state is LinkState.SILENT)
    assert "'hello'" in listener.states[-1].sentence
    for chunk in (b"201.5, 2", b"25.0\r\n", b"200,9\t224,1\r\n"):  # a line in two pieces; decimal commas
        os.write(master, chunk)
        time.sleep(0.05)
    wait_for(lambda: len(listener.readings) == 2)
    assert [(reading.bean, reading.air) for reading in listener.readings] == [(201.5, 225.0), (200.9, 224.1)]
    assert listener.state is LinkState.LIVE
    os.close(master)
    wait_for(lambda: listener.state is LinkState.LOST)
    source.stop()
    os.close(slave)


def test_a_pattern_of_ones_own_and_fahrenheit():
    source = SerialSource("/dev/null", Clock(), pattern=r"BT=(?P<bean>\d+\.\d)", fahrenheit=True)
    assert source.parse("t=12 BT=392.0 ok").bean == pytest.approx(200.0)
    assert source.parse("nothing here") is None
    for wrong, words in (("(", "no regular expression"), (r"(\d+)", "a group called bean")):
        with pytest.raises(ValueError, match=words):
            SerialSource("/dev/null", Clock(), pattern=wrong)


# By hand


def test_a_hand_reading_is_stamped_at_its_first_key():
    now = [100.0]
    hand, listener = HandSource(Clock(lambda: now[0])), Listener()
    listener.listen(hand)
    start = hand.begin()
    now[0] += 7.0
    hand.begin()
    hand.enter(153.2)
    assert listener.readings == [reading(start, 153.2, quality=Quality.HAND)]
    with pytest.raises(ValueError, match="between 0 and 400"):
        hand.enter(1532)


# Clock, quality, addresses, register maps


def test_a_clock_changes_its_pace_without_a_jump():
    now = [0.0]
    clock = Clock(lambda: now[0])
    now[0] = 5.0
    clock.set_rate(20.0)
    assert clock.now() == pytest.approx(5.0)
    now[0] = 6.0
    assert clock.now() == pytest.approx(25.0)
    with pytest.raises(ValueError, match="0 times"):
        clock.set_rate(0.0)


@pytest.mark.parametrize(
    ("beans", "quality"),
    [
        ([200.0, 200.5, 201.0, 340.0], Quality.SPIKE),
        ([200.0, 5000.0], Quality.OUT_OF_RANGE),
        ([200.0] * 30, Quality.FROZEN),
        ([200.0 + i for i in range(30)], Quality.GOOD),
    ],
)
def test_readings_that_cannot_be_are_marked(beans, quality):
    watch = QualityWatch()
    judged = [watch.judge(reading(float(t), bean)) for t, bean in enumerate(beans)]
    assert judged[-1].quality == quality
    assert (judged[-1].bean is None) == (quality == Quality.OUT_OF_RANGE)


@pytest.mark.parametrize(
    "url", ["", "http://x", "modbus://", "modbus://h?map=none", "serial:", "serial:///dev/x?baud=fast", "modbus://h:99999"]
)
def test_addresses_that_lead_nowhere_are_told(url):
    with pytest.raises(AddressError, match="leads nowhere|does not work"):
        open_source(url, Clock())


@pytest.mark.parametrize(
    ("words", "kind", "order", "value"),
    [
        # IEEE 754 binary32 of 200.5 is 0x43488000; two's complement of -40 in 16 bits is 0xFFD8.
        ([0x4348, 0x8000], "float32", "big", 200.5),
        ([0x8000, 0x4348], "float32", "little", 200.5),
        ([0xFFD8], "int16", "big", -40.0),
        ([0x0001, 0x0000], "uint32", "big", 65536.0),
    ],
)
def test_registers_are_decoded_as_the_standards_say(words, kind, order, value):
    assert Register("input", 0, kind).decode(words, order) == value


def test_the_shipped_maps_hold_together():
    assert set(shipped_maps()) == set(KINDS)
    for name, found in shipped_maps().items():
        machine = Machine("", name, controls=found.controls)
        assert all(machine.of(role) for role in Role)
        for scale in found.controls.values():
            assert scale.low < scale.high
            assert scale.nearest(scale.high + 9) == scale.high
            assert scale.reported
        assert KINDS[name].load_kg <= found.stated_load_kg


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("title = ", "cannot be read"),
        ('title = "x"\nstated_load_kg = 5\n[readings.colour]\ntable="input"\naddress=1', "neither a probe nor"),
        ('title = "x"\nstated_load_kg = 5\n[readings.bean]\ntable="coil"\naddress=1', "needs a table"),
        ('[readings.bean]\ntable="input"\naddress=1', "title"),
    ],
)
def test_a_wrong_map_names_its_file_and_the_entry(tmp_path, text, words):
    path = tmp_path / "mine.toml"
    path.write_text(text)
    with pytest.raises(RegisterMapError, match=words) as caught:
        read_register_map(path)
    assert "mine.toml" in str(caught.value)


def test_a_machine_that_sends_fahrenheit_is_read_in_celsius(tmp_path):
    path = tmp_path / "mine.toml"
    path.write_text('title = "x"\nstated_load_kg = 5\n[readings.bean]\ntable="input"\naddress=1\nunit="°F"')
    assert read_register_map(path).celsius("bean", 392.0) == pytest.approx(200.0)


def test_the_panels_doors_and_knobs_move_the_plant():
    now = [0.0]
    plant = Plant(DrumRoaster(KINDS["gas-6"], np.random.default_rng(1), steel_c=205.0), 1.0, source=lambda: now[0])
    plant.write(Knob.CHARGE_DOOR, 4500)
    plant.write(Knob.CHARGE_DOOR, 4500)  # a second load is not taken
    assert plant.roaster.beans.load == GreenLoad(4.5)
    now[0] = 30.0
    assert plant.input_registers()[5] == 1
    plant.write(Knob.DROP_DOOR, 1)
    registers = plant.input_registers()
    assert registers[5] == 0
    assert registers[10] == pytest.approx(4500, abs=15)
    with pytest.raises(ValueError, match="60 times"):
        Plant(plant.roaster, 61.0)
