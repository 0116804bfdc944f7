"""Has the machines learned anew whenever there is something to learn: beside the window, which only hears of it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QObject, pyqtSignal

from firnel.core.vocabulary import Machine
from firnel.ui.shared.background import Background
from firnel.work.desk import Desk


class Teaching(QObject):
    """One machine at a time, in a process of its own.

    Parameters
    ----------
    desk : whose library holds the batches.
    parent : the window.
    """

    learned = pyqtSignal(str)  #: a machine was learned anew; the one line that says what

    def __init__(self, desk: Desk, parent: QObject) -> None:
        super().__init__(parent)
        self._desk = desk
        self._background = Background(self, self._on_error, threads=1)
        self._busy = False
        self._again = False
        self._in_vain: set[tuple[str, ...]] = set()
        self._tried: tuple[str, ...] = ()
        self._unsaid = ""
        desk.listen(self._say)

    def look(self) -> None:
        """See whether a batch can teach something; where one can, learn from it."""
        if self._desk.settings.learning != "by itself":
            return
        if self._busy:
            self._again = True
            return
        self._busy = True
        work = partial(self._learn, frozenset(self._in_vain))
        self._background.run_long("learn", work, self._on_learned, lambda _done: None)

    def _learn(self, in_vain: frozenset[tuple[str, ...]], progress: Callable[[float], bool]) -> str | None:
        from firnel.work.machines.learner import learn_next  # on the thread that waits: not wanted sooner

        return self._desk.ask(learn_next, in_vain, self._on_try, progress)

    def _on_try(self, machine: Machine, labels: tuple[str, ...]) -> None:
        self._tried = (machine.name, *labels)

    def _on_learned(self, told: str | None) -> None:
        self._busy = False
        if told is None:
            again, self._again = self._again, False
            if again:
                self.look()
            return
        self._desk.forget_model()
        self._unsaid = told
        self.learned.emit(told)
        self._say()
        self.look()  # the next machine, if there is one

    def _on_error(self, sentence: str) -> None:
        self._busy = False
        self._in_vain.add(self._tried)
        self._unsaid = sentence
        self._say()

    def _say(self) -> None:
        """Tell it, but not into a roast."""
        if self._unsaid and not self._desk.session.roasting:
            told, self._unsaid = self._unsaid, ""
            self._desk.session.say(told)
