"""What all commands share: options, the opened library, one clear sentence when something cannot be done."""

from __future__ import annotations

import json
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from firnel.core.units import parse_clock

if TYPE_CHECKING:
    from firnel.store.library import Library


def _library_at(context: click.Context, _option: click.Parameter, value: str | None) -> str | None:
    """As given here, or before the command."""
    if context.parent is None:
        context.obj = value
    given = context.find_root().obj
    return value or (given if isinstance(given, str) else None)


library_option = click.option(
    "--library", "library_at", callback=_library_at, help="Library file or database URL (default: your data folder)."
)
json_option = click.option("--json", "as_json", is_flag=True, help="One JSON document on standard output.")


class Figure(click.ParamType):  # type: ignore[type-arg]  # older releases of click have no argument there
    """A finite number within bounds, both included; of seconds as ``6:44`` too.

    Parameters
    ----------
    low, high : bounds.
    unit : for the words of a refusal.
    """

    name = "number"

    def __init__(self, low: float, high: float, unit: str) -> None:
        self._low, self._high, self._unit = low, high, unit

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> float:
        """The number."""
        try:
            timed = self._unit == "s" and isinstance(value, str) and ":" in value
            figure = float(parse_clock(value) or 0.0) if timed else float(value)
        except (TypeError, ValueError):
            self.fail(f"{value!r} is no number.", param, ctx)
        if not self._low <= figure <= self._high:
            unit = f" {self._unit}" if self._unit else ""
            self.fail(f"{value}{unit} cannot be: {self._low:g} to {self._high:g}{unit}.", param, ctx)
        return figure


KG, ROOM_C, STEEL_C = Figure(0.01, 1000.0, "kg"), Figure(-40.0, 60.0, "°C"), Figure(-40.0, 500.0, "°C")
BEAN_C, RISE_K = Figure(80.0, 300.0, "°C"), Figure(-20.0, 60.0, "K")
STAGE_S, SHARE, COLOUR = Figure(1.0, 3600.0, "s"), Figure(0.0, 1.0, ""), Figure(0.0, 100.0, "points")
SECONDS, PATIENCE_S = Figure(-7200.0, 86400.0, "s"), Figure(0.01, 1e6, "s")
PORT, SPEED = click.IntRange(0, 65535), Figure(0.1, 60.0, "times")


def pairs_of(values: tuple[str, ...], option: str) -> dict[str, str]:
    """``a=b,c=d`` into a dictionary."""
    pairs: dict[str, str] = {}
    for part in (piece for value in values for piece in value.split(",") if piece):
        name, equals, what = part.partition("=")
        if not equals or not name or not what:
            raise click.BadParameter(f"{part!r} is not NAME=VALUE", param_hint=option)
        pairs[name.strip()] = what.strip()
    return pairs


class CouldNotError(click.ClickException):
    """Could not be done: one clear sentence, exit code 1."""

    def show(self, file: Any = None) -> None:
        """The sentence alone."""
        click.echo(self.message, err=True)


def default_library() -> Path:
    """The library in the user's data folder, which is made if need be."""
    from platformdirs import user_data_path

    folder = user_data_path("firnel")
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise CouldNotError(f"The data folder {folder} cannot be made: {error.strerror}.") from error
    return folder / "library.sqlite"


@contextmanager
def opened(library_at: str | None) -> Iterator[Library]:
    """The library, with what goes wrong turned into one sentence."""
    # Only here: what works on a library takes ten times as long to load as the command line does.
    from firnel.core.stages import MarkOrderError
    from firnel.store.writing import LibraryError
    from firnel.work.review.records import ImportRefusedError, Library, NotInLibraryError, refusal_of
    from firnel.work.settings import load_settings
    from firnel.work.spilled import recover_spilled

    try:
        library = Library(library_at or default_library())
    except LibraryError as error:
        raise CouldNotError(str(error)) from error
    mine, _ = load_settings()
    library.sign(mine.station_name, mine.operator)
    try:
        for sentence in recover_spilled(library).said:
            click.echo(sentence, err=True)
        yield library
    except (LibraryError, NotInLibraryError, ImportRefusedError, MarkOrderError, ValueError) as error:
        raise CouldNotError(str(error)) from error
    except Exception as error:
        if refused := refusal_of(error):
            raise CouldNotError(refused) from error
        raise
    finally:
        library.close()


def say_json(document: Any) -> None:
    """One JSON document on standard output."""
    click.echo(json.dumps(document, ensure_ascii=False, allow_nan=False))


def no_display() -> str:
    """Why no window can be shown here, as a sentence; empty where one can. Qt itself would end the process without a word."""
    platform = os.environ.get("QT_QPA_PLATFORM", "").partition(":")[0]
    if platform not in ("", "xcb", "wayland") or os.environ.get("WAYLAND_DISPLAY"):
        return ""
    display = os.environ.get("DISPLAY", "")
    if not display:
        return "There is no display here, so no window can be shown. Everything else works: firnel --help."
    host, _, number = display.rpartition(":")
    number = number.partition(".")[0]
    if host in ("", "unix") and number.isdecimal():
        found = Path(f"/tmp/.X11-unix/X{number}").exists() or f"@/tmp/.X11-unix/X{number}" in _unix_sockets()
        if not found:
            return f"The display {display} does not answer, so no window can be shown."
    return ""


def _unix_sockets() -> str:
    try:
        return Path("/proc/net/unix").read_text(encoding="ascii", errors="replace")
    except OSError:
        return ""
