"""The order in which Tab goes through a window: as it is read, whatever was made or put in later."""

from __future__ import annotations

from collections.abc import Iterator

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QAbstractSpinBox,
    QComboBox,
    QGridLayout,
    QLayout,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QWidget,
)

#: What has a keyboard of its own inside: Tab goes to it as a whole.
WHOLE = (QAbstractItemView, QAbstractSpinBox, QComboBox)


def reading_order(widget: QWidget) -> list[QWidget]:
    """What can be reached in a widget by Tab now, in the order of its layouts: row by row, inside before what follows."""
    return list(_walk(widget))


def next_in_order(window: QWidget, forwards: bool) -> QWidget | None:
    """What Tab leads to from where the focus is, or Backtab; at the end it begins again. None where nothing can be reached."""
    order = reading_order(window)
    if not order:
        return None
    at = window.focusWidget()
    while at is not None and at not in order:  # inside of a whole one, or where no Tab leads: a view
        if inside := [one for one in order if at.isAncestorOf(one)]:
            return inside[0 if forwards else -1]
        at = at.parentWidget()
    if at is None:
        return order[0 if forwards else -1]
    return order[(order.index(at) + (1 if forwards else -1)) % len(order)]


def _walk(widget: QWidget) -> Iterator[QWidget]:
    if not widget.isVisible() or not widget.isEnabled():
        return
    if widget.focusPolicy().value & Qt.FocusPolicy.TabFocus.value and widget.focusProxy() is None:
        yield widget
    if isinstance(widget, WHOLE):
        return
    for child in _children(widget):
        yield from _walk(child)


def _children(widget: QWidget) -> list[QWidget]:
    """The widgets in a widget, as they are read."""
    if isinstance(widget, QStackedWidget):
        shown = widget.currentWidget()
        return [shown] if shown is not None else []
    if isinstance(widget, QScrollArea):
        inside = widget.widget()
        return [inside] if inside is not None else []
    if isinstance(widget, QSplitter):
        return [part for place in range(widget.count()) if (part := widget.widget(place)) is not None]
    laid = _laid_out(widget.layout())
    loose = [
        child
        for child in widget.children()
        if isinstance(child, QWidget) and child not in laid and not child.isWindow() and child.isVisible()
    ]
    return [*laid, *sorted(loose, key=lambda child: (child.y(), child.x()))]


def _laid_out(layout: QLayout | None) -> list[QWidget]:
    if layout is None:
        return []
    places = range(layout.count())
    if isinstance(layout, QGridLayout):
        places = sorted(places, key=lambda place: layout.getItemPosition(place)[:2])  # type: ignore[assignment]
    found: list[QWidget] = []
    for place in places:
        item = layout.itemAt(place)
        if item is None:
            continue
        if (widget := item.widget()) is not None:
            found.append(widget)
        elif (inner := item.layout()) is not None:
            found += _laid_out(inner)
    return found
