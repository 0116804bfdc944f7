"""A simulated machine beside this one: a process of its own with doors and knobs, that ends when its owner does."""

from __future__ import annotations

import socket
import subprocess
import sys
from contextlib import suppress

from firnel.core.words import tr
from firnel.devices.register_map import shipped_maps

#: How long a process that was asked to end is waited for. [s]
END_S = 3.0


def simulator_command(*more: str) -> list[str]:
    """The command that starts a simulated machine.

    It holds the other side of a pipe, and ends when that is closed: however this process ends, it does not stay behind.
    """
    return [sys.executable, "-m", "firnel", "simulator", "--with-parent", *more]


class SimulatedMachine:
    """Starts one of the shipped kinds with its panel; stopped by whoever started it.

    Parameters
    ----------
    kind : of a register map that is shipped.

    Raises
    ------
    ValueError : if there is no such kind, or it could not be started.
    """

    def __init__(self, kind: str, panel: bool = True) -> None:
        if kind not in shipped_maps():
            raise ValueError(tr("There is no machine kind {!r} to simulate; there are {}.", kind, ", ".join(shipped_maps())))
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            port = int(free.getsockname()[1])
        command = simulator_command("--kind", kind, "--port", str(port), *(["--panel"] if panel else []))
        try:
            self._process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, text=True)
        except OSError as error:
            raise ValueError(tr("The simulated machine could not be started: {}.", error.strerror)) from error
        self.url = f"modbus://127.0.0.1:{port}?map={kind}"  #: where it is read; it answers within a second or two

    def stop(self) -> None:
        """End it."""
        self._process.terminate()
        with suppress(subprocess.TimeoutExpired):
            self._process.wait(END_S)
        if self._process.poll() is None:
            self._process.kill()
            self._process.wait(END_S)
        if self._process.stdin is not None:
            self._process.stdin.close()
