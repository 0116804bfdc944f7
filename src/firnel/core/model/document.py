"""A machine's model as a JSON document, to be kept in the library, and back."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from datetime import datetime
from typing import Any

import numpy as np

from firnel.core.model.drift import Drift
from firnel.core.model.driven import Driven, HandMove
from firnel.core.model.identification import FittedMachine, priors_of
from firnel.core.model.learning import FitReport, MachineModel, Seen
from firnel.core.model.level import RoastLevel
from firnel.core.model.probe_shift import ProbeShift
from firnel.core.model.statements import Foretold, Statement
from firnel.core.model.thresholds import CRACK, YELLOW, GreenTraits, Habit, Threshold
from firnel.core.model.widths import Widths
from firnel.core.plan import Anchor
from firnel.core.vocabulary import Control, Machine
from firnel.core.words import tr

#: Raised whenever the numbers of the fit change their meaning: an older document is fitted anew.
VERSION = 7


class OutdatedModelError(ValueError):
    """The document is of another version of the model: fit the machine again."""


def model_to_document(model: MachineModel, heats: Sequence[str]) -> dict[str, Any]:
    """Plain numbers, lists and words."""
    fitted = model.fitted
    return {
        "version": VERSION,
        "heats": list(heats),
        "full_load": fitted.full_load,
        "names": [prior.name for prior in fitted.priors],
        "values": fitted.values.tolist(),
        "covariance": fitted.covariance.tolist(),
        "steel": fitted.steel,
        "uptake": fitted.uptake,
        "own_heat": fitted.own_heat,
        "early": list(fitted.early),
        "together": {lot: [leans.tolist(), root.tolist()] for lot, (leans, root) in fitted.together.items()},
        "yellow": _threshold_to_document(model.yellow),
        "crack": _threshold_to_document(model.crack),
        "level": asdict(model.level),
        "drift": asdict(model.drift),
        "report": {**asdict(model.report), "shifts": [_shift_to_document(shift) for shift in model.report.shifts]},
        "steel_over_charge_c": model.steel_over_charge_c,
        "air_over_charge_c": model.air_over_charge_c,
        "heat_at_charge": list(model.heat_at_charge),
        "driven": [asdict(one) for one in model.driven],
        "widths": asdict(model.widths),
        "score": [asdict(one) for one in model.score],
        "seen": {control: asdict(seen) for control, seen in model.seen.items()},
    }


def model_from_document(document: Mapping[str, Any]) -> MachineModel:
    """The model in a document.

    Raises
    ------
    OutdatedModelError : if it is of another version.
    """
    heats = document.get("heats") or [str(document["heat"])]  # one source, in models of earlier versions
    priors = priors_of(float(document["full_load"]), heats)
    if document.get("version") != VERSION or document["names"] != [prior.name for prior in priors]:
        raise OutdatedModelError(tr("this machine was fitted by another version of Firnel: fit it again."))
    fitted = FittedMachine(
        priors,
        np.array(document["values"], float),
        np.array(document["covariance"], float),
        float(document["full_load"]),
        {label: float(value) for label, value in document["steel"].items()},
        {lot: (float(value), float(sd)) for lot, (value, sd) in document["uptake"].items()},
        {lot: (float(value), float(sd)) for lot, (value, sd) in document["own_heat"].items()},
        tuple(map(float, document.get("early", ()))),
        {lot: (np.array(leans), np.array(root)) for lot, (leans, root) in document.get("together", {}).items()},
    )
    report: dict[str, Any] = {n: tuple(v) if isinstance(v, list) else v for n, v in document["report"].items()}
    report["shifts"] = tuple(_shift_from_document(one) for one in report.get("shifts", ()))
    return MachineModel(
        fitted,
        _threshold_from_document(document["yellow"], YELLOW),
        _threshold_from_document(document["crack"], CRACK),
        RoastLevel(**document["level"]),
        _drift_from_document(document["drift"]),
        FitReport(**report),
        float(document["steel_over_charge_c"]),
        float(document["air_over_charge_c"]),
        tuple(map(float, document.get("heat_at_charge", ()))),
        {control: Seen(**seen) for control, seen in document.get("seen", {}).items()},
        tuple(_driven_from_document(one) for one in document.get("driven", ())),
        Widths(**document.get("widths", {})),
        tuple(Foretold(**{**one, "statement": Statement(one["statement"])}) for one in document.get("score", ())),
    )


def _drift_from_document(document: Mapping[str, Any]) -> Drift:
    by_range = {name: tuple(document.get(name, getattr(Drift, name))) for name in ("rates", "since", "soon")}
    return Drift(**{**document, **by_range})


def shifts_in(document: Mapping[str, Any]) -> tuple[ProbeShift, ...]:
    """What a document of any version knows of moved bean probes."""
    return tuple(_shift_from_document(shift) for shift in document["report"].get("shifts", ()))


def scales_of(machine: Machine) -> dict[str, list[Any]]:
    """What the shares of a fit are shares of: the end, the unit and the kind of each control's scale."""
    return {str(control): [scale.high, scale.unit, machine.kind_of(control)] for control, scale in machine.controls.items()}


def _shift_to_document(shift: ProbeShift) -> dict[str, Any]:
    return {**asdict(shift), "since": shift.since.isoformat() if shift.since is not None else None}


def _shift_from_document(document: Mapping[str, Any]) -> ProbeShift:
    since = document["since"]
    return ProbeShift(document["label"], float(document["by_c"]), datetime.fromisoformat(since) if since else None)


def _driven_from_document(document: Mapping[str, Any]) -> Driven:
    start = {Control(control): float(value) for control, value in document["start"].items()}
    moves = tuple(
        HandMove(Control(move["control"]), float(move["to"]), Anchor(move["anchor"]), float(move["offset_s"]))
        for move in document["moves"]
    )
    return Driven(**{**document, "start": start, "moves": moves})


def _threshold_to_document(threshold: Threshold) -> dict[str, Any]:
    return {
        "traits": [asdict(traits) for traits in threshold.traits],
        "seen": list(threshold.seen),
        "labels": list(threshold.labels),
        "loads": list(threshold.loads),
    }


def _threshold_from_document(document: Mapping[str, Any], habit: Habit) -> Threshold:
    traits = tuple(
        GreenTraits(**{**entry, "mixed": tuple(entry.get("mixed", ())), "untold": tuple(entry.get("untold", ()))})
        for entry in document["traits"]
    )
    seen, loads = tuple(map(float, document["seen"])), tuple(document.get("loads", ()))
    return Threshold(habit, traits, seen, tuple(document["labels"]), loads)
