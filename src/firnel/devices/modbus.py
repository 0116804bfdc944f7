"""A machine read over Modbus TCP: its own thread, reconnecting by itself. It only ever reads."""

from __future__ import annotations

import logging
import threading
from dataclasses import dataclass
from typing import TYPE_CHECKING

from firnel.core.vocabulary import Quality
from firnel.devices.clock import Clock
from firnel.devices.reading import LinkState, LinkStatus, OnReading, OnStatus, QualityWatch, Reading
from firnel.devices.register_map import Register, RegisterMap

if TYPE_CHECKING:
    from pymodbus.client import ModbusTcpClient

#: Pauses between attempts to connect; the last one is kept. [s]
PAUSES = (0.5, 1.0, 2.0, 4.0, 8.0)
#: The shortest pause between two questions, however fast the machine's clock runs. [s]
LEAST_POLL = 0.02


class MachineAnswerError(Exception):
    """The machine is there but answers with an exception."""


@dataclass(frozen=True)
class _Block:
    """Neighbouring registers of one table, asked for in one request."""

    table: str
    address: int
    count: int


class ModbusSource:
    """Polls the registers of a map and hands up readings stamped at their arrival.

    Parameters
    ----------
    host, port : of the machine.
    register_map : what lies where.
    clock : stamps the readings; takes the machine's speed where the map tells it.
    unit_id : Modbus unit.
    timeout : patience with one answer. [s]
    """

    def __init__(
        self, host: str, port: int, register_map: RegisterMap, clock: Clock, unit_id: int = 1, timeout: float = 1.5
    ) -> None:
        self.title = f"{register_map.title} at {host}:{port}"
        self._host, self._port, self._map, self._clock = host, port, register_map, clock
        self._unit_id, self._timeout = unit_id, timeout
        self._blocks = _blocks([*register_map.registers.values(), *filter(None, [register_map.clock_speed])])
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None
        self._watch = QualityWatch()

    def start(self, on_reading: OnReading, on_status: OnStatus) -> None:
        """Begin to read in a thread of its own."""
        self._stop.clear()
        self._thread = threading.Thread(target=self._run, args=(on_reading, on_status), name="modbus", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """End; returns when the thread is gone."""
        self._stop.set()
        if self._thread is not None:
            self._thread.join()
            self._thread = None

    def _run(self, on_reading: OnReading, on_status: OnStatus) -> None:
        from pymodbus.client import ModbusTcpClient

        # The library logs whole packets at each time-out; what matters is told by on_status.
        logging.getLogger("pymodbus").setLevel(logging.CRITICAL)
        failures = 0
        while not self._stop.is_set():
            on_status(LinkStatus(LinkState.CONNECTING, f"Connecting to {self.title}."))
            client = ModbusTcpClient(self._host, port=self._port, timeout=self._timeout, retries=0, reconnect_delay=0)
            try:
                if client.connect():
                    failures = 0
                    self._poll(client, on_reading, on_status)
                else:
                    what = "Nobody listens" if failures == 0 else "Still nobody listens"
                    on_status(
                        LinkStatus(LinkState.LOST, f"{what} at {self._host}:{self._port}. Is the machine on and the cable in?")
                    )
            finally:
                client.close()
            pause = PAUSES[min(failures, len(PAUSES) - 1)]
            failures += 1
            self._stop.wait(pause)

    def _poll(self, client: ModbusTcpClient, on_reading: OnReading, on_status: OnStatus) -> None:
        """Ask until told to stop or until the link breaks."""
        from pymodbus.exceptions import ModbusException

        live = False
        while not self._stop.is_set():
            try:
                reading = self._ask(client)
            except MachineAnswerError as error:
                live = False
                on_status(LinkStatus(LinkState.SILENT, f"{self.title} answers, but not with readings: {error}."))
                self._stop.wait(1.0)
                continue
            except (ModbusException, OSError):
                on_status(LinkStatus(LinkState.LOST, f"The link to {self.title} broke. Firnel tries again; the batch goes on."))
                return
            if not live:
                live = True
                on_status(LinkStatus(LinkState.LIVE, f"Reading {self.title}."))
            on_reading(reading)
            self._stop.wait(max(self._map.poll_s / self._clock.rate, LEAST_POLL))

    def _ask(self, client: ModbusTcpClient) -> Reading:
        words: dict[tuple[str, int], int] = {}
        for block in self._blocks:
            read = client.read_input_registers if block.table == "input" else client.read_holding_registers
            answer = read(block.address, count=block.count, device_id=self._unit_id)
            if answer.isError():
                code = getattr(answer, "exception_code", None)
                raise MachineAnswerError(f"Modbus exception {code} for {block.table} registers from {block.address}")
            for offset, word in enumerate(answer.registers):
                words[block.table, block.address + offset] = word
        if self._map.clock_speed is not None:
            speed = self._decode(words, self._map.clock_speed)
            if speed > 0 and speed != self._clock.rate:
                self._clock.set_rate(speed)
        values = {field: self._decode(words, register) for field, register in self._map.registers.items()}
        for probe in ("bean", "air"):
            if probe in values:
                values[probe] = self._map.celsius(probe, values[probe])
        return self._watch.judge(Reading(time=self._clock.now(), quality=Quality.GOOD, **values))

    def _decode(self, words: dict[tuple[str, int], int], register: Register) -> float:
        raw = [words[register.table, register.address + offset] for offset in range(register.width)]
        return round(register.decode(raw, self._map.word_order), 6)


def _blocks(registers: list[Register], bridge: int = 8) -> list[_Block]:
    """Few requests that cover all registers: neighbours up to ``bridge`` apart are read together."""
    blocks: list[_Block] = []
    for register in sorted(registers, key=lambda r: (r.table, r.address)):
        end = register.address + register.width
        last = blocks[-1] if blocks else None
        if last and last.table == register.table and register.address <= last.address + last.count + bridge:
            blocks[-1] = _Block(last.table, last.address, max(last.count, end - last.address))
        else:
            blocks.append(_Block(register.table, register.address, register.width))
    return blocks
