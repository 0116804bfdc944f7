"""A plan from a JSON file: one that Firnel wrote, or one by another hand, within the bounds of what a roast can be."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from firnel.core.plan import PLAN_LIMITS, READINGS, Anchor, Plan
from firnel.core.plan_document import plan_from_document
from firnel.core.words import tr
from firnel.exchange.documents import (
    AirC,
    BeanC,
    ControlName,
    Finite,
    Kg,
    Name,
    Seconds,
    Words,
    checked,
    read_json,
)
from firnel.exchange.errors import ImportRefusedError


def _within(name: str) -> Any:
    low, high = PLAN_LIMITS[name]
    return Field(allow_inf_nan=False, ge=low, le=high)


Stage = Annotated[float, _within("drying_s")]
Tolerance = Annotated[float, Field(allow_inf_nan=False, ge=0.0, le=PLAN_LIMITS["tolerance"][1])]


class _Open(BaseModel):
    """What ``plan solve`` says beside the plan itself is passed over."""

    model_config = ConfigDict(extra="ignore", allow_inf_nan=False)


class TargetsPart(_Open):
    """What the plan wants."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    charge_c: Annotated[float, _within("charge_c")] | None = None
    drying_s: Stage | None = None
    browning_s: Stage | None = None
    development_s: Stage | None = None
    drop_c: Annotated[float, _within("drop_c")] | None = None
    rise_c: Annotated[float, _within("rise_c")] | None = None
    total_s: Stage | None = None
    ratio: Annotated[float, _within("ratio")] | None = None
    loss: Annotated[float, _within("loss")] | None = None
    colour: Annotated[float, _within("colour")] | None = None


class MovePart(_Open):
    """One planned move."""

    control: ControlName
    to: Finite
    anchor: Anchor
    offset_s: Annotated[float, _within("offset_s")] | None = None
    at_c: BeanC | None = None
    held: bool = False
    falling: bool = False
    label: Annotated[str, Field(max_length=20)] = ""
    after: Annotated[str, Field(max_length=20)] = ""

    @model_validator(mode="after")
    def _hangs(self) -> MovePart:
        if self.anchor in READINGS and self.at_c is None:
            raise ValueError(tr("a move that hangs on a {} temperature needs at_c", self.anchor))
        if self.anchor is Anchor.MOVE and not self.after:
            raise ValueError(tr("a move that follows another needs to say which: after"))
        if self.anchor is Anchor.TIME and (self.offset_s or 0.0) < 0.0:
            raise ValueError(tr("a move that hangs on the clock lies after the charge"))
        return self


class CurvePart(_Open):
    """The curve that the plan expects: columns of equal length."""

    t: list[Seconds] = Field(max_length=20_000)
    bean: list[BeanC]
    air: list[AirC]
    ror: list[Finite]

    @model_validator(mode="after")
    def _even(self) -> CurvePart:
        if len({len(self.t), len(self.bean), len(self.air), len(self.ror)}) != 1:
            raise ValueError(tr("its columns differ in length"))
        if any(later <= earlier for earlier, later in zip(self.t, self.t[1:], strict=False)):
            raise ValueError(tr("its times do not go forward"))
        return self


class PlanFile(_Open):
    """A plan document."""

    name: Annotated[Name, Field(min_length=1)]
    machine: Name | None = ""
    lot: Name | None = ""
    load_kg: Kg | None = None
    purpose: Name = "filter"
    approach: Literal["falling", "air-led", "soak-push", "times"] = "falling"
    targets: TargetsPart = TargetsPart()
    start: dict[ControlName, Finite] = {}
    moves: list[MovePart] = Field([], max_length=200)
    tolerance_s: Tolerance = Plan.tolerance_s
    tolerance_c: Tolerance = Plan.tolerance_c
    curve: CurvePart | None = None
    remark: Words = ""
    asked: list[str] | None = None
    course: tuple[Stage, Stage, Stage] | None = None
    wins: str = "development_s"
    tolerances: dict[str, Tolerance] = {}
    room_c: Annotated[float, _within("room_c")] = 22.0
    drum_c: Annotated[float, _within("drum_c")] = 0.0
    start_held: bool = False


def read_plan_file(path: Path) -> Plan:
    """Read a plan from a JSON file.

    Raises
    ------
    ImportRefusedError : if it is no plan; the message names the file and the entry.
    """
    document = checked(PlanFile, read_json(path), tr("{} is no plan", path.name))
    try:
        return plan_from_document(document.model_dump(mode="json"))
    except ValueError as error:
        raise ImportRefusedError(f"{path.name}: {error}") from error
