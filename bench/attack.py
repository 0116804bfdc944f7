"""Attacks on all that must never be lost: ``python bench/attack.py [files|libraries|disks|kills …] [--short]``."""

import argparse
import logging
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

sys.path[:0] = [str(Path(__file__).parent), str(Path(__file__).parents[1] / "tests")]

from attacks.anywhere import attack_anywhere
from attacks.devices import attack_devices
from attacks.disks import attack_disks
from attacks.files import Found, attack_files
from attacks.kills import attack_kills
from attacks.libraries import attack_libraries
from attacks.tiny_disk import attack_tiny_disk
from conftest import make_record
from report import Line

LOGS = sorted((Path(__file__).parents[1] / "tests" / "logs").glob("*.csv"))


def _files(folder: Path, short: bool) -> Found:
    logs = [path for path in LOGS if path.name != "batches.csv"][::7]
    return attack_files(folder, make_record(step=5.0), logs, 700 if short else 10_000)


def _libraries(folder: Path, short: bool) -> Found:
    return attack_libraries(folder, make_record(step=2.0), 60 if short else 300)


def _kills(folder: Path, short: bool) -> Found:
    return attack_kills(folder, 20 if short else 1000, 3.0 if short else 1.0)  # the short form runs beside other tests


ATTACKS: dict[str, Callable[[Path, bool], Found]] = {
    "files": _files,
    "libraries": _libraries,
    "disks": attack_disks,
    "tiny disk": attack_tiny_disk,
    "kills": _kills,
    "devices": attack_devices,
    "anywhere": attack_anywhere,
}


def run(folder: Path, names: tuple[str, ...] = (), short: bool = False) -> list[Line]:
    """Run the attacks; one line for each."""
    logging.getLogger("firnel").addHandler(logging.NullHandler())
    logging.getLogger("firnel").propagate = False
    lines = []
    for name in names or tuple(ATTACKS):
        begun = time.monotonic()
        inside = folder / name
        inside.mkdir()
        found = ATTACKS[name](inside, short)
        counts = ", ".join(f"{count} {what}" for what, count in sorted(found.counts.items()))
        print(f"  {name}: {counts}; slowest {found.slowest_s:.1f} s; {time.monotonic() - begun:.0f} s in all")
        for sentence in found.wrong:
            print(f"    {sentence}")
        lines.append(Line(f"{name}: what went wrong", float(found.counts["wrong"]), "", 0.0))
    return lines


if __name__ == "__main__":
    parser = argparse.ArgumentParser()
    parser.add_argument("names", nargs="*", choices=[[], *ATTACKS], default=[])
    parser.add_argument("--short", action="store_true")
    parser.add_argument("--keep", type=Path, help="leave what was found in this folder")
    given = parser.parse_args()
    if given.keep:
        given.keep.mkdir(parents=True)
        sys.exit(any(not line.met for line in run(given.keep, tuple(given.names), given.short)))
    with tempfile.TemporaryDirectory() as made:
        sys.exit(any(not line.met for line in run(Path(made), tuple(given.names), given.short)))
