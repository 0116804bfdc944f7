"""What opens beside the views: a second screen, practice, handbook, old logs, settings and keys."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, Qt

from firnel.core.plan import Plan
from firnel.core.words import tr
from firnel.ui.roast.second_screen import SecondScreen
from firnel.ui.shared.actions import key_groups
from firnel.ui.shared.settings_dialog import SettingsDialog
from firnel.ui.shared.sheets import KeySheet
from firnel.work.review.records import LibraryError

if TYPE_CHECKING:
    from firnel.ui.main_window import MainWindow
    from firnel.ui.shared.handbook import Handbook


class Beside(QObject):
    """Opens them over a window; their code is loaded when they are wanted."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window = window
        self.second: SecondScreen | None = None
        self._handbook: Handbook | None = None

    def open_second_screen(self) -> None:
        """The roast in a window of its own, far, while this one does other work."""
        if self.second is None:
            self.second = SecondScreen(self._window.desk, self._window.look, self._window)
            self.second.closed.connect(self._on_second_closed)
        self.second.show()
        self.second.raise_()

    def _on_second_closed(self) -> None:
        self.second = None

    def practise(self, plan: Plan) -> None:
        """Open the practice window on a plan."""
        from firnel.ui.roast.practice import PracticeWindow
        from firnel.work.practice.practice import Practice

        window, desk = self._window, self._window.desk
        if desk.session.roasting:
            desk.session.say(tr("Not while beans are in the drum: a running roaster is never left."))
            window.show_station("Roast")
            return
        try:
            practice = PracticeWindow(lambda: desk.ask(Practice, plan, desk.settings), window.look, window)
        except (ValueError, LibraryError) as error:  # the latter of its own library, on a disk that is full
            desk.session.say(str(error))
            window.show_station("Roast")
            return
        practice.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        practice.show()

    def open_old_logs(self, places: Sequence[Path] = ()) -> None:
        """Old logs, to be looked at and taken in; those of files and folders that are given."""
        from firnel.ui.machines.old_logs_sheet import OldLogsSheet

        sheet = OldLogsSheet(self._window.desk, self._window.look, self._window)
        sheet.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        sheet.taken.connect(self._on_logs)
        sheet.open()
        if places:
            sheet.open_places(places)

    def _on_logs(self, told: str) -> None:
        self._window.desk.session.say(told)
        self._window.after_record()

    def open_settings(self) -> None:
        """The settings."""
        dialog = SettingsDialog(self._window.desk.settings, self._window.above.sounds, self._window)
        dialog.changed.connect(self._window.use_settings)
        dialog.open()

    def open_keys(self) -> None:
        """Every key."""
        KeySheet(key_groups(), self._window).open()

    def open_handbook(self) -> None:
        """The handbook, at the page of the view that is shown."""
        from firnel.ui.shared.handbook import Handbook
        from firnel.work.handbook import PAGE_OF

        if self._handbook is None:
            self._handbook = Handbook(self._window.look, self._window)
        self._handbook.show_page(PAGE_OF[self._window.shown])

    def close(self) -> None:
        """Close what has a window of its own."""
        for one in (self.second, self._handbook):
            if one is not None:
                one.close()
