"""A disk that truly is full: a file system of a few megabytes in a name space of its own, filled to its last byte.

What SQLite and the system say there is not what a stand-in says. Where a computer lets nobody mount one, that is told.
"""

import json
import os
import subprocess
import sys
import tempfile
from functools import partial
from pathlib import Path

from conftest import make_record
from made import reading

from attacks.files import Found
from firnel.core.vocabulary import Control, Lot
from firnel.devices.clock import Clock
from firnel.store.batch_list import BatchFilter
from firnel.store.copies import check_file
from firnel.store.library import Library
from firnel.store.writing import LibraryError
from firnel.work.desk import Desk, machine_of_kind
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.roast.lookout import not_at_all
from firnel.work.settings import Settings, save_settings

MEGABYTES = 8
#: What hands do in the window on a full disk, and as much again once there is room.
DEEDS = 300
#: Readings of a batch that is roasted while there is no room.
SECONDS = 600


def attack_tiny_disk(folder: Path, short: bool) -> Found:
    """A library is opened on a full disk, a batch roasted on it, and room made: everything is there. Then hands do anything."""
    found, here = Found(), folder / "tiny"
    here.mkdir()
    mount = f'mount -t tmpfs -o size={MEGABYTES}m tmpfs "$0" && exec "$@"'
    paths = [str(Path(entry).resolve()) for entry in sys.path if entry]
    run = [
        sys.executable,
        "-c",
        f"import sys; sys.path[:0] = {paths!r}\nfrom attacks.tiny_disk import inside; inside(sys.argv[1], {not short})",
    ]
    done = subprocess.run(
        ["unshare", "--user", "--map-root-user", "--mount", "sh", "-c", mount, str(here), *run, str(here)],
        capture_output=True, text=True, check=False, timeout=1200, env=os.environ | {"QT_QPA_PLATFORM": "offscreen"},
    )  # fmt: skip
    if done.returncode and ("unshare" in done.stderr or "mount" in done.stderr):
        found.counts["not to be had on this computer"] += 1
        return found
    if done.returncode:
        found.fail(f"tiny disk: {done.stderr.strip().splitlines()[-1]}")
        return found
    for wrong in json.loads(done.stdout.splitlines()[-1]):
        found.fail(f"tiny disk: {wrong}")
    found.counts["full disks"] += 1
    return found


def inside(at: str, hands: bool) -> None:
    """In the name space: fill the disk, work on it, make room; what went wrong is written out."""
    wrong: list[str] = []
    path, fill = Path(at) / "library.sqlite", Path(at) / "fill"
    refuge = tempfile.mkdtemp()
    os.environ["TMPDIR"] = refuge
    first = Library(path)
    machine = first.save_machine(machine_of_kind("Drum Six", "gas-6"))
    record = make_record()
    first.add_record(record)
    first.close()
    _fill(fill)
    library = Library(path)
    if library.batch_list.count(BatchFilter()) != 1 or check_file(path, whole=True):
        wrong.append("what is there is not read")
    try:
        library.save_lot(Lot("x" * 200))
        wrong.append("a lot was taken in")
    except LibraryError as error:
        if "is full" not in str(error):
            wrong.append(f"a lot: {error}")
    now = [0.0]
    desk = Desk(library, Settings(), lambda call: call(), clock=Clock(lambda: now[0]), spill_at=Path(at) / "settings" / "spill")
    desk.look_by(not_at_all)
    desk.session.set_machine(machine)
    desk.prepare(BatchOrder(None, machine, None, 5.0))
    trace = record.trace
    for bean, air, gas in zip(trace.bean[:SECONDS], trace.air, trace.control(Control.GAS), strict=False):
        now[0] += 1.0
        desk.take_reading(reading(now[0], float(bean), float(air), float(gas)))
    told = desk.shut_down()
    if refuge not in told:
        wrong.append(f"at the end it said {told!r}")
    fill.unlink()
    again = Library(path)
    desk = Desk(again, Settings(), lambda call: call(), spill_at=Path(at) / "settings" / "spill")
    said = desk.recover().said
    lines = again.batch_lines(BatchFilter())
    sizes = sorted(again.batch(line.id).trace.t.size for line in lines)
    if len(said) != 1 or len(lines) != 2 or SECONDS not in sizes:
        wrong.append(f"at the next start it said {said}; {sizes} readings")
    desk.shut_down()
    if hands:
        wrong += _anything(again, Path(at), fill)
    print(json.dumps(wrong))


def _anything(library: Library, folder: Path, fill: Path) -> list[str]:
    """Hands that do anything, with the settings kept on that disk too."""
    from attacks.anywhere import Hands

    found = Found()
    _fill(fill)
    person = Hands(folder, library, 21, found, partial(save_settings, path=folder / "settings.json"))
    with person.watched():
        person.live(DEEDS)
        fill.unlink()
        person.live(DEEDS)
        person.end()
    return found.wrong


def _fill(path: Path) -> None:
    with path.open("wb", buffering=0) as file:
        try:
            while file.write(bytes(1024)):
                pass
        except OSError:
            return
