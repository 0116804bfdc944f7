"""A machine as a JSON document, to hand to another Firnel, and back."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

from firnel.core.vocabulary import Machine
from firnel.exchange.machine_file import FORMAT, read_machine_file
from firnel.exchange.whole_file import write_whole
from firnel.store.machine_book import machine_to_document

__all__ = ["duplicate", "machine_to_text", "read_machine_file", "write_machine_file"]


def write_machine_file(path: Path, machine: Machine) -> None:
    """Write a machine to a file, whole or not at all.

    Raises
    ------
    OSError : if it cannot be written; what lay there is as it was.
    """
    write_whole(path, machine_to_text(machine))


def machine_to_text(machine: Machine) -> str:
    """The document as text. The device address stays at home."""
    document = {"format": FORMAT} | machine_to_document(replace(machine, device_url="", archived=False))
    return json.dumps(document, indent=1, ensure_ascii=False) + "\n"


def duplicate(machine: Machine, taken: set[str]) -> Machine:
    """The same machine under a free name, not connected."""
    number = 2
    while f"{machine.name} {number}" in taken:
        number += 1
    return replace(machine, name=f"{machine.name} {number}", id=None, device_url="")
