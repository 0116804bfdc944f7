"""What is typed or told by one key while roasting, each in a strip of its own, and passed on to the session."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from firnel.core.words import tr
from firnel.ui.roast.strips import LineStrip, WordStrip
from firnel.work import shelf
from firnel.work.desk import Desk
from firnel.work.roast.before_charge import check_label

#: How a batch may end otherwise than by its drop.
ENDINGS = (tr("heat off"), tr("out of the drum or cooling"), "fire", tr("recording stopped"), "other")


class EntryStrips(QObject):
    """The strips of a view: the trier, a remark, a reading by hand, a setting, the label of a load, how a batch ended."""

    recorded = pyqtSignal()  # a batch was saved, or a word on it

    def __init__(self, desk: Desk, view: QWidget) -> None:
        super().__init__(view)
        self._desk = desk
        self.words = WordStrip(view)
        self.remark, self.hand, self.setting = (
            LineStrip(view, name) for name in (tr("Remark"), tr("Bean reading"), tr("Setting"))
        )
        self.label, self.ended = LineStrip(view, tr("Label of the load")), LineStrip(view, tr("A word on how it ended"))
        self.all = (self.words, self.remark, self.hand, self.setting, self.label, self.ended)
        self.words.chosen.connect(self._on_word)
        self.remark.entered.connect(lambda text: self._desk.session.note("remark", text, self._now()))
        self.setting.entered.connect(lambda text: self._desk.session.type_setting(text, self._now()))
        self.label.entered.connect(lambda text: check_label(self._desk.session, text, self._now()))
        self.ended.entered.connect(self._on_ended)
        self.hand.entered.connect(self._on_hand)
        self.hand.cancelled.connect(self._on_hand_cancelled)

    def ask_colour(self) -> None:
        """The trier's colour, as a word."""
        self.words.ask("colour", self._desk.settings.colour_words, self._now())

    def ask_smell(self) -> None:
        """The trier's smell, as a word."""
        self.words.ask("smell", self._desk.settings.smell_words, self._now())

    def ask_ending(self) -> None:
        """How the batch ends otherwise: a second key says it."""
        self.words.ask("ended by", ENDINGS, self._now())

    def ask_reading(self, digit: str) -> None:
        """A reading by hand, whose first digit was keyed; stamped at that key."""
        if self._desk.by_hand is not None:
            self._desk.by_hand.begin()
            self.hand.ask(digit)

    def _now(self) -> float:
        return self._desk.clock.now()

    def _on_word(self, kind: str, word: str, at: float) -> None:
        session = self._desk.session
        if kind != "ended by":
            session.note(kind, word, at)
            return
        running = session.roasting
        session.abandon(word)
        self.recorded.emit()
        if running:
            self.ended.ask()  # a word may be added; Escape leaves it at that

    def _on_ended(self, text: str) -> None:
        key = self._desk.session.last_id
        if key is not None:
            self._desk.ask(shelf.add_reason, key, text)
            self._desk.session.say(tr("Kept: {}.", text))
            self.recorded.emit()

    def _on_hand(self, text: str) -> None:
        hand, session, units = self._desk.by_hand, self._desk.session, self._desk.settings.units
        if hand is None:
            return
        try:
            bean = units.typed(text, "°C")
            if question := session.doubt_reading(bean):
                hand.cancel()
                session.say(units.sentence(question))
                return
            hand.enter(bean)
        except ValueError as error:
            hand.cancel()
            session.say(tr("Not taken: {}", error))

    def _on_hand_cancelled(self) -> None:
        if self._desk.by_hand is not None:
            self._desk.by_hand.cancel()
