"""The command line, as docs and the contract say: human text by default, ``--json`` for programs."""

from __future__ import annotations

import sys
from importlib import import_module
from pathlib import Path

import click

from firnel import __version__
from firnel.app.command_parts import (
    KG,
    PORT,
    SPEED,
    STEEL_C,
    CouldNotError,
    Figure,
    default_library,
    library_option,
    no_display,
)
from firnel.app.ends import end_on_signals
from firnel.app.start import loaded

#: Where the commands are that work on a library, and what each does: their code is loaded when one is called, not before.
LATER = {
    "batches": ("record_commands", "List the batches, newest first."),
    "charts": ("review_commands", "One figure over many batches, as a control chart."),
    "coffees": ("day_commands", "What is sold."),
    "compare": ("bench_commands", "Was it the same? With the likely cause."),
    "cup": ("cup_commands", "Set a table of coffees, score it blind and reveal it."),
    "cuppings": ("bench_commands", "What was cupped, and what came of it."),
    "day": ("day_commands", "The plan of a day: what is roasted, where and when."),
    "export": ("record_commands", "Write one batch, or all, into files."),
    "forecast": ("model_commands", "What was to be expected of a batch at some second."),
    "import": ("record_commands", "Take in roast logs, batches or a whole library."),
    "library": ("library_commands", "Check the library, back it up, restore it."),
    "lots": ("stock_commands", "The green coffee in the store, and samples."),
    "machine": ("care_command", "The machines of the library, and their models."),
    "mend": ("review_commands", "Put marks, order and results of a batch right."),
    "meter": ("bench_commands", "Note what the gas or power meter of a machine shows."),
    "orders": ("day_commands", "What is ordered of which coffee."),
    "plan": ("plan_commands", "Find the moves that meet targets."),
    "plans": ("stock_commands", "The plans that are kept."),
    "queue": ("stock_commands", "The batches that wait to be roasted."),
    "roast": ("roast_command", "Record one batch without a window."),
    "show": ("record_commands", "Show one batch, by its label or id."),
    "simulate": ("plan_commands", "Run a plan on the fitted model of a machine."),
    "weigh": ("bench_commands", "Keep what scale and colour meter say of a batch."),
}


class Commands(click.Group):
    """All commands; those of `LATER` are loaded when they are wanted."""

    def invoke(self, ctx: click.Context) -> object:
        """Run it; what the computer says of a file that was named is no fault of Firnel's."""
        try:
            return super().invoke(ctx)
        except OSError as error:
            if error.filename is None:
                raise
            raise CouldNotError(f"{error.filename} cannot be read or written: {error.strerror}.") from error

    def list_commands(self, ctx: click.Context) -> list[str]:
        """Their names in order."""
        return sorted({*super().list_commands(ctx), *LATER})

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """One of them."""
        if cmd_name not in LATER:
            return super().get_command(ctx, cmd_name)
        module = import_module(f"firnel.app.{LATER[cmd_name][0]}")
        found: click.Command = getattr(module, {"import": "import_"}.get(cmd_name, cmd_name))
        return found

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """What each does, without loading it."""
        names = [name for name in self.list_commands(ctx) if name in LATER or not self.commands[name].hidden]
        limit = formatter.width - 6 - max(map(len, names))
        told = [(n, LATER[n][1] if n in LATER else self.commands[n].get_short_help_str(limit)) for n in names]
        with formatter.section("Commands"):
            formatter.write_dl(told)


@click.group(cls=Commands, invoke_without_command=True)
@click.version_option(__version__, prog_name="firnel")
@library_option
@click.pass_context
def main(context: click.Context, library_at: str | None) -> None:
    """Firnel: plan, drive, record and replicate coffee roasts. Without a command: the window."""
    if context.invoked_subcommand is None:
        context.invoke(gui, library_at=library_at)
    elif context.invoked_subcommand != "gui":
        loaded(window=False)


@main.command()
@click.argument("files", nargs=-1, type=click.Path(path_type=Path))
@library_option
@click.option("--device", help="Where the readings come from: modbus://HOST:PORT?map=KIND, serial:///dev/ttyUSB0, hand:")
def gui(files: tuple[Path, ...] = (), library_at: str | None = None, device: str | None = None) -> None:
    """Open the window; with FILES, batches and plans that Firnel has written, take them in and show them."""
    from firnel.app.language import speak_as_set

    speak_as_set()
    if complaint := no_display():
        raise CouldNotError(complaint)
    from firnel.app.first import begin

    first = begin(library_at or default_library())
    from firnel.app.window import run_window

    sys.exit(run_window(first, library_at or default_library(), device, files))


@main.command()
@click.option("--speed", type=SPEED, default=1.0, show_default=True, help="Seconds of roasting in one second of ours.")
@click.option("--folder", type=click.Path(path_type=Path), help="Where the demo library is kept.")
@click.option("--until", type=click.Choice(["seen", "painted", "ready"]), hidden=True)
def demo(speed: float, folder: Path | None, until: str | None) -> None:
    """The window on an invented roastery, with a simulated roaster connected. Your own library is not touched."""
    from platformdirs import user_cache_path

    from firnel.app.demo import show_demo, use_settings_of

    folder = folder or user_cache_path("firnel") / "demo"
    use_settings_of(folder)

    if complaint := no_display():
        raise CouldNotError(complaint)
    sys.exit(show_demo(folder, speed, until))


@main.command()
@click.option("--port", type=PORT, default=5020, show_default=True, help="Port on loopback; 0 picks a free one.")
@click.option("--machine", "kind", default="gas-6", show_default=True, help="gas-6, gas-15, electric-1 or electric-9.")
@click.option("--speed", type=SPEED, default=1.0, show_default=True, help="Up to 60 times the speed of life.")
@click.option("--seed", type=click.IntRange(0), default=1, show_default=True)
@click.option("--plan", "plan_at", type=click.Path(path_type=Path), help="An automatic hand follows this plan file.")
@click.option("--again", "again_s", type=Figure(0.0, 86400.0, "s"), help="The hand charges again so many seconds after a drop.")
@click.option(
    "--hand-delay",
    type=Figure(0.0, 60.0, "s"),
    default=2.0,
    show_default=True,
    help="Reaction time of the automatic hand, seconds.",
)
@click.option("--steel", "steel_c", type=STEEL_C, help="Temperature of the steel at the start, degC.")
@click.option("--fault", type=click.Choice(["none", "silence", "frozen", "spike", "cable", "exception"]), default="none")
@click.option("--truth", "truth_at", type=click.Path(path_type=Path), help="Write what truly happens to this file.")
@click.option("--with-parent", is_flag=True, hidden=True, help="End when standard input is closed.")
@click.option("--panel/--no-panel", default=False, help="Show the control panel window.")
def simulator(
    port: int, kind: str, speed: float, seed: int, plan_at: Path | None, again_s: float | None, hand_delay: float,
    steel_c: float | None, fault: str, truth_at: Path | None, with_parent: bool, panel: bool,
) -> None:  # fmt: skip
    """Run a simulated roaster as a Modbus TCP device."""
    if panel:
        from firnel.app.language import speak_as_set

        speak_as_set()
    from firnel.app.simulator import make_plant, serve
    from firnel.devices.simulator.plant import Fault
    from firnel.work.plan.files import read_plan_file

    try:
        plan = read_plan_file(plan_at) if plan_at else None
        plant = make_plant(kind, speed, seed, steel_c, plan, None, again_s, truth_at, Fault[fault.upper()], hand_delay)
        code = serve(plant, port, panel, with_parent)
    except OSError as error:
        raise CouldNotError(f"Port {port} on this computer cannot be listened on: {error.strerror}.") from error
    except ValueError as error:
        raise CouldNotError(str(error)) from error
    sys.exit(code)


@main.command()
@click.option("--weight", "weight_kg", type=KG, default=4.35, show_default=True, help="What it comes to, kg.")
def scale(weight_kg: float) -> None:
    """A stand-in for a scale: prints its serial port, and the weight on it until it is interrupted."""
    import time

    from firnel.devices.scale import StandInScale

    stand_in = StandInScale(weight_kg)
    click.echo(stand_in.port)
    sys.stdout.flush()
    end_on_signals()
    try:
        while True:
            time.sleep(0.5)
    finally:
        stand_in.close()
