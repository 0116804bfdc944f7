"""What is sold: coffees of one lot or several, with their shares, plans, level and rest."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QHBoxLayout, QLineEdit, QSpinBox, QVBoxLayout, QWidget

from firnel.core.plan import Plan
from firnel.core.words import capital, later, meant, tr
from firnel.ui.shared.background import Background
from firnel.ui.shared.list_page import ListPage
from firnel.ui.shared.parts import FigureGrid, button, card, empty, label, rename
from firnel.work.bench.mixes import keep_reference, mix_of, mix_words
from firnel.work.day import orders as shop
from firnel.work.day.behind import Behind, Sold, behind, mixed_after, sold
from firnel.work.day.lists import without_origin
from firnel.work.day.orders import Blending, Coffee, Component, Level
from firnel.work.day.succession import Succeeded, let_follow
from firnel.work.desk import Desk

#: So many lots a coffee may have here.
MOST_PARTS = 5


class CoffeePage(ListPage):
    """Lists the coffees; the one that is chosen is changed beside the list, and kept by a button."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(
            desk,
            tr("Coffees"),
            tr("What is sold, and what it is made of"),
            (tr("Coffee"), tr("Level"), "+Of, %", "#Shelf", "#Ordered"),
            tr("Nothing is sold yet. A coffee is one lot or a blend, at a plan for each machine: add the first one."),
            sheet_width=424,
        )
        self._coffee = Coffee("", (Component(""),))
        self._follows: tuple[tuple[str, str], ...] = ()
        self._lots: tuple[str, ...] = ()
        self._plans: tuple[Plan, ...] = ()
        new = button(tr("New coffee"))
        new.clicked.connect(self._on_new)
        self.head.add(new)
        frame, column = card()
        self._name, self._level, self._last = (
            QLineEdit(),
            QComboBox(),
            QCheckBox(tr("Decaffeinated or flavoured: roasted last")),
        )
        self._name.setAccessibleName(tr("Name of the coffee"))
        self._level.setAccessibleName(tr("Level"))
        for level in Level:
            self._level.addItem(tr(level.value), level)
        self._blending = QComboBox()
        self._blending.setAccessibleName(tr("When the lots come together"))
        for blending in Blending:
            self._blending.addItem(tr("blended {}", blending), blending)
        self._ready, self._past = QSpinBox(), QSpinBox()
        self._ready.setAccessibleName(tr("Days of rest until it is ready"))
        self._past.setAccessibleName(tr("Days until it is past its best"))
        for box in (self._ready, self._past):
            box.setRange(0, 365)
            box.setSuffix(tr(" days"))
            box.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        grid = QGridLayout()
        grid.setColumnStretch(1, 1)
        rows: tuple[tuple[str, QWidget], ...] = (
            (tr("Name"), self._name), (tr("Level"), self._level), (tr("Lots"), self._blending),
        )  # fmt: skip
        for index, (words, widget) in enumerate(rows):
            grid.addWidget(label(words, "soft"), index, 0)
            grid.addWidget(widget, index, 1)
        grid.addWidget(label(tr("Ready from"), "soft"), len(rows), 0)
        grid.addLayout(self._rest(), len(rows), 1)
        column.addLayout(grid)
        column.addWidget(self._last)
        self._parts = QGridLayout()
        self._parts.setColumnStretch(0, 3)
        self._parts.setColumnStretch(2, 3)
        column.addLayout(self._parts)
        self._lines: list[tuple[QComboBox, QSpinBox, QComboBox]] = []
        row = QHBoxLayout()
        more, keep = button(tr("Another lot")), button(tr("Keep"), primary=True)
        more.clicked.connect(self._on_more)
        keep.clicked.connect(self._on_keep)
        row.addWidget(more)
        row.addStretch(1)
        row.addWidget(keep)
        column.addLayout(row)
        self.said = label("", "soft", wrap=True)
        column.addWidget(self.said)
        self._add_facts(column)
        self.sheet_column.addWidget(frame, 1)

    def _rest(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addWidget(self._ready, 1)
        row.addWidget(label(tr("past after"), "soft"))
        row.addWidget(self._past, 1)
        return row

    def _add_facts(self, column: QVBoxLayout) -> None:
        """What stands behind the coffee, and what to do where a lot runs low."""
        column.addWidget(label(tr("What stands behind it"), "heading"))
        self.facts, self.swaps = FigureGrid(), label("", "soft", wrap=True)
        column.addWidget(self.facts)
        column.addWidget(self.swaps)
        self.follow = button(
            tr("Let another lot take its place"),
            tr("The coffee goes on with that lot, by plans of its own that are kept and solved"),
        )
        self.follow.clicked.connect(self._on_follow)
        column.addWidget(self.follow, 0, Qt.AlignmentFlag.AlignLeft)
        self.reference = button(
            tr("Make what is on the shelf its reference"), tr("What comes later of this blend is cupped against it")
        )
        self.reference.clicked.connect(self._on_reference)
        column.addWidget(self.reference, 0, Qt.AlignmentFlag.AlignLeft)
        self.background = Background(self, partial(self.say, wrong=True))
        column.addStretch(1)

    def question(self) -> Callable[[], list[Sold]]:
        """What reads the coffees, the shelf and what is ordered."""
        return partial(self._desk.ask, sold, self._desk.clock.wall().astimezone().date())

    def show_read(self, read: list[Sold]) -> None:
        """Fill the list."""
        self.show_rows([(self._cells(one), one.coffee) for one in read])
        self.sheet.show()

    def _cells(self, one: Sold) -> tuple[str | tuple[str, float], ...]:
        units = self._desk.settings.units
        return (
            one.coffee.name,
            tr(one.coffee.level.value),
            _made_of(one.coffee),
            *((units.text(kg, "kg", 0) if kg else "–", kg) for kg in (one.shelf_kg, one.ordered_kg)),
        )

    def choice_question(self, key: Coffee) -> Callable[[], Behind]:
        """What reads all that stands behind a coffee."""
        return partial(self._desk.ask, behind, key)

    def show_choice(self, key: Coffee, read: Behind) -> None:
        """Show one coffee to be changed."""
        self._coffee = key
        self._name.setText(key.name)
        self._level.setCurrentIndex(self._level.findData(key.level))
        self._blending.setCurrentIndex(self._blending.findData(key.blending))
        self._last.setChecked(key.last)
        self._ready.setValue(key.ready_days)
        self._past.setValue(key.past_days)
        self._lots, self._plans = read.lots, read.plans
        self._show_parts(key.components)
        self._show_behind(key, read)
        self.say("")

    def _show_behind(self, coffee: Coffee, read: Behind) -> None:
        """Price, stock and cup of its lots, and what they can give."""
        units, facts = self._desk.settings.units, read.facts
        rows: list[tuple[str, ...]] = [("*lot", meant("weight", "green"), tr("on hand"), "makes", "cup")]
        for part in facts.parts:
            price = "–" if part.price_per_kg is None else tr("{:.2f}/kg", part.price_per_kg)
            score = "–" if part.score is None else tr("{:.1f}", part.score)
            rows.append(
                (part.lot or "–", price, units.text(part.on_hand_kg, "kg", 0), units.text(part.makes_kg, "kg", 0), score)
            )
        whole = "–" if facts.green_per_kg is None else tr("{:.2f}/kg", facts.green_per_kg)
        rows.append((tr("*per roasted kg"), whole, "", units.text(facts.makes_kg, "kg", 0), ""))
        self.facts.show_rows(rows)
        self.swaps.setText("\n".join(facts.said))
        self.reference.setVisible(mixed_after(coffee))
        if mixed_after(coffee):
            self.reference.setText(
                tr("Make what is on the shelf its reference")
                if read.reference is None
                else tr("Another reference, from the shelf")
            )
            self.reference.setAccessibleName(f"{self.reference.text()}: {coffee.name}")
            if read.reference is not None:
                self.swaps.setText("\n".join((*facts.said, tr("Cupped against {}.", read.reference))))
        self._follows = read.follows
        self.follow.setVisible(bool(self._follows))
        if self._follows:
            lot, follows = self._follows[0]
            self.follow.setText(tr("Let {} take the place of {}", without_origin(follows), without_origin(lot)))
            self.follow.setAccessibleName(self.follow.text())

    def _on_reference(self) -> None:
        """The blend as it would be mixed now is what later ones are cupped against."""
        try:
            mix = self._desk.ask(mix_of, self._coffee, self._desk.clock.wall().astimezone().date())
        except ValueError as error:
            self.say(str(error), wrong=True)
            return
        before = self._desk.ask(keep_reference, mix)
        instead = (
            tr(" instead of {}", self._desk.ask(mix_words, before)) if before is not None and before.parts != mix.parts else ""
        )
        self.say(tr("The reference is {}{}. Keep some of each batch for it.", self._desk.ask(mix_words, mix), instead))

    def _on_follow(self) -> None:
        """The lot that follows takes over; its plans are solved beside the window."""
        if not self._follows:
            return
        coffee, (lot, _), today = self._coffee, self._follows[0], self._desk.clock.wall().astimezone().date()
        self.follow.setEnabled(False)
        self.say(tr("Its plans are being made …"))
        ask = self._desk.ask
        self.background.run("follow", lambda: ask(let_follow, coffee, lot, today), self._followed, self._not_followed)

    def _followed(self, done: Succeeded) -> None:
        self.follow.setEnabled(True)
        self.refresh()
        self.select_key(lambda key: key.id == done.coffee.id)
        self.say("\n".join((tr("{} takes the place of {}.", done.follows, done.lot), *done.said)))

    def _not_followed(self, sentence: str) -> None:
        self.follow.setEnabled(True)
        self.say(capital(sentence), wrong=True)

    def say(self, text: str, wrong: bool = False) -> None:
        """What came of what was wanted."""
        rename(self.said, "warn" if wrong else "soft")
        self.said.setText(text)

    def _show_parts(self, parts: tuple[Component, ...]) -> None:
        empty(self._parts)
        self._lines = []
        for column, words in enumerate((later("lot"), later("share"), later("plan"))):
            self._parts.addWidget(label(tr(words), "soft"), 0, column)
        lots, plans = self._lots, self._plans
        for index, part in enumerate(parts, 1):
            lot, share, plan = QComboBox(), QSpinBox(), QComboBox()
            lot.addItems(lots if part.lot in lots or not part.lot else [part.lot, *lots])
            lot.setCurrentIndex(lot.findText(part.lot))
            lot.setAccessibleName(tr("Lot {}", index))
            share.setRange(1, 100)
            share.setSuffix(" %")
            share.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
            share.setValue(round(100 * part.share))
            share.setAccessibleName(tr("Share of lot {}", index))
            own = tuple(part.plans)
            if len(own) > 1:
                names = tr(" or ").join(one.name for one in plans if one.id in own)
                plan.addItem(names, own)
            for one in plans:
                plan.addItem(one.name, (one.id,))
                plan.setItemData(plan.count() - 1, tr("on {}", one.machine), Qt.ItemDataRole.ToolTipRole)
            plan.setCurrentIndex(next((at for at in range(plan.count()) if plan.itemData(at) == own), -1))
            plan.setAccessibleName(tr("Plan of lot {}", index))
            for box in (lot, plan):
                box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
                box.setMinimumContentsLength(10)
                box.setToolTip(box.currentText())
                box.currentTextChanged.connect(box.setToolTip)
            for column, widget in enumerate((lot, share, plan)):
                self._parts.addWidget(widget, index, column, Qt.AlignmentFlag.AlignTop)
            self._lines.append((lot, share, plan))

    def _typed(self) -> Coffee:
        parts = tuple(
            Component(lot.currentText(), share.value() / 100.0, tuple(plan.currentData() or ()))
            for lot, share, plan in self._lines
        )
        return replace(
            self._coffee, name=self._name.text().strip(), components=parts, blending=self._blending.currentData(),
            level=self._level.currentData(), last=self._last.isChecked(), ready_days=self._ready.value(),
            past_days=self._past.value(),
        )  # fmt: skip

    def _on_new(self) -> None:
        self.open(Coffee("", (Component(""),)))
        self._name.setFocus()

    def _on_more(self) -> None:
        parts = self._typed().components
        if len(parts) < MOST_PARTS:
            left = max(1.0 - sum(part.share for part in parts), 0.01)
            self._show_parts((*parts, Component("", left)))

    def _on_keep(self) -> None:
        wanted = self._typed()
        try:
            kept = self._desk.ask(shop.keep_coffee, wanted)
        except (ValueError, shop.ChangedMeanwhileError, shop.LibraryError) as error:
            sentence = str(error)
            self.say(capital(sentence), wrong=True)
            return
        self.refresh()
        self.open(kept)
        said = self._desk.ask(shop.misfits_of, kept)
        self.say("\n".join((tr("{} is kept.", kept.name), *said)))


def _made_of(coffee: Coffee) -> str:
    """Its lot; of a blend the shares, each lot without its origin: ``60 % Cerro Lindal + 40 % Kelavani``."""
    if not coffee.blend:
        return coffee.components[0].lot
    return " · ".join(tr("{} {:.0f}", without_origin(part.lot), 100 * part.share) for part in coffee.components)
