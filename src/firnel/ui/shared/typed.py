"""What hands have typed into a page and not kept yet: nothing that comes by itself goes over it."""

from __future__ import annotations

from PyQt6.QtWidgets import QLineEdit, QWidget

#: A field of this name only asks: what is typed there is nothing to be kept.
ASKS = "asks"


def has_typed(page: QWidget) -> bool:
    """Whether a field of a page, as far as it is open, holds what hands typed since the page was filled."""
    return any(
        field.isModified() and bool(field.text()) and not field.property(ASKS) and field.isVisibleTo(page)
        for field in page.findChildren(QLineEdit)
    )
