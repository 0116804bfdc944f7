"""Screen and computer stay awake while beans are in the drum, and the batch's clock goes on where they do not."""

import os
import socket
import subprocess
import sys
import threading
import time
from contextlib import suppress

import pytest
from conftest import PATIENCE_S, wait_for
from jeepney import HeaderFields, MessageType, new_method_return
from jeepney.bus_messages import message_bus
from jeepney.io.blocking import open_dbus_connection

from firnel.devices.clock import Clock
from firnel.ui.shared import awake as awake_module
from firnel.ui.shared.awake import Awake

#: A process that holds until it is ended.
HOLDS = """
import sys
from PyQt6.QtCore import QCoreApplication
from firnel.ui.shared.awake import Awake
awake = Awake(QCoreApplication([]))
awake.hold(True)
sys.stdin.read()
"""


@pytest.fixture
def bus():
    daemon = subprocess.Popen(
        ["dbus-daemon", "--session", "--nofork", "--print-address=1"],
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
    )
    yield daemon.stdout.readline().strip()
    daemon.terminate()
    daemon.wait(30)
    daemon.stdout.close()


class Desktop(threading.Thread):
    """What answers on a desktop: who keeps the screen lit, and the log-in manager. Signatures as in their published interfaces.

    org.freedesktop.ScreenSaver: freedesktop.org, Idle Inhibition Service Draft; org.freedesktop.login1.Manager: systemd,
    Inhibitor Locks.
    """

    def __init__(self, address):
        super().__init__(daemon=True)
        self.heard, self.locks, self._connection = [], [], open_dbus_connection(bus=address, enable_fds=True)
        for name in ("org.freedesktop.ScreenSaver", "org.freedesktop.login1"):
            self._connection.send_and_get_reply(message_bus.RequestName(name))
        self.start()

    def run(self):
        while True:
            try:
                message = self._connection.receive()
            except (OSError, ConnectionResetError):
                return
            if message.header.message_type != MessageType.method_call:
                continue
            fields = message.header.fields
            name, signature = fields[HeaderFields.member], fields.get(HeaderFields.signature)
            self.heard.append((name, signature, message.body))
            if signature == "ssss":
                ours, theirs = os.pipe()
                self.locks.append(ours)
                self._connection.send(new_method_return(message, "h", (theirs,)))
                os.close(theirs)
            else:
                self._connection.send(new_method_return(message, *(("u", (4_000_000_007,)) if name == "Inhibit" else ())))

    def leave(self):
        with suppress(OSError):
            self._connection.sock.shutdown(socket.SHUT_RDWR)
        self.join(30)
        self._connection.close()
        for lock in self.locks:
            os.close(lock)

    def wait_for(self, count):
        wait_for(lambda: len(self.heard) >= count)
        return sorted(self.heard, key=lambda one: one[1])


@pytest.mark.parametrize("killed", [False, True])
def test_screen_and_sleep_are_held_and_let_go(bus, killed, qapp, monkeypatch):
    desktop, why = Desktop(bus), "Beans are in the drum"
    monkeypatch.setenv("DBUS_SESSION_BUS_ADDRESS", bus)
    monkeypatch.setenv("DBUS_SYSTEM_BUS_ADDRESS", bus)
    awake = Awake(qapp)
    if killed:
        holder = subprocess.Popen([sys.executable, "-c", HOLDS], stdin=subprocess.PIPE)
    else:
        awake.hold(True)
        awake.hold(True)
    assert desktop.wait_for(3) == [
        ("Inhibit", "ss", ("Firnel", why)),
        ("Inhibit", "ssss", ("sleep:idle", "Firnel", why, "block")),
        ("Inhibit", "ssss", ("handle-lid-switch", "Firnel", why, "block")),
    ]
    if killed:
        holder.kill()
        holder.communicate(timeout=PATIENCE_S)
    else:
        awake.hold(False)
    assert [os.read(lock, 1) for lock in desktop.locks] == [b"", b""], "both locks are given back"
    assert len(desktop.heard) == 3, "the screen goes with whoever asked: so the service's interface has it"
    desktop.leave()


def test_a_bus_that_never_answers_keeps_no_window_waiting(tmp_path, qapp, monkeypatch):
    mute = socket.socket(socket.AF_UNIX)
    mute.bind(str(tmp_path / "bus"))
    mute.listen()
    for name in ("DBUS_SESSION_BUS_ADDRESS", "DBUS_SYSTEM_BUS_ADDRESS"):
        monkeypatch.setenv(name, f"unix:path={tmp_path / 'bus'}")
    awake = Awake(qapp)
    awake.hold(True)
    holder = awake._holder
    mute.accept()[0].close()  # it has come so far that it waits; a window would wait with it
    awake.hold(False)
    assert holder.returncode is not None
    mute.close()


def test_a_batch_that_nobody_ended_keeps_no_computer_awake_for_good(qtbot, qapp, monkeypatch):
    awake = Awake(qapp, start=lambda why: None)
    awake.hold(True)
    assert awake._held
    monkeypatch.setattr(awake_module, "LONGEST_MS", 0)
    qtbot.waitUntil(lambda: awake.hold(True) or not awake._held)
    monkeypatch.undo()
    awake.hold(False)
    awake.hold(True)
    assert awake._held, "another batch"


def test_the_batchs_clock_goes_on_while_the_computer_sleeps(monkeypatch):
    """CLOCK_MONOTONIC stands still then, CLOCK_BOOTTIME does not: clock_gettime(2)."""
    at = {time.CLOCK_BOOTTIME: 100.0}
    monkeypatch.setattr(time, "clock_gettime", at.__getitem__)
    clock = Clock()
    before = clock.now()
    at[time.CLOCK_BOOTTIME] += 90.0
    assert clock.now() - before == 90.0
