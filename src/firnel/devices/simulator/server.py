"""A real Modbus TCP server in front of a simulated plant."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import socket
import threading

from pymodbus.constants import ExcCodes
from pymodbus.server import ModbusTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice

from firnel.devices.simulator.plant import INPUT_REGISTERS, Fault, Knob, Plant

READ_INPUT, READ_HOLDING = 4, 3


class SimulatorServer:
    """Serves a `Plant` on loopback from a thread of its own.

    Parameters
    ----------
    plant : the machine behind the registers.
    port : to listen on; 0 picks a free one.
    host : address to listen on.

    Raises
    ------
    OSError : if the port is taken.
    """

    def __init__(self, plant: Plant, port: int = 0, host: str = "127.0.0.1") -> None:
        self.plant, self.host = plant, host
        # Bind once beforehand: a taken port is told at once, and port 0 becomes a number.
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            probe.bind((host, port))
            self.port = probe.getsockname()[1]
        self._loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self._run, name="simulator", daemon=True)
        self._ready = threading.Event()
        self._stopping = threading.Event()

    def start(self) -> None:
        """Listen; returns when clients can connect."""
        self._thread.start()
        self._ready.wait(10.0)

    def stop(self) -> None:
        """End; returns when the port is free again."""
        self._stopping.set()
        self._thread.join(10.0)

    def _run(self) -> None:
        logging.getLogger("pymodbus").setLevel(logging.CRITICAL)  # it prints packets whenever a client leaves
        asyncio.set_event_loop(self._loop)
        try:
            self._loop.run_until_complete(self._serve())
        finally:
            self._loop.close()

    async def _serve(self) -> None:
        server: ModbusTcpServer | None = await self._listen()
        self._ready.set()
        while not self._stopping.is_set():
            await asyncio.sleep(0.05)
            self.plant.advance()
            broken = self.plant.fault is Fault.CABLE
            if broken and server is not None:
                await server.shutdown()
                server = None
            elif not broken and server is None:
                server = await self._listen()
        if server is not None:
            await server.shutdown()

    async def _listen(self) -> ModbusTcpServer:
        words = [0] * INPUT_REGISTERS
        bits = [SimData(0, values=[False] * 8, datatype=DataType.BITS)]
        device = SimDevice(
            id=1,
            simdata=(
                bits,
                bits,
                [SimData(0, values=[0] * len(Knob), datatype=DataType.REGISTERS)],
                [SimData(0, values=words, datatype=DataType.REGISTERS)],
            ),
            action=self._answer,
        )
        server = ModbusTcpServer(device, address=(self.host, self.port))
        await server.serve_forever(background=True)
        return server

    async def _answer(
        self, function: int, start: int, address: int, count: int, registers: list[int], values: list[int] | list[bool] | None
    ) -> ExcCodes | None:
        """Called for each request, before it is answered: bring the registers up to date, or turn the knobs."""
        if self.plant.fault is Fault.SILENCE:
            await self._silence()
        if self.plant.fault is Fault.EXCEPTION and function == READ_INPUT:
            return ExcCodes.DEVICE_FAILURE
        if values is not None:
            for offset, value in enumerate(values):
                with contextlib.suppress(ValueError):  # a register that is no knob
                    self.plant.write(Knob(address + offset), int(value))
        current = self.plant.input_registers() if function == READ_INPUT else self.plant.holding_registers()
        registers[: len(current)] = current
        return None

    async def _silence(self) -> None:
        while self.plant.fault is Fault.SILENCE and not self._stopping.is_set():
            await asyncio.sleep(0.1)
