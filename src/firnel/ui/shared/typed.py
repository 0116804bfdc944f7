"""What hands have typed into a page and not kept yet: nothing that comes by itself goes over it."""

from __future__ import annotations

from PyQt6.QtWidgets import QAbstractSpinBox, QLineEdit, QWidget

#: A field of this name only asks: what is typed there is nothing to be kept.
ASKS = "asks"
#: What a box with a number held when its page was filled, or when hands came to it.
HELD = "held"


def has_typed(page: QWidget) -> bool:
    """Whether a field of a page, as far as it is open, holds what hands typed since the page was filled."""
    fields = page.findChildren(QLineEdit)
    boxes = [box for box in page.findChildren(QAbstractSpinBox) if box.isVisibleTo(page)]
    return any(box.property(HELD) not in (None, box.text()) for box in boxes) or any(
        field.isModified() and bool(field.text()) and not field.property(ASKS) and field.isVisibleTo(page) for field in fields
    )


def was_filled(page: QWidget) -> None:
    """A page was filled anew: whatever its boxes hold, nobody typed it."""
    for box in page.findChildren(QAbstractSpinBox):
        box.setProperty(HELD, box.text())
