"""A plan as a JSON document, with the names and keys that `firnel plan` uses, and back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

import numpy as np

from firnel.core.plan import READINGS, TARGET_WORDS, Anchor, Plan, PlanCurve, PlannedMove, Targets
from firnel.core.vocabulary import Control
from firnel.core.words import tr


def plan_to_document(plan: Plan) -> dict[str, Any]:
    """The document: plain lists, numbers and words."""
    curve = plan.curve
    return {
        "name": plan.name,
        "machine": plan.machine,
        "lot": plan.lot,
        "load_kg": plan.load_kg,
        "purpose": plan.purpose,
        "approach": plan.approach,
        "targets": asdict(plan.targets),
        "start": {str(control): value for control, value in plan.start.items()},
        "moves": [_move_to_document(move) for move in plan.moves],
        "tolerance_s": plan.tolerance_s,
        "tolerance_c": plan.tolerance_c,
        "curve": {name: getattr(curve, name).round(2).tolist() for name in ("t", "bean", "air", "ror")} if curve else None,
        "remark": plan.remark,
        "asked": None if plan.asked is None else list(plan.asked),
        "course": None if plan.course is None else list(plan.course),
        "wins": plan.wins,
        "tolerances": dict(plan.tolerances),
        "room_c": plan.room_c,
        "drum_c": plan.drum_c,
        "start_held": plan.start_held,
    }


def _move_to_document(move: PlannedMove) -> dict[str, Any]:
    document: dict[str, Any] = {"control": str(move.control), "to": move.to, "anchor": move.anchor.value}
    place: dict[str, Any] = {"at_c": move.at_c} if move.anchor in READINGS else {"offset_s": move.offset_s}
    told = {"held": move.held, "falling": move.falling, "label": move.label, "after": move.after}
    return document | place | {name: value for name, value in told.items() if value}


def plan_from_document(document: Mapping[str, Any], **over: Any) -> Plan:
    """The plan in a document; ``over`` replaces single fields.

    Raises
    ------
    ValueError : if the document is no plan; the message names the entry.
    """
    try:
        moves = tuple(
            PlannedMove(
                Control(move["control"]), float(move["to"]), Anchor(move["anchor"]),
                float(move.get("offset_s") or 0.0), move.get("at_c"), bool(move.get("held", False)),
                bool(move.get("falling", False)), str(move.get("label") or ""), str(move.get("after") or ""),
            )
            for move in document.get("moves", [])
        )  # fmt: skip
        curve = document.get("curve")
        values: dict[str, Any] = {
            "name": document["name"],
            "machine": document.get("machine") or "",
            "lot": document.get("lot") or "",
            "load_kg": document.get("load_kg"),
            "purpose": document.get("purpose", "filter"),
            "approach": document.get("approach", "falling"),
            "targets": Targets(**document.get("targets", {})),
            "start": {Control(control): float(value) for control, value in document.get("start", {}).items()},
            "moves": moves,
            "tolerance_s": float(document.get("tolerance_s", Plan.tolerance_s)),
            "tolerance_c": float(document.get("tolerance_c", Plan.tolerance_c)),
            "curve": PlanCurve(*(np.array(curve[name], float) for name in ("t", "bean", "air", "ror"))) if curve else None,
            "remark": document.get("remark", ""),
            "asked": None if document.get("asked") is None else tuple(document["asked"]),
            "course": None if document.get("course") is None else tuple(float(stage) for stage in document["course"]),
            "wins": document.get("wins", "development_s"),
            "tolerances": {name: float(value) for name, value in document.get("tolerances", {}).items()},
            "room_c": float(document.get("room_c", 22.0)),
            "drum_c": float(document.get("drum_c", 0.0)),
            "start_held": bool(document.get("start_held", False)),
        }
        unknown = [
            name for name in (values["wins"], *values["tolerances"], *(values["asked"] or ())) if name not in TARGET_WORDS
        ]
        if unknown:
            raise ValueError(tr("This is no plan: {!r} is no target; there are {}.", unknown[0], ", ".join(TARGET_WORDS)))
        return Plan(**(values | over))
    except (KeyError, TypeError, AttributeError) as error:
        raise ValueError(tr("This is no plan: {!r} is missing or not understood.", error)) from error
