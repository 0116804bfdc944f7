"""Machines, thermometers and scales at their worst: the link's state is told truly, and it comes back by itself."""

from __future__ import annotations

import contextlib
import os
import pty
import socket
import struct
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from attacks.files import Found
from firnel.core.vocabulary import Control
from firnel.devices.address import AddressError, open_source
from firnel.devices.clock import Clock
from firnel.devices.reading import LinkState, LinkStatus, Reading
from firnel.devices.scale import ScaleError, read_weight
from firnel.devices.source import ThreadedSource

#: So long a fault lasts, and so long a link may take to come back. [s]
FAULT_S, BACK_S = 1.2, 14.0


@dataclass
class Answer:
    """What a machine sends for one request: raw bytes, None for silence; and whether it hangs up then."""

    raw: bytes | None
    close: bool = False


def _frame(head: bytes, pdu: bytes, length: int | None = None) -> bytes:
    return head[:2] + b"\0\0" + struct.pack(">H", len(pdu) + 1 if length is None else length) + head[6:7] + pdu


def _registers(head: bytes, pdu: bytes, words: Callable[[int], int]) -> bytes:
    address, count = struct.unpack(">HH", pdu[1:5])
    body = b"".join(struct.pack(">H", words(address + offset) & 0xFFFF) for offset in range(count))
    return _frame(head, bytes([pdu[0], 2 * count]) + body)


def _good(head: bytes, pdu: bytes) -> bytes:
    table = {0: 2015, 1: 2250, 2: 240, 3: 500, 4: 580, 6: 10}
    return _registers(head, pdu, lambda address: table.get(address, 0) + (int(time.monotonic() * 7) % 5 if address < 2 else 0))


def _speed(value: int) -> Callable[[bytes, bytes], Answer]:
    return lambda head, pdu: Answer(_registers(head, pdu, lambda a: value if a == 6 else 2000 if a < 2 else 100))


MODBUS: dict[str, Callable[[bytes, bytes], Answer]] = {
    "empty reply": lambda head, pdu: Answer(_frame(head, b"")),
    "no registers": lambda head, pdu: Answer(_frame(head, bytes([pdu[0], 0]))),
    "one register of many": lambda head, pdu: Answer(_frame(head, bytes([pdu[0], 2]) + b"\x07\xd0")),
    "odd bytes": lambda head, pdu: Answer(_frame(head, bytes([pdu[0], 3]) + b"\1\2\3")),
    "count that is not kept": lambda head, pdu: Answer(_frame(head, bytes([pdu[0], 200]) + b"\1\2")),
    "another function": lambda head, pdu: Answer(_frame(head, b"\x06\0\1\0\1")),
    "unknown function": lambda head, pdu: Answer(_frame(head, b"\x77\1\2\3")),
    "another transaction": lambda head, pdu: Answer(_good(b"\xee\xee" + head[2:], pdu)),
    "another unit": lambda head, pdu: Answer(_good(head[:6] + b"\x09", pdu)),
    "garbage": lambda head, pdu: Answer(os.urandom(40)),
    "a web page": lambda head, pdu: Answer(b"HTTP/1.1 200 OK\r\n\r\n<html>"),
    "half a frame": lambda head, pdu: Answer(_good(head, pdu)[:9]),
    "a length of 65535": lambda head, pdu: Answer(_frame(head, bytes([pdu[0], 4]) + b"\1\2\3\4", 65535)),
    "a length of 0": lambda head, pdu: Answer(_frame(head, bytes([pdu[0], 4]) + b"\1\2\3\4", 0)),
    "silence": lambda head, pdu: Answer(None),
    "hangs up": lambda head, pdu: Answer(None, close=True),
    "hangs up in mid-frame": lambda head, pdu: Answer(_good(head, pdu)[:5], close=True),
    "exception 2": lambda head, pdu: Answer(_frame(head, bytes([pdu[0] | 0x80, 2]))),
    "exception 0": lambda head, pdu: Answer(_frame(head, bytes([pdu[0] | 0x80, 0]))),
    "speed 65535": _speed(65535),
    "speed 0": _speed(0),
    "all ones": lambda head, pdu: Answer(_registers(head, pdu, lambda _: 0xFFFF)),
    "everything twice": lambda head, pdu: Answer(2 * _good(head, pdu)),
}


class FakeMachine:
    """A Modbus TCP device on loopback that answers as it is told."""

    def __init__(self) -> None:
        self.answer: Callable[[bytes, bytes], Answer] = lambda head, pdu: Answer(_good(head, pdu))
        self._socket = socket.create_server(("127.0.0.1", 0))
        self._socket.settimeout(0.2)
        self.port = self._socket.getsockname()[1]
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._serve, name="fake", daemon=True)
        self._thread.start()

    def _serve(self) -> None:
        while not self._stop.is_set():
            with contextlib.suppress(TimeoutError, OSError):
                client, _ = self._socket.accept()
                with client:
                    self._talk(client)

    def _talk(self, client: socket.socket) -> None:
        client.settimeout(0.2)
        while not self._stop.is_set():
            try:
                head = client.recv(7, socket.MSG_WAITALL)
                if len(head) < 7:
                    return
                pdu = client.recv(struct.unpack(">H", head[4:6])[0] - 1, socket.MSG_WAITALL)
            except TimeoutError:
                continue
            made = self.answer(head, pdu)
            if made.raw:
                client.sendall(made.raw)
            if made.close:
                return

    def close(self) -> None:
        """End."""
        self._stop.set()
        self._thread.join()
        self._socket.close()


SERIAL: dict[str, bytes] = {
    "garbage": bytes(range(128, 256)) * 4 + b"\r\n",
    "no end of line": b"201.5 ",
    "words": b"hello there\r\n",
    "nan": b"nan,nan\r\n",
    "inf": b"1e999,-1e999\r\n",
    "empty lines": b"\r\n\r\n\n\n",
    "a long line": b"x" * 5000 + b"\r\n",
    "bytes of zero": b"\0" * 200 + b"\n",
    "too many": b"201.5,225.0\r\n" * 400,
    "impossible": b"99999,-99999\r\n",
}


@dataclass
class Heard:
    """What a driver told."""

    readings: list[Reading]
    states: list[LinkStatus]

    @property
    def state(self) -> LinkState | None:
        """How the link stands."""
        return self.states[-1].state if self.states else None


def _listen(source: ThreadedSource) -> Heard:
    heard = Heard([], [])
    source.start(heard.readings.append, heard.states.append)
    return heard


def _until(condition: Callable[[], bool], seconds: float) -> bool:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if condition():
            return True
        time.sleep(0.02)
    return condition()


def _one_machine(name: str, found: Found) -> None:
    machine, clock = FakeMachine(), Clock()
    source = open_source(f"modbus://127.0.0.1:{machine.port}?map=gas-6", clock)
    heard = _listen(source)  # type: ignore[arg-type]
    try:
        if not _until(lambda: len(heard.readings) > 1, BACK_S):
            found.fail(f"machine, {name}: it never was live")
            return
        machine.answer = MODBUS[name]
        time.sleep(FAULT_S + (2.0 if "silence" in name else 0.0))
        _judge(f"machine, {name}", heard, clock, found)
        if not source._thread.is_alive():  # type: ignore[attr-defined]
            found.fail(f"machine, {name}: its thread died")
        machine.answer = lambda head, pdu: Answer(_good(head, pdu))
        count = len(heard.readings)
        if not _until(lambda: len(heard.readings) > count + 2 and heard.state is LinkState.LIVE, BACK_S):
            found.fail(f"machine, {name}: it did not come back ({heard.states[-1].sentence})")
        found.counts["machines"] += 1
    finally:
        source.stop()
        machine.close()


def _judge(name: str, heard: Heard, clock: Clock, found: Found) -> None:
    """What was told must be so: live only while readings come, each with figures that can be, and a clock that is sane."""
    if not 0.1 <= clock.rate <= 60.0:
        found.fail(f"{name}: the clock runs at {clock.rate}")
    for reading in heard.readings:
        for value, low, high in (
            (reading.bean, -30.0, 700.0),
            (reading.air, -30.0, 700.0),
            (reading.controls.get(Control.GAS), -10.0, 1000.0),
        ):
            if value is not None and not low <= value <= high:
                found.fail(f"{name}: a reading of {value}")
                return
    late = clock.now() - heard.readings[-1].time if heard.readings else 0.0
    if heard.state is LinkState.LIVE and late > 3.0 * max(clock.rate, 1.0):
        found.fail(f"{name}: said to be live, the last reading is {late:.1f} s old")
    for status in heard.states:
        if not status.sentence or "\n" in status.sentence or "Traceback" in status.sentence:
            found.fail(f"{name}: no sentence: {status.sentence[:80]!r}")


def _one_thermometer(name: str, found: Found) -> None:
    master, slave = pty.openpty()
    clock = Clock()
    source = open_source(f"serial://{os.ttyname(slave)}?baud=9600", clock)
    heard = _listen(source)  # type: ignore[arg-type]
    try:
        end = time.monotonic() + FAULT_S
        os.set_blocking(master, False)
        while time.monotonic() < end:
            with contextlib.suppress(BlockingIOError):
                os.write(master, SERIAL[name])
            time.sleep(0.05)
        _judge(f"thermometer, {name}", heard, clock, found)
        if len(heard.readings) > 100 * (FAULT_S + 1):
            found.fail(f"thermometer, {name}: {len(heard.readings)} readings were handed up")
        if not source._thread.is_alive():  # type: ignore[attr-defined]
            found.fail(f"thermometer, {name}: its thread died")
        count = len(heard.readings)
        if not _until(lambda: _write_good(master) and len(heard.readings) > count + 2, BACK_S):
            found.fail(f"thermometer, {name}: it did not come back ({heard.states[-1].sentence})")
        found.counts["thermometers"] += 1
    finally:
        source.stop()
        os.close(master)
        os.close(slave)


def _write_good(master: int) -> bool:
    with contextlib.suppress(BlockingIOError):
        os.write(master, b"\r\n201.5,225.0\r\n")
    time.sleep(0.05)
    return True


def _addresses(found: Found) -> None:
    for url in (
        "serial:///dev/null?baud=-1", "serial:///dev/x?baud=99999999999", "modbus://h:0?map=gas-6&unit=-3", "modbus://h:99999",
        "modbus://[::1?map=gas-6", "serial:///dev/x?pattern=(", "serial:///dev/x?pattern=(?P<air>x)", "modbus://h?unit=one",
    ):  # fmt: skip
        try:
            open_source(url, Clock())
        except AddressError:
            found.counts["addresses refused"] += 1
        except Exception as error:
            found.fail(f"address {url}: {type(error).__name__}: {error}")
        else:
            if "0?map" not in url:
                found.fail(f"address {url} was taken")


def _own_patterns(found: Found) -> None:
    from firnel.devices.serial_line import SerialSource

    for pattern in (r"(?P<bean>[a-z]+)", r"(?P<bean>)", r"(?P<bean>\S+)", r"(?P<bean>-+)"):
        source = SerialSource("/dev/null", Clock(), pattern=pattern)
        for line in ("hello", "", "--", "12,5,9", "١٢", "1e999"):
            try:
                source.parse(line)
            except Exception as error:
                found.fail(f"pattern {pattern} on {line!r}: {type(error).__name__}")
        found.counts["patterns"] += 1


def _scales(found: Found) -> None:
    for what, text in (
        ("no newline", b"  4.350 kg"),
        ("flood", b"4.35 kg\r\n" * 50),
        ("garbage", os.urandom(64)),
        ("words", b"ERR\r\n"),
    ):
        master, slave = pty.openpty()
        os.set_blocking(master, False)
        stop = threading.Event()

        def send(master: int = master, text: bytes = text, stop: threading.Event = stop) -> None:
            while not stop.wait(0.02):
                with contextlib.suppress(BlockingIOError):
                    os.write(master, text)

        thread = threading.Thread(target=send, daemon=True)
        thread.start()
        begun = time.monotonic()
        try:
            read_weight(os.ttyname(slave), patience_s=2.0)
        except ScaleError:
            pass
        except Exception as error:
            found.fail(f"scale, {what}: {type(error).__name__}: {error}")
        if time.monotonic() - begun > 5.0:
            found.fail(f"scale, {what}: it took {time.monotonic() - begun:.0f} s")
        stop.set()
        thread.join()
        os.close(master)
        os.close(slave)
        found.counts["scales"] += 1


def _handles() -> int:
    return len(os.listdir("/proc/self/fd"))


def attack_devices(_folder: Path, short: bool) -> Found:
    """Every fault once, several at a time; threads and handles are where they were afterwards."""
    from concurrent.futures import ThreadPoolExecutor

    found = Found()
    machines, lines = list(MODBUS), list(SERIAL)
    if short:
        machines, lines = machines[::4], lines[::3]
    _one_machine(machines[0], Found())  # what is loaded at the first use is not a leak
    threads, handles = threading.active_count(), _handles()
    _addresses(found)
    _own_patterns(found)
    with ThreadPoolExecutor(8) as pool:
        list(pool.map(lambda name: _one_machine(name, found), machines))
        list(pool.map(lambda name: _one_thermometer(name, found), lines))
    if not short:
        _scales(found)
    if not _until(lambda: threading.active_count() <= threads and _handles() <= handles, 5.0):
        found.fail(f"threads {threads} -> {threading.active_count()}, handles {handles} -> {_handles()}")
    return found
