"""What stands above every view while a batch runs, and what is heard of it: the same on whatever station one is."""

from __future__ import annotations

from PyQt6.QtWidgets import QApplication, QWidget

from firnel.core.words import tr
from firnel.ui.roast.cue_panel import CuePanel
from firnel.ui.shared.awake import Awake
from firnel.ui.shared.frame import NowLine, typing_note
from firnel.ui.shared.sounds import Sounds
from firnel.ui.shared.space_key import typing_in
from firnel.work.desk import Desk
from firnel.work.roast.advice_words import told_line
from firnel.work.roast.announcing import Announcement, Announcer
from firnel.work.roast.cue import cue_of


class Above:
    """The now line, a danger as large as on Roast, and a word where keys go into a field; sounds, and a screen that stays lit.

    Parameters
    ----------
    desk : whose batch it is.
    window : over which it stands.
    """

    def __init__(self, desk: Desk, window: QWidget) -> None:
        self._desk = desk
        self.now_line, self.alarm, self.typing = NowLine(), CuePanel(), typing_note()
        self.sounds, self.awake = Sounds(lambda: desk.settings, window), Awake(window)
        self._announcer = Announcer()

    def hide(self) -> None:
        """Show nothing yet."""
        for widget in (self.now_line, self.alarm, self.typing):
            widget.hide()

    def show_now(self, elsewhere: bool) -> None:
        """Show and sound how the batch stands now.

        Parameters
        ----------
        elsewhere : another view than Roast is looked at.
        """
        session, settings = self._desk.session, self._desk.settings
        cue = cue_of(session, settings.units, settings.cooling_aim_s)
        danger = cue.urgency == "danger"
        # A warning of fire is as large on every station as it is on Roast.
        self.alarm.setVisible(danger and elsewhere)
        self.now_line.setVisible(session.recording and elsewhere and not danger)
        if danger and elsewhere:
            self.alarm.show_cue(cue)
        if self.now_line.isVisible():
            self.now_line.show_now(tr("Batch {}", session.label), cue)
        self.awake.hold(session.roasting)
        self.typing.setVisible(session.roasting and typing_in(QApplication.focusWidget()))
        told = told_line(session, settings.units)
        if (heard := self._announcer.look(cue, told, self._desk.clock.now())) is not None:
            self.sounds.announce(heard)

    def announce_step(self) -> None:
        """The next step of a cupping begins."""
        self.sounds.announce(Announcement("soon", tr("The next step of the cup.")))
