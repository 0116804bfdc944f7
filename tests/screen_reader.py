"""A reader of the screen for the tests: it asks the running Firnel over the accessibility bus, and works it by that alone."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from jeepney import DBusAddress, DBusErrorResponse, new_method_call
from jeepney.io.blocking import DBusConnection, open_dbus_connection

LAUNCHER = "/usr/libexec/at-spi-bus-launcher"
ROOT, ACCESSIBLE = "/org/a11y/atspi/accessible/root", "org.a11y.atspi.Accessible"
#: Bits of the state of a thing, as AT-SPI numbers them (its StateType).
ENABLED, FOCUSABLE, FOCUSED, SHOWING = 8, 11, 12, 25


@dataclass(frozen=True)
class Thing:
    """Something on the screen, as it is told."""

    at: tuple[str, str]
    role: str
    state: int

    def has(self, bit: int) -> bool:
        return bool(self.state >> bit & 1)


class Reader:
    """Reads one application."""

    def __init__(self, bus: DBusConnection) -> None:
        self._bus = bus
        self._root: tuple[str, str] | None = None

    def ask(self, at: tuple[str, str], interface: str, method: str, signature: str | None = None, body: tuple = ()) -> Any:
        """The first of what a method answers."""
        message = new_method_call(DBusAddress(at[1], at[0], interface), method, signature, body)
        answer = self._bus.send_and_get_reply(message, timeout=20)
        if answer.header.message_type.name == "error":
            raise DBusErrorResponse(answer)
        return answer.body[0] if answer.body else None

    def told(self, thing: Thing, what: str) -> str:
        """Its Name or Description."""
        return self.ask(thing.at, "org.freedesktop.DBus.Properties", "Get", "ss", (ACCESSIBLE, what))[1]

    def wait_for_application(self, seconds: float = 60.0) -> None:
        """Until it has said that it is there."""
        for _ in range(int(seconds / 0.2)):
            found = self.ask(("org.a11y.atspi.Registry", ROOT), ACCESSIBLE, "GetChildren")
            if found and self.ask(found[0], ACCESSIBLE, "GetChildren"):
                self._root = found[0]
                return
            time.sleep(0.2)
        raise TimeoutError("Firnel is not on the accessibility bus.")

    def things(self, at: tuple[str, str] | None = None) -> Iterator[Thing]:
        """All that is shown, containers before what is in them; the cells of a list are left out."""
        at = at or self._root
        low, high = self.ask(at, ACCESSIBLE, "GetState")
        thing = Thing(at, self.ask(at, ACCESSIBLE, "GetRoleName"), low | high << 32)
        if not thing.has(SHOWING) and thing.role not in ("application", "frame"):
            return
        yield thing
        if thing.role not in ("table", "list"):
            for child in self.ask(at, ACCESSIBLE, "GetChildren"):
                yield from self.things(tuple(child))

    def press(self, name: str) -> None:
        """Press what is shown under that name; the newest where several are."""
        found = [thing for thing in self.things() if thing.has(FOCUSABLE) and self.told(thing, "Name") == name]
        actions = [words[0] for words in self.ask(found[-1].at, "org.a11y.atspi.Action", "GetActions")]
        self.ask(found[-1].at, "org.a11y.atspi.Action", "DoAction", "i", (actions.index("Press"),))
        time.sleep(0.6)


@contextmanager
def reading(library: Path, folder: Path) -> Iterator[Reader]:
    """A window on a library, on a screen and on buses of its own, and who reads it."""
    with ExitStack() as ends:

        def start(*words: str, **more: Any) -> subprocess.Popen:
            process = subprocess.Popen(words, env=env, **more)
            if process.stdout is not None:
                ends.callback(process.stdout.close)
            ends.callback(process.wait, 30)
            ends.callback(process.terminate)
            return process

        env = {**os.environ, "XDG_RUNTIME_DIR": str(folder), "QT_QPA_PLATFORM": "xcb", "QT_LINUX_ACCESSIBILITY_ALWAYS_ON": "1"}
        quiet: dict[str, Any] = {"stdout": subprocess.PIPE, "stderr": subprocess.DEVNULL, "text": True}
        screen = start("Xvfb", "-displayfd", "1", "-screen", "0", "1280x800x24", "-nolisten", "tcp", **quiet)
        env["DISPLAY"] = f":{screen.stdout.readline().strip()}"
        session = start("dbus-daemon", "--session", "--nofork", "--print-address=1", **quiet)
        env["DBUS_SESSION_BUS_ADDRESS"] = session.stdout.readline().strip()
        start(LAUNCHER, "--launch-immediately", "--a11y=1", "--screen-reader=1", stderr=subprocess.DEVNULL)
        with open_dbus_connection(bus=env["DBUS_SESSION_BUS_ADDRESS"]) as bus:
            for _ in range(100):
                try:
                    address = Reader(bus).ask(("org.a11y.Bus", "/org/a11y/bus"), "org.a11y.Bus", "GetAddress")
                    break
                except DBusErrorResponse:
                    time.sleep(0.1)
        start(sys.executable, "-m", "firnel", "--library", str(library), stderr=subprocess.DEVNULL)
        with open_dbus_connection(bus=address) as bus:
            reader = Reader(bus)
            reader.wait_for_application()
            yield reader
