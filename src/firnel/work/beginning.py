"""The beginning: five steps from an empty library to the first batch, each of which can be left and come back to."""

from __future__ import annotations

from dataclasses import dataclass, replace

from firnel.core.machine.readings import check_readings
from firnel.core.names import check_name
from firnel.core.vocabulary import Control, ControlScale, Lot, Machine, Role
from firnel.core.words import later, tr
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.work.desk import machine_of_kind

#: How a machine is heated, as it is asked: words, and the shipped kind with the controls of such a machine.
HEATS = ((later("gas"), "gas-6"), (later("electric"), "electric-1"), (later("electric, several heaters"), "electric-9"))
#: Fuel of a burner, and the top of the gauge that usually reads it: common practice, no published source. [kPa]
FUELS = ((later("natural gas"), 2.5), ("LPG", 4.0))
#: Useful share of the load that a maker states.
USEFUL = 0.75
#: A gauge is read in so many steps.
STEPS_OF_GAUGE = 50
#: Where the library keeps how far it went.
HOUSE = "beginning"
LONGEST_NAME = 60
STEPS = (
    ("machine", tr("Your machine")),
    ("link", tr("Its link")),
    ("logs", tr("Old logs")),
    ("coffee", tr("Your first coffee")),
    ("batch", tr("Your first batch")),
)


@dataclass(frozen=True)
class Step:
    """One of the five: its name, its title, whether it is done, and in a line what there is."""

    name: str
    title: str
    done: bool
    told: str


def steps(library: Library) -> tuple[Step, ...]:
    """The five steps as they stand."""
    machine, lot = first_machine(library), first_lot(library)
    passed = set(library.house(HOUSE).get("passed", ()))
    count = library.batch_list.count(BatchFilter(statuses=("done", "dropped")))
    linked = machine is not None and bool(machine.device_url)
    roasted = has_roasted(library)
    told = (
        machine_words(machine) if machine is not None else tr("What heats it, and how much."),
        _link_words(machine) if machine is not None and linked else tr("Modbus, a thermometer, or your eyes."),
        tr("{} batches", count) if count else tr("None.") if "logs" in passed else tr("What you have, if you have any."),
        lot.name if lot is not None else tr("One lot is enough."),
        tr("Roasted.") if roasted else tr("From charge to drop."),
    )
    done = (machine is not None, linked, count > 0 or "logs" in passed, lot is not None, roasted)
    return tuple(Step(name, title, *stands) for (name, title), stands in zip(STEPS, zip(done, told, strict=True), strict=True))


def has_roasted(library: Library) -> bool:
    """Whether the last of them is done."""
    return library.any_roasted()


def is_empty(library: Library) -> bool:
    """Whether nothing was written down yet: the window then opens on the beginning."""
    return first_machine(library) is None and first_lot(library) is None and not library.batch_list.count(BatchFilter())


def pass_by(library: Library, name: str) -> None:
    """A step that is not wanted."""
    known = library.house(HOUSE)
    library.save_house(HOUSE, {**known, "passed": sorted({*known.get("passed", ()), name})})


def first_machine(library: Library) -> Machine | None:
    """The machine that the beginning is about: the first that is in use."""
    return next((machine for machine in library.machines() if not machine.archived), None)


def first_lot(library: Library) -> Lot | None:
    """The lot that the beginning is about."""
    return next((lot for lot in library.lots() if not lot.archived), None)


def new_machine(
    library: Library,
    name: str,
    heat: str,
    useful_kg: float | None,
    fuel: str,
    read_c: tuple[float | None, float | None] = (None, None),
) -> Machine:
    """Keep a new machine with the controls that one of its heat usually has.

    Parameters
    ----------
    library, name, heat, fuel : where to keep it; what it is called; of `HEATS` and `FUELS`.
    useful_kg : what it roasts well at a time. [kg]
    read_c : what its bean probe reads at yellow and at first crack; None where nobody knows. [degC]

    Raises
    ------
    ValueError : in a sentence, if it cannot be.
    """
    name = name.strip()
    if not name or len(name) > LONGEST_NAME:
        raise ValueError(tr("A machine needs a name, of at most {} letters.", LONGEST_NAME))
    if any(machine.name == name for machine in library.machines()):
        raise ValueError(tr("There is a machine called {} already.", name))
    if useful_kg is None or not 0.05 <= useful_kg <= 300.0:
        raise ValueError(tr("How much does it roast well at a time? 0.05 to 300 kg."))
    kind = dict(HEATS)[heat]
    like = machine_of_kind(name, kind)
    # The scales are those of a usual machine; readings and doors are the owner's own.
    controls = {control: replace(scale, reported=False) for control, scale in like.controls.items()}
    if kind == "gas-6":
        top = dict(FUELS).get(fuel, 4.0)
        step = round(top / STEPS_OF_GAUGE, 3)
        controls[Control.GAS] = ControlScale("kPa", 0.0, top, step, reported=False, role=Role.HEAT, kind="gas")
        controls[Control.AIRFLOW] = ControlScale("%", 0.0, 100.0, 5.0, reported=False, role=Role.AIRFLOW, kind="damper")
    made = replace(
        like, kind="own", controls=controls, useful_load_kg=useful_kg, stated_load_kg=round(useful_kg / USEFUL, 2),
        fuel=fuel if kind == "gas-6" else "",
        yellow_c=like.yellow_c if read_c[0] is None else read_c[0],
        first_crack_c=like.first_crack_c if read_c[1] is None else read_c[1],
    )  # fmt: skip
    check_readings(made)
    check_name(tr("a machine"), made.name)
    return library.save_machine(made)


def new_lot(library: Library, name: str, origin: str, process: str, on_hand_kg: float | None) -> Lot:
    """Keep the first coffee.

    Raises
    ------
    ValueError : in a sentence, if it cannot be.
    """
    if not name.strip():
        raise ValueError(tr("A coffee needs a name: what stands on its bag."))
    if any(lot.name == name.strip() for lot in library.lots()):
        raise ValueError(tr("There is a lot called {} already.", name.strip()))
    return library.save_lot(Lot(name.strip(), origin.strip(), process=process.strip(), on_hand_kg=on_hand_kg))


def machine_words(machine: Machine) -> str:
    """A machine in a line."""
    heat = machine.fuel or machine.heat
    return tr("{}, {:g} kg, {}", machine.name, machine.useful_load_kg, tr(heat))


def _link_words(machine: Machine) -> str:
    if machine.device_url == "hand:":
        return tr("Readings by hand.")
    if machine.device_url.startswith("simulated:"):
        return tr("Simulated on this computer.")
    count = len(machine.device_url.split())
    return tr("One instrument.") if count == 1 else tr("{} instruments.", count)
