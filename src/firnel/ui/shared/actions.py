"""Every action with its key and words, in one table: shortcuts, key sheet and palette are made from it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QAbstractButton, QWidget

from firnel.core import words
from firnel.core.words import key_words, tr


@dataclass(frozen=True)
class Action:
    """One action.

    ``keys`` are what a shortcut is bound to, ``shown`` how the key sheet names them where that is otherwise; ``where`` is the
    group on the key sheet, where one without words is told by the one before it. An action with a ``palette`` text can be found
    by it. Keys of a ``listed`` action are taken by the widget that has the cursor.
    """

    name: str
    keys: tuple[str, ...]
    words: str
    where: str
    shown: str = ""
    palette: str = ""
    repeats: bool = False
    listed: bool = False

    @property
    def shown_keys(self) -> str:
        """As the key sheet says them."""
        return key_words(self.shown or "  ".join(self.keys))


ROAST, EVERYWHERE, PLAN, REVIEW = tr("While roasting"), tr("Everywhere"), tr("In Plan"), tr("In Review")
BOOKS = tr("In Green, Day and Machines")
#: So many proposed edits have a key.
MOST_EDITS = 5
#: The views in the order of the work.
STATIONS = ("Green", "Plan", "Day", "Roast", "Bench", "Review", "Machines")

ACTIONS = (
    Action("mark", ("Space",), tr("mark what is expected next: charge, yellow, first crack, drop"), ROAST),
    Action("confirm", ("Return", "Enter"), tr("the next planned move, check or step is done"), ROAST, "Enter"),
    Action("advice", ("A",), tr("take the advice"), ROAST),
    Action("dismiss", ("D",), tr("let a missed move go"), ROAST),
    Action("undo", ("Z",), tr("a found mark: not yet; else take back your last key"), ROAST),
    Action("other", ("O",), tr("the last Space meant the other: yellow or first crack, found or now"), ROAST),
    Action("pick", ("M",), tr("pick a mark to nudge, the one before it the next time"), ROAST),
    Action("nudge back", (",",), tr("nudge it by 1 s (with Ctrl by 5 s)"), ROAST, ",  ."),
    Action("nudge on", (".",), "", ROAST),
    Action("nudge far back", ("Ctrl+Left",), "", ROAST),
    Action("nudge far on", ("Ctrl+Right",), "", ROAST),
    Action(
        "heat up",
        ("Up",),
        tr("the chosen control one step, where the machine does not report it"),
        ROAST,
        "Up  Down",
        repeats=True,
    ),
    Action("heat down", ("Down",), "", ROAST, repeats=True),
    Action("air up", ("Right",), tr("airflow one step"), ROAST, "Right  Left", repeats=True),
    Action("air down", ("Left",), "", ROAST, repeats=True),
    Action("choose control", ("H",), tr("choose the next control for Up and Down"), ROAST),
    Action("set control", ("V",), tr("type a setting: 70, or radiant 40; or charge 6:30, so long ago"), ROAST),
    Action("drum up", ("PgUp",), tr("drum one step"), ROAST, "PgUp  PgDn", repeats=True),
    Action("drum down", ("PgDown",), "", ROAST, repeats=True),
    Action("colour", ("C",), tr("colour on the trier"), ROAST, tr("C, then 1-9")),
    Action("smell", ("S",), tr("smell"), ROAST, tr("S, then 1-9")),
    Action("remark", ("R",), tr("remark"), ROAST),
    Action("outlier", ("P",), tr("a lone pop that does not count"), ROAST),
    Action("crack ends", ("E",), tr("first crack ends"), ROAST),
    Action("second crack", ("X",), tr("second crack"), ROAST),
    Action("prepare", ("N",), tr("prepare a batch"), ROAST, palette=tr("Prepare a batch")),
    Action("next", ("Q",), tr("take the next batch that waits"), ROAST, palette=tr("Take the next batch that waits")),
    Action("label", ("L",), tr("read a label: scan or type it"), ROAST),
    Action("weigh", ("W",), tr("to the weighing figures, of the last batch too"), ROAST),
    Action("abandon", ("Backspace",), tr("end the batch otherwise, then 1-5"), ROAST, palette=tr("End this batch otherwise")),
    Action("far", ("F11",), tr("far mode: cue and landing twice as large"), ROAST, palette=tr("Far mode")),
    Action(
        "second screen",
        ("Shift+F11",),
        tr("the roast in a window of its own"),
        ROAST,
        palette=tr("The roast in a window of its own"),
    ),
    Action("reading", (), tr("a reading by hand, stamped at the first key"), ROAST, "0-9", listed=True),
    *(
        Action(f"station {name}", (f"F{number}",), tr(name), EVERYWHERE, palette=tr(name))
        for number, name in enumerate(STATIONS, start=1)
    ),
    Action("find", ("Ctrl+K",), tr("find anything"), EVERYWHERE),
    Action("settings", ("Ctrl+,",), tr("settings"), EVERYWHERE, palette=tr("Settings: units, theme, words")),
    Action("theme", ("Ctrl+T",), tr("day or night theme"), EVERYWHERE, palette=tr("Day or night theme")),
    Action("keys", ("?",), tr("this sheet"), EVERYWHERE, palette=tr("All keys")),
    Action("handbook", ("Shift+F1",), tr("the handbook, at the page of this view"), EVERYWHERE, palette=tr("Handbook")),
    Action("begin", (), tr("the five steps of the beginning"), EVERYWHERE, "–", palette=tr("Beginning: the five steps")),
    Action("old logs", (), tr("take in old logs"), EVERYWHERE, "–", palette=tr("Take in old logs")),
    Action("leave", ("Ctrl+Q",), tr("leave"), EVERYWHERE),
    Action("disconnect", (), tr("disconnect the machine"), EVERYWHERE, "–", palette=tr("Disconnect the machine")),
    Action("take back", ("Ctrl+Z",), tr("take back what just happened"), BOOKS),
    Action("plan undo", ("Ctrl+Z",), tr("take the last edit back"), PLAN),
    Action("plan redo", ("Ctrl+Shift+Z",), tr("make it again"), PLAN),
    Action("move choose", (), tr("choose a move"), PLAN, "Up  Down", listed=True),
    Action("move step", (), tr("the chosen move one step of its gauge"), PLAN, "+  -", listed=True),
    Action("move shift", (), tr("the chosen move, or stage, 5 s"), PLAN, "Left  Right", listed=True),
    Action("move hold", (), tr("hold the chosen move, or give it back"), PLAN, "H", listed=True),
    Action("move hang", (), tr("hang it on its mark, a bean temperature or the clock"), PLAN, "B", listed=True),
    Action("move delete", (), tr("delete it"), PLAN, "Delete", listed=True),
    Action("lay over", ("Ctrl+L",), tr("lay this batch over others"), REVIEW),
    Action("correct undo", ("Ctrl+Z",), tr("take the last correction back"), REVIEW),
    Action("plan it", ("Ctrl+P",), tr("a plan that aims at what this batch was"), REVIEW),
    Action("reference", ("Ctrl+R",), tr("the reference of its plan"), REVIEW),
    Action("compare", ("Ctrl+D",), tr("add this batch to those compared"), REVIEW),
    Action("take edit 1", ("Ctrl+1",), tr("take a proposed edit into the plan"), REVIEW, "Ctrl+1 … 5"),
    *(Action(f"take edit {number}", (f"Ctrl+{number}",), "", REVIEW) for number in range(2, MOST_EDITS + 1)),
)
_BY_NAME = {action.name: action for action in ACTIONS}
#: Keys that this user has set otherwise, by the name of the action.
_own_keys: dict[str, tuple[str, ...]] = {}


def action(name: str) -> Action:
    """The action of that name, with the keys that this user has."""
    found = _BY_NAME[name]
    return replace(found, keys=_own_keys[name], shown=_own_keys[name][0]) if name in _own_keys else found


def use_keys(own: Iterable[str]) -> None:
    """Use these keys from now on; see `own_keys`."""
    found = own_keys(own)
    _own_keys.clear()
    _own_keys.update(found)
    words.use_keys({name: keys[0] for name, keys in found.items()})


def own_keys(own: Iterable[str]) -> dict[str, tuple[str, ...]]:
    """Keys by the name of their action, from entries such as ``undo=U``; actions that are not named keep theirs.

    Raises
    ------
    ValueError : if an entry is none, its key is no key, or two actions of a place would have one key.
    """
    found: dict[str, tuple[str, ...]] = {}
    for entry in own:
        name, _, key = (part.strip() for part in entry.partition("="))
        sequence = QKeySequence(key)
        if name not in _BY_NAME or not _BY_NAME[name].keys:
            raise ValueError(tr("Keys: there is no action {!r} with a key.", name))
        if sequence.isEmpty() or sequence.count() != 1 or not sequence[0].key() or not sequence.toString().strip():
            raise ValueError(tr("Keys: {!r} is no key.", key))
        found[name] = (sequence.toString(),)
    for where in dict.fromkeys(one.where for one in ACTIONS):
        taken: dict[str, str] = {}
        for one in ACTIONS:
            if one.where in (where, EVERYWHERE):
                for key in found.get(one.name, one.keys):
                    shown = QKeySequence(key).toString()
                    if taken.setdefault(shown, one.name) != one.name:
                        raise ValueError(tr("Keys: {} would be both “{}” and “{}”.", shown, taken[shown], one.name))
    return found


def bind(widget: QWidget, where: str, handlers: Mapping[str, Callable[[], object]], whole_window: bool) -> list[QShortcut]:
    """Bind the actions of a group on a widget; each that has a key must have a handler, and no other.

    Parameters
    ----------
    widget, where : on which, and the group.
    handlers : by the name of the action.
    whole_window : whether the keys work wherever the cursor is, or only inside the widget.

    Raises
    ------
    KeyError : if the table and the handlers do not agree.
    """
    wanted = {one.name for one in ACTIONS if one.where == where and one.keys}
    if wanted != {name for name in handlers if action(name).keys}:
        raise KeyError(f"{where}: {sorted(wanted ^ set(handlers))} are not both in the table and handled.")
    made = []
    for name, handler in handlers.items():
        for key in action(name).keys:
            shortcut = QShortcut(QKeySequence(key), widget)
            if not whole_window:
                shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            shortcut.setAutoRepeat(action(name).repeats)
            shortcut.activated.connect(handler)
            made.append(shortcut)
    return made


def give_key(button: QAbstractButton, name: str) -> None:
    """A button takes the key of an action, and tells it."""
    button.setShortcut(QKeySequence(action(name).keys[0]))
    tell_key(button, name)


def tell_key(button: QAbstractButton, name: str) -> None:
    """A button's tool tip names the key that does the same."""
    tip, key = button.toolTip(), key_words(action(name).keys[0])
    button.setToolTip(f"{tip} ({key})" if tip else key)


def key_groups() -> tuple[tuple[str, tuple[tuple[str, str], ...]], ...]:
    """What the key sheet shows: by group, each key with its meaning."""
    told = [action(one.name) for one in ACTIONS if one.words and one.shown_keys]
    return tuple(
        (where, tuple((one.shown_keys, one.words) for one in told if one.where == where))
        for where in dict.fromkeys(one.where for one in told)
    )
