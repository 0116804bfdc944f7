"""Opening the window on a library: the desk wired to Qt, and a clear word when a library cannot be opened."""

from __future__ import annotations

import logging
import os
import sys
from collections.abc import Callable, Sequence
from datetime import datetime
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QMessageLogContext, QtMsgType, qInstallMessageHandler

from firnel.app.command_parts import CouldNotError, default_library
from firnel.app.crash import CrashHook
from firnel.app.ends import end_on_signals, leave, wake_qt_on_signals
from firnel.app.first import First, make_application, use_size
from firnel.app.place import keep_place
from firnel.app.start import loaded
from firnel.core.vocabulary import Machine
from firnel.core.words import tr
from firnel.devices.clock import Clock
from firnel.store.copies import copy_files
from firnel.store.library import Library
from firnel.store.server import hurry
from firnel.store.writing import LibraryError
from firnel.ui.main_window import MainWindow
from firnel.ui.shared.actions import use_keys
from firnel.ui.shared.background import Background, Hop, left_running
from firnel.ui.shared.questions import agreed, told
from firnel.ui.theme.look import Look
from firnel.work.desk import AddressError, Desk, spill_folder
from firnel.work.library_care import lack_of_room, look_after_a_crash
from firnel.work.settings import Settings, save_settings

__all__ = ["make_application", "make_window", "use_size"]

#: So long the window waits for a server; then it is refused until the server is heard of again. [s]
HURRY_S = 1.5


def make_window(
    library: Library,
    settings: Settings,
    look: Look,
    keep: Callable[[Settings], None] = save_settings,
    clock: Clock | None = None,
    spill_at: Path | None = None,
) -> MainWindow:
    """A window on a library, not yet shown. Its desk is ``window.desk``."""
    look.use(settings.theme)
    use_keys(settings.keys)
    hop = Hop()
    ahead = Background(hop, print)  # each of its jobs says for itself where it failed
    desk = Desk(library, settings, hop.post, partial(ahead.run, "forecast"), clock, spill_at)
    window = MainWindow(desk, look, keep, hop)
    hop.setParent(window)
    return window


def run_window(first: First, library_at: str | Path, device: str | None = None, files: Sequence[Path] = ()) -> int:
    """Open the window and run until it is closed; files are taken in and shown. Returns the exit code."""
    library = _open(library_at)
    if library is None:
        first.done()
        return 1
    window = make_window(library, first.settings, first.look, spill_at=spill_folder())
    show_instead(first, window)
    window.roast.ready.connect(loaded)
    begin_work(window, (first.complaint,) if first.complaint else ())
    connect_first(window, device)
    if files:
        window.open_files(files)
    code = first.application.exec()
    keep_place(window)
    if left_running():
        leave(code)
    return code


def show_instead(first: First, window: MainWindow) -> None:
    """Show the window where the frame stands, which goes when the window is painted."""
    first.give_way(window)
    window.roast.painted.connect(first.done)
    window.show()


def begin_work(window: MainWindow, complaints: Sequence[str] = ()) -> None:
    """What every window begins with: what was left is found again, errors are told, ends are clean, copies are kept."""
    hook = CrashHook(partial(_tell_later, window))
    hook.install()
    qInstallMessageHandler(_log_qt)
    end_on_signals(window.end)
    wake_qt_on_signals(window)
    said = list(complaints)
    said += window.bring_in()
    if wrong := look_after_a_crash(window.desk.library):
        said.append(wrong)
    if full := lack_of_room(window.desk.library):
        window.tell(full)
    if window.desk.shared:
        hurry(HURRY_S)  # the window's own thread
        window.desk.join_stations()
    window.offer_unfinished()
    window.keep_copies()
    window.begin_learning()
    window.begin_where_empty()
    if said:
        window.desk.session.say(" ".join(said))


def _tell_later(window: MainWindow, sentence: str) -> None:
    """From whatever thread an error came up on."""
    window.hop.post(partial(window.tell, sentence))


def _log_qt(kind: QtMsgType, _context: QMessageLogContext, message: str | None) -> None:
    """Qt's own messages go into the log."""
    levels = {QtMsgType.QtDebugMsg: logging.DEBUG, QtMsgType.QtInfoMsg: logging.INFO, QtMsgType.QtWarningMsg: logging.WARNING}
    logging.getLogger("firnel.qt").log(levels.get(kind, logging.ERROR), "%s", message)


def connect_first(window: MainWindow, device: str | None) -> None:
    """Connect the given device, or the first machine that has an address."""
    machines = window.desk.library.machines()
    machine = next((m for m in machines if m.device_url), None) if device is None else _machine_at(device, machines)
    url = device or (machine.device_url if machine else "")
    if not url:
        return
    try:
        window.desk.connect(url, machine or _stand_in(url))
    except AddressError as error:
        window.desk.session.say(str(error))
    window.roast.request_refresh()


def _machine_at(url: str, machines: Sequence[Machine]) -> Machine | None:
    """The machine that an address belongs to: its own, else the only one that it can be; None where that is not known."""
    kind = _map_of(url)
    alike = [machine for machine in machines if not kind or machine.kind == kind]
    own = [machine for machine in machines if machine.device_url == url]
    linked = [machine for machine in alike if machine.device_url]
    return next((some[0] for some in (own, alike, linked) if len(some) == 1), None)


def _map_of(url: str) -> str:
    return url.partition("map=")[2].partition("&")[0]


def _stand_in(url: str) -> Machine | None:
    """A machine for an address that belongs to none in the library."""
    from firnel.work.desk import machine_kinds, machine_of_kind

    kind = _map_of(url)
    return machine_of_kind(machine_kinds()[kind], kind, url) if kind in machine_kinds() else None


def _open(library_at: str | Path) -> Library | None:
    """Open the library and keep it for ourselves; if that cannot be, say why and offer a copy."""
    try:
        library = Library(library_at)
    except LibraryError as error:
        return _offer_copy(library_at, error)
    try:
        library.lock_for_roasting()
    except LibraryError as error:
        library.close()
        return _offer_copy(library_at, error)
    return library


def _offer_copy(library_at: str | Path, error: LibraryError) -> Library | None:
    path = Path(library_at)
    if path.is_file():
        copied = agreed(None, str(error), tr("Work on a copy"), tr("Leave"), risky=True)
    else:
        copied = False
        told(None, str(error))
    if not copied:
        print(error, file=sys.stderr)
        return None
    try:
        folder = path.parent if os.access(path.parent, os.W_OK) else default_library().parent
        target = folder / f"{path.stem}-copy-{datetime.now():%Y%m%d-%H%M%S}{path.suffix}"
        library = Library(copy_files(path, target))
        library.lock_for_roasting()
    except (LibraryError, OSError, CouldNotError) as second:
        told(None, tr("The copy of {} cannot be opened either. {}", path.name, second))
        return None
    return library
