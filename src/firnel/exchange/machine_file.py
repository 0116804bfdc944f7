"""A machine as a JSON document, within the bounds of what a drum roaster can be."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Literal

from pydantic import Field, model_validator

from firnel.core.vocabulary import HOT_BEAN_C, KINDS_OF, MOST_CONTROLS, Control, ControlScale, Machine, Probe, Role, usual_role
from firnel.core.words import tr
from firnel.exchange.documents import BeanC, ControlName, Finite, Name, Part, Words, checked, read_json
from firnel.exchange.errors import ImportRefusedError

FORMAT = "firnel-machine-1"
Load = Annotated[float, Field(ge=0.0, le=1000.0)]


class ScalePart(Part):
    """The scale of one control."""

    unit: Annotated[Name, Field(max_length=20)]
    low: Finite
    high: Finite
    step: Annotated[Finite, Field(gt=0.0)]
    least: Finite = 0.0
    reported: bool = True
    role: Role | None = None
    kind: Annotated[Name, Field(max_length=20)] = ""
    name: Annotated[Name, Field(max_length=40)] = ""
    lag_s: Annotated[float, Field(ge=0.0, le=600.0)] | None = None

    @model_validator(mode="after")
    def _rises(self) -> ScalePart:
        if not self.low < self.high or self.step > self.high - self.low:
            raise ValueError(tr("a scale rises, and its step lies inside it"))
        return self


class ProbePart(Part):
    """One probe."""

    place: Name
    thickness_mm: Annotated[float, Field(gt=0.0, le=50.0)] | None = None
    lag_s: Annotated[float, Field(ge=0.0, le=300.0)] | None = None
    offset_c: Annotated[float, Field(ge=-50.0, le=50.0)] | None = None


class MachineFile(Part):
    """A machine document."""

    format: Literal["firnel-machine-1"]
    name: Annotated[Name, Field(min_length=1)]
    kind: Annotated[Name, Field(max_length=100)] = "own"
    heat: Literal["gas", "electric"] = "gas"
    stated_load_kg: Load
    useful_load_kg: Load
    controls: dict[ControlName, ScalePart] = Field({}, max_length=MOST_CONTROLS)
    fuel: Annotated[Name, Field(max_length=40)] = ""
    yellow_c: BeanC = 155.0
    first_crack_c: BeanC = 198.0
    air_probe: Annotated[Name, Field(max_length=40)] = tr("drum air")
    device_url: Annotated[str, Field(max_length=400)] = ""
    second_crack_c: BeanC | None = None
    tray_litres: Annotated[float, Field(ge=0.0, le=10_000.0)] | None = None
    altitude_m: Annotated[float, Field(ge=-430.0, le=6000.0)] = 0.0
    probes: list[ProbePart] = Field([], max_length=20)
    heaters: list[Name] = Field([], max_length=20)  # bare names, in earlier versions
    preheat: Words = ""
    between: Words = ""
    draft_check: Words = ""
    checks: Words = ""
    limit_c: Annotated[float, Field(ge=150.0, le=300.0)] = HOT_BEAN_C
    covers_kg: Annotated[float, Field(ge=0.0, le=1000.0)] | None = None
    preheat_low_c: BeanC | None = None
    preheat_high_c: BeanC | None = None
    preheat_s: Annotated[float, Field(ge=0.0, le=14_400.0)] | None = None
    care: dict[Annotated[str, Field(max_length=20)], Annotated[float, Field(gt=0.0, le=1e6)]] = Field({}, max_length=30)
    archived: bool = False

    @model_validator(mode="after")
    def _holds(self) -> MachineFile:
        if not 0.0 < self.useful_load_kg <= self.stated_load_kg:
            raise ValueError(tr("the useful load lies above zero and up to the stated one"))
        for key, scale in self.controls.items():
            role = scale.role or usual_role(key)
            if scale.kind and scale.kind not in KINDS_OF[role]:
                raise ValueError(tr("{} is {!r}; for {} there are {}", key, scale.kind, role, ", ".join(KINDS_OF[role])))
        return self


def read_machine_file(path: Path) -> Machine:
    """Read a machine from a JSON file; its address stays at home.

    Raises
    ------
    ImportRefusedError : if it is no machine; the message names the file and the entry.
    """
    raw = read_json(path)
    if not isinstance(raw, dict) or raw.get("format") != FORMAT:
        raise ImportRefusedError(tr("{} is no machine document of this Firnel (format {}).", path.name, FORMAT))
    own = {key: value for key, value in raw.items() if key not in ("model", "id")}
    found = checked(MachineFile, own, tr("{} is no machine", path.name))
    values = found.model_dump()
    del values["format"]
    values["controls"] = {Control(control): ControlScale(**scale) for control, scale in values["controls"].items()}
    values["probes"] = tuple(Probe(**probe) for probe in values["probes"])
    del values["heaters"]
    return Machine(**values | {"device_url": "", "archived": False})
