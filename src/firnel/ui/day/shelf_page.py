"""The shelf: roasted coffee by batch, how long it has rested, and for which coffees it is."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from firnel.core.day.coffee import Rest
from firnel.core.words import tr
from firnel.ui.shared.list_page import ListPage
from firnel.ui.shared.parts import ElidedLabel, FigureGrid, card, label
from firnel.work.day.shelf_stock import OnShelf, on_shelf
from firnel.work.desk import Desk


class ShelfPage(ListPage):
    """Lists what is there, the oldest first, and sums it up by coffee."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(
            desk,
            tr("Shelf"),
            tr("Roasted coffee that is not packed yet"),
            (tr("Coffee"), tr("Batch"), tr("Roasted"), "#Weight", tr("Rest")),
            tr(
                "Nothing is on the shelf. What is roasted for a coffee and weighed comes here, and leaves it when it is packed."
            ),
            sheet_width=360,
        )
        frame, column = card()
        column.addWidget(label(tr("By coffee"), "heading"))
        self._sums = FigureGrid()
        column.addWidget(self._sums)
        self.sheet_column.addWidget(frame)
        one, inside = card()
        self._name, self._one = ElidedLabel("heading"), FigureGrid()
        inside.addWidget(self._name)
        inside.addWidget(self._one)
        self.sheet_column.addWidget(one)
        self.sheet_column.addStretch(1)

    def question(self) -> Callable[[], list[OnShelf]]:
        """What looks at the shelf."""
        return partial(self._desk.ask, on_shelf, self._desk.clock.wall().astimezone().date())

    def show_read(self, read: list[OnShelf]) -> None:
        """Fill the list, and sum it up."""
        units, there = self._desk.settings.units, read
        self.show_rows(
            [
                (
                    (
                        ", ".join(one.coffees) or tr("{}, of no coffee", one.lot),
                        one.batch,
                        (tr("{:%-d %b}, {}", one.roasted, _days(one.days)), one.roasted.toordinal()),
                        units.text(one.kg, "kg", 2),
                        tr(one.rest.value) if one.rest is not None else "–",
                    ),
                    one,
                )
                for one in there
            ]
        )
        sums: dict[str, float] = {}
        past: dict[str, float] = {}
        for one in there:
            name = one.coffees[0] if one.coffees else tr("of no coffee")
            sums[name] = sums.get(name, 0.0) + one.kg
            if one.rest is Rest.PAST:
                past[name] = past.get(name, 0.0) + one.kg
        rows: list[tuple[str, ...]] = [(name, units.text(kg, "kg", 1)) for name, kg in sorted(sums.items())]
        rows += [(tr("*{}: past its best", name), units.text(kg, "kg", 1)) for name, kg in sorted(past.items())]
        self._sums.show_rows(rows)

    def show_choice(self, key: OnShelf, read: None) -> None:
        """Show one batch of it."""
        units = self._desk.settings.units
        self._name.show_text(tr("Batch {}", key.batch))
        rows: list[tuple[str, ...]] = [
            (tr("Lot"), key.lot),
            (tr("Roasted"), tr("{:%A %-d %B}", key.roasted)),
            (tr("Left"), units.text(key.kg, "kg", 2)),
        ]
        self._one.show_rows(
            rows + [(tr("Rest"), f"{_days(key.days)}: {tr(key.rest.value)}" if key.rest is not None else _days(key.days))]
        )


def _days(days: int) -> str:
    return tr("today") if days == 0 else tr("1 day") if days == 1 else tr("{} days", days)
