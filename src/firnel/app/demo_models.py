"""What the demo's machines have learned of the demo's batches: brought along, so that the first start need not wait for it.

The demo's batches come out alike at every start but for their days. Where they are those that the models brought along were
learned of, and the document is of this version, these count; else the machines are learned then and there.
``python tools/demo_models.py`` learns them anew.
"""

from __future__ import annotations

import gzip
import json
from collections.abc import Iterable, Mapping
from hashlib import sha256
from importlib.resources import files
from typing import Any

import numpy as np

from firnel.core.model.document import VERSION, model_from_document
from firnel.core.model.learning import MachineModel
from firnel.core.model.logged import LoggedBatch

#: In the package.
WHERE = "resources/demo/models.json.gz"
#: Readings are told apart by a hundredth of a degree: another processor may round otherwise behind that.
DIGITS = 2


def models_brought() -> dict[str, Any]:
    """By name of the machine: ``of``, the fingerprint of its batches, and ``model``, the document."""
    document: dict[str, Any] = json.loads(gzip.decompress(files("firnel").joinpath(WHERE).read_bytes()))
    return document


def model_brought(brought: Mapping[str, Any], machine: str, batches: Iterable[LoggedBatch]) -> MachineModel | None:
    """The model that was learned of just these batches; None where there is none."""
    one = brought.get(machine)
    if one is None or one["model"]["version"] != VERSION or one["of"] != fingerprint(batches):
        return None
    return model_from_document(one["model"])


def fingerprint(batches: Iterable[LoggedBatch]) -> str:
    """Of what was logged: readings, settings, marks and loads, not the days."""
    told = sha256()
    for batch in batches:
        marks = (batch.yellow_t, batch.first_crack_t, batch.drop_t, batch.loss, batch.colour)
        green = (batch.moisture, batch.density, batch.process, batch.load_kg, batch.room_c)
        told.update(repr((batch.label, batch.lot, batch.step, green, marks)).encode())
        for column in (batch.bean, batch.air, *(batch.settings[control] for control in sorted(batch.settings))):
            told.update(np.round(column, DIGITS).astype("<f8").tobytes())
    return told.hexdigest()
