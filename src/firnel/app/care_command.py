"""The care of a machine: what is due, what was done, probes that were checked or moved; it completes the group `machine`."""

from __future__ import annotations

import math
from datetime import UTC, datetime

import click

from firnel.app.command_parts import CouldNotError, json_option, library_option, opened, say_json
from firnel.app.model_commands import machine
from firnel.work.machines.care import (
    care_sheet,
    keep_interval,
    note_done,
    note_probe_check,
    note_probe_moved,
    note_seasoning,
)


@machine.command("care")
@click.argument("name")
@click.option("--done", "jobs", multiple=True, metavar="JOB", help="This was done now: draft, chaff, tray, ... (repeatable).")
@click.option("--every", multiple=True, metavar="JOB=N", help="Another interval for a job, in its own unit (repeatable).")
@click.option("--check", "checks", multiple=True, metavar="PROBE:KIND=C", help="A probe reads so in boiling or ice water.")
@click.option("--moved", multiple=True, metavar="PROBE", help="This probe was moved or changed: bean, air, ... (repeatable).")
@click.option("--seasoned", is_flag=True, help="One seasoning load was roasted and thrown away.")
@click.option("--by", default="", help="Who did it.")
@library_option
@json_option
def machine_care(
    name: str, jobs: tuple[str, ...], every: tuple[str, ...], checks: tuple[str, ...], moved: tuple[str, ...],
    seasoned: bool, by: str, library_at: str | None, as_json: bool,
) -> None:  # fmt: skip
    """Where the care of a machine stands, after what was done now is noted: jobs, probe checks, probes that were moved."""
    with opened(library_at) as library:
        found = library.machine(name)
        intervals = [_named_figure(text, "JOB=N") for text in every]
        readings = [_named_figure(text, "PROBE:KIND=C") for text in checks]
        try:
            for job, figure in intervals:
                found = keep_interval(library, found, job, figure)
            for job in jobs:
                note_done(library, found, job, by=by)
            for which, read_c in readings:
                probe, _, kind = which.partition(":")
                click.echo(note_probe_check(library, found, probe, kind, read_c), err=True)
                found = library.machine(name)
            for probe in moved:
                click.echo(note_probe_moved(library, found, probe, by=by), err=True)
            if seasoned:
                note_seasoning(library, found, by=by)
        except ValueError as error:
            raise CouldNotError(str(error)) from error
        sheet = care_sheet(library, found, datetime.now(UTC))
    if as_json:
        say_json({
            "machine": found.name, "seasoned": sheet.seasoned,
            "jobs": [
                {"job": one.job.key, "words": one.job.title, "every": one.job.every, "unit": one.job.unit, "used": one.used,
                 "due": one.due}
                for one in sheet.states
            ],
            "entries": [{"id": one.key, "words": one.words, "struck": one.struck} for one in sheet.entries],
        })  # fmt: skip
        return
    for state in sheet.states:
        click.echo(f"{state.job.key:<9} {'due  ' if state.due else '     '} {state.job.title}: {state.words}")
    for entry in sheet.entries:
        if not entry.struck:
            click.echo(f"  {entry.words}")


def _named_figure(text: str, wanted: str) -> tuple[str, float]:
    """What is written as NAME=NUMBER."""
    name, parted, figure = text.rpartition("=")
    try:
        number = float(figure)
    except ValueError:
        number = math.nan
    if not parted or not name or not math.isfinite(number):
        raise click.UsageError(f"{text!r} is not {wanted}.")
    return name, number
