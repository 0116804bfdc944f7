"""A machine as a JSON document, to hand to another Firnel, and back."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

from firnel.core.vocabulary import Machine
from firnel.store.machine_book import machine_from_document, machine_to_document

FORMAT = "firnel-machine-1"


def machine_to_text(machine: Machine) -> str:
    """The document as text. The device address stays at home."""
    document = {"format": FORMAT} | machine_to_document(replace(machine, device_url=""))
    return json.dumps(document, indent=1, ensure_ascii=False) + "\n"


def machine_from_file(path: Path) -> Machine:
    """The machine in a document.

    Raises
    ------
    ValueError : if the file is none; the message says why.
    """
    try:
        document = json.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise ValueError(f"{path} cannot be read: {error.strerror}.") from error
    except (UnicodeDecodeError, json.JSONDecodeError) as error:
        raise ValueError(f"{path.name} is no machine document: {error}.") from error
    if not isinstance(document, dict) or document.pop("format", None) != FORMAT:
        raise ValueError(f"{path.name} is no machine document of this Firnel (format {FORMAT}).")
    document.pop("model", None)
    document.pop("id", None)
    machine = machine_from_document(document)
    if not machine.name or not 0 < machine.useful_load_kg <= machine.stated_load_kg:
        raise ValueError(f"{path.name}: a machine needs a name, and a useful load up to the stated one.")
    return machine


def duplicate(machine: Machine, taken: set[str]) -> Machine:
    """The same machine under a free name, not connected."""
    number = 2
    while f"{machine.name} {number}" in taken:
        number += 1
    return replace(machine, name=f"{machine.name} {number}", id=None, device_url="")
