"""A machine read over Modbus TCP: its own thread, reconnecting by itself. It only ever reads."""

from __future__ import annotations

import logging
import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from firnel.core.vocabulary import Control, Quality
from firnel.core.words import tr
from firnel.devices.clock import Clock
from firnel.devices.reading import LinkState, Reading, Tried
from firnel.devices.register_map import PROBES, Register, RegisterMap
from firnel.devices.source import LinkBrokenError, ThreadedSource

if TYPE_CHECKING:
    from pymodbus.client import ModbusTcpClient

#: The shortest pause between two questions, however fast the machine's clock runs. [s]
LEAST_POLL = 0.02
#: A machine that tells its speed runs so many times as fast as life. [-]
SLOWEST, FASTEST = 0.1, 60.0


class MachineAnswerError(Exception):
    """The machine is there but answers with an exception."""


@dataclass(frozen=True)
class _Block:
    """Neighbouring registers of one table, asked for in one request."""

    table: str
    address: int
    count: int


class ModbusSource(ThreadedSource):
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
        super().__init__(tr("{} at {}:{}", register_map.title, host, port), clock, "modbus", tuple(register_map.registers))
        self.units = {control: scale.unit for control, scale in register_map.controls.items()}
        self._host, self._port, self._map = host, port, register_map
        self._unit_id, self._timeout = unit_id, timeout
        self._blocks = _blocks([*register_map.registers.values(), *filter(None, [register_map.clock_speed])])

    def _read_on(self) -> None:
        from pymodbus.client import ModbusTcpClient

        # The library logs whole packets at each time-out; what matters is told by the link's state.
        logging.getLogger("pymodbus").setLevel(logging.CRITICAL)
        self._tell(LinkState.CONNECTING, tr("Connecting to {}.", self.title), again=self._failures == 0)
        client = ModbusTcpClient(self._host, port=self._port, timeout=self._timeout, retries=0, reconnect_delay=0)
        try:
            if not client.connect():
                what = tr("Nothing answers") if self._failures == 0 else tr("Still nothing answers")
                raise LinkBrokenError(tr("{} at {}:{}. Is the machine on and the cable in?", what, self._host, self._port))
            self._poll(client)
        finally:
            client.close()

    def _poll(self, client: ModbusTcpClient) -> None:
        """Ask until told to stop or until the link breaks."""
        from pymodbus.exceptions import ModbusException

        while not self.stopped:
            try:
                reading = self._ask(client)
            except MachineAnswerError as error:
                self._tell(LinkState.SILENT, tr("{} answers, but not with readings: {}.", self.title, error))
                self._stop.wait(1.0)
                continue
            except (ModbusException, OSError) as error:
                raise LinkBrokenError(tr("The link to {} broke. Firnel tries again; the batch goes on.", self.title)) from error
            self._hand_up(reading)
            self._stop.wait(max(self._map.poll_s / self._clock.rate, LEAST_POLL))

    def try_each(self) -> list[Tried]:
        """Ask for each register of the map by itself, so that one that is not there hides no other; some seconds.

        Raises
        ------
        LinkBrokenError : if nobody listens at all.
        """
        from pymodbus.client import ModbusTcpClient
        from pymodbus.exceptions import ModbusException

        logging.getLogger("pymodbus").setLevel(logging.CRITICAL)
        client = ModbusTcpClient(self._host, port=self._port, timeout=self._timeout, retries=0, reconnect_delay=0)
        try:
            if not client.connect():
                raise LinkBrokenError(
                    tr("Nothing answers at {}:{}. Is the machine on and the cable in?", self._host, self._port)
                )
            tried = []
            for field, register in self._map.registers.items():
                block = _Block(register.table, register.address, register.width)
                try:
                    words: dict[tuple[str, int], int] = {}
                    self._ask_block(client, block, words)
                    tried.append(self._tried(field, register, words))
                except MachineAnswerError as error:
                    tried.append(Tried(field, None, (), tr("no answer there: {}", error)))
                except (ModbusException, OSError):
                    tried.append(Tried(field, None, (), tr("no answer in time: is the unit number right?")))
            return tried
        finally:
            client.close()

    def _tried(self, field: str, register: Register, words: dict[tuple[str, int], int]) -> Tried:
        raw = tuple(words[register.table, register.address + offset] for offset in range(register.width))
        value = self._decode(words, register)
        if value is None:
            return Tried(
                field, None, raw, tr("{} is no {}: is the type or the order of words right?", list(raw), register.type)
            )
        shown = self._map.celsius(field, value) if field in PROBES else value
        if field in PROBES and not -30.0 <= shown <= 700.0:
            return Tried(field, shown, raw, tr("{:.0f} °C is no reading of a roast: is the scale right?", shown))
        if field not in PROBES and self._plausible(field, value) is None:
            scale = self._map.controls[Control(field)]
            return Tried(
                field, shown, raw, tr("{:g} is far off its scale of {:g} to {:g} {}", value, scale.low, scale.high, scale.unit)
            )
        return Tried(field, shown, raw)

    def _ask_block(self, client: ModbusTcpClient, block: _Block, words: dict[tuple[str, int], int]) -> None:
        read = client.read_input_registers if block.table == "input" else client.read_holding_registers
        answer = read(block.address, count=block.count, device_id=self._unit_id)
        if answer.isError():
            code = getattr(answer, "exception_code", None)
            raise MachineAnswerError(tr("Modbus exception {} for {} registers from {}", code, block.table, block.address))
        registers = list(getattr(answer, "registers", ()))
        if len(registers) < block.count:
            raise MachineAnswerError(
                tr("it sent {} of {} {} registers from {}", len(registers), block.count, block.table, block.address)
            )
        for offset in range(block.count):
            words[block.table, block.address + offset] = registers[offset]

    def _ask(self, client: ModbusTcpClient) -> Reading:
        words: dict[tuple[str, int], int] = {}
        for block in self._blocks:
            self._ask_block(client, block, words)
        if self._map.clock_speed is not None:
            speed = self._decode(words, self._map.clock_speed)
            # A machine says 0 or nonsense where it knows no speed: only a simulated one runs faster than life.
            if speed is not None and SLOWEST <= speed <= FASTEST and speed != self._clock.rate:
                self._clock.set_rate(speed)
        values = {field: self._plausible(field, self._decode(words, at)) for field, at in self._map.registers.items()}
        bean, air = values.pop("bean", None), values.pop("air", None)
        controls = {Control(field): value for field, value in values.items() if value is not None}
        return Reading(self._clock.now(), bean, air, controls, Quality.GOOD)

    def _plausible(self, field: str, value: float | None) -> float | None:
        """A probe in degC, or a setting that its scale knows; None for what is no figure at all."""
        if value is None:
            return None
        if field in PROBES:
            return self._map.celsius(field, value)
        scale = self._map.controls.get(Control(field))
        if scale is None:
            return value
        beyond = 0.5 * (scale.high - scale.low)
        return value if scale.low - beyond <= value <= scale.high + beyond else None

    def _decode(self, words: dict[tuple[str, int], int], register: Register) -> float | None:
        raw = [words[register.table, register.address + offset] for offset in range(register.width)]
        value = register.decode(raw, self._map.word_order)
        return round(value, 6) if math.isfinite(value) else None


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
