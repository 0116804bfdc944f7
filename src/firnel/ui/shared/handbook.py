"""The handbook in a window of its own: pages left, the one that is read right, and a line that searches them all."""

from __future__ import annotations

import re
from pathlib import Path

from PyQt6.QtCore import QMarginsF, Qt, QUrl
from PyQt6.QtGui import QDesktopServices, QPageLayout, QPageSize, QPdfWriter, QTextCursor, QTextDocument
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from firnel.core.words import tr
from firnel.ui.shared.parts import button, label
from firnel.ui.theme.look import Look
from firnel.ui.theme.tokens import SANS, SPACE_M, SPACE_S
from firnel.work.handbook import Page, found_in, page, pages

#: So many letters of a line are shown. []
MOST = 84
#: Around the text. [px]
ROOM = 22.0
#: Where an entry of the list keeps the name of its page.
NAME = Qt.ItemDataRole.UserRole


class Handbook(QWidget):
    """Shows the pages; it stays open beside the work."""

    def __init__(self, look: Look, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowFlag(Qt.WindowType.Window)
        self.setObjectName("page")
        self.setWindowTitle(tr("Firnel: the handbook"))
        self.resize(960, 720)
        self._look, self._shown = look, pages()[0]
        row = QHBoxLayout(self)
        row.setContentsMargins(SPACE_M, SPACE_M, SPACE_M, SPACE_M)
        row.setSpacing(SPACE_M)
        left = QVBoxLayout()
        left.setSpacing(SPACE_S)
        left.addWidget(label(tr("Handbook"), "title"))
        self.search = QLineEdit()
        self.search.setAccessibleName(tr("Search the handbook"))
        self.search.setPlaceholderText(tr("Search"))
        self.search.textChanged.connect(self._on_search)
        left.addWidget(self.search)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Pages of the handbook"))
        self.list.setWordWrap(True)
        self.list.setFixedWidth(250)
        self.list.currentItemChanged.connect(self._on_chosen)
        left.addWidget(self.list, 1)
        save = button(tr("Print this page …"), tr("As PDF: the last page is a card for the wall"))
        save.clicked.connect(self._on_print)
        left.addWidget(save)
        row.addLayout(left)
        self.text = QTextBrowser()
        self.text.setAccessibleName(tr("Page of the handbook"))
        self.text.setOpenLinks(False)
        self.text.anchorClicked.connect(self._on_link)
        row.addWidget(self.text, 1)
        look.changed.connect(self._show_again)
        self._fill([(one, "") for one in pages()])

    def show_page(self, name: str) -> None:
        """Open the page of that name."""
        self.search.clear()
        for place in range(self.list.count()):
            item = self.list.item(place)
            if item is not None and item.data(NAME) == name:
                self.list.setCurrentItem(item)
        self.show()
        self.raise_()
        self.activateWindow()

    def _fill(self, found: list[tuple[Page, str]]) -> None:
        self.list.clear()
        for one, line in found:
            item = QListWidgetItem(f"{one.title}\n{shortened(line)}" if line else one.title)
            item.setData(NAME, one.name)
            self.list.addItem(item)
        if found:
            self.list.setCurrentRow(0)

    def _on_search(self, words: str) -> None:
        self._fill(found_in(words) if words.strip() else [(one, "") for one in pages()])
        if not self.list.count():
            self.text.setPlainText(tr("The handbook has nothing on {!r}.", words.strip()))

    def _on_chosen(self, item: QListWidgetItem | None) -> None:
        if item is None:
            return
        self._shown = page(item.data(NAME))
        self._show_again()

    def _show_again(self) -> None:
        document = self.text.document()
        if document is not None:
            _set_page(document, self._shown, self._look.palette.ink, self._look.palette.line)
        words = self.search.text().split()
        self.text.moveCursor(QTextCursor.MoveOperation.Start)
        if words:
            self.text.find(words[0])

    def _on_link(self, url: QUrl) -> None:
        QDesktopServices.openUrl(url)

    def _on_print(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, tr("Print this page"), f"firnel-{self._shown.name}.pdf", tr("PDF (*.pdf)"))
        if path:
            self.print_page(Path(path))

    def print_page(self, path: Path) -> None:
        """Write the page that is shown as PDF."""
        writer = QPdfWriter(str(path))
        writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
        writer.setPageMargins(QMarginsF(18.0, 18.0, 18.0, 18.0), QPageLayout.Unit.Millimeter)
        writer.setTitle(tr("Firnel: {}", self._shown.title))
        document = QTextDocument()
        _set_page(document, self._shown, "#1c262b", "#b9b2a2")
        document.print(writer)


def shortened(line: str) -> str:
    """As much of a line as a list has room for, to the end of a word.

    >>> shortened("a word " * 20).endswith("a word …")
    True
    """
    return line if len(line) <= MOST else f"{line[:MOST].rpartition(' ')[0]} …"


def _set_page(document: QTextDocument, shown: Page, ink: str, line: str) -> None:
    """Markdown as a page: tables with quiet lines and room in their cells."""
    document.setDefaultStyleSheet(f"body {{ color: {ink}; }}")
    made = QTextDocument()
    made.setMarkdown(shown.text, QTextDocument.MarkdownFeature.MarkdownDialectGitHub)
    html = made.toHtml().replace('<table border="1"', f'<table border="0" cellpadding="6" style="border-color:{line}"')
    html = re.sub(r"margin-top:\d+px; margin-bottom:\d+px;", "margin-top:3px; margin-bottom:7px;", html)
    html = re.sub(r'(<h[12] style="\s*)margin-top:3px; margin-bottom:7px;', r"\1margin-top:16px; margin-bottom:6px;", html)
    document.setDocumentMargin(ROOM)
    font = document.defaultFont()
    font.setFamily(SANS)
    font.setPointSizeF(12.0)
    document.setDefaultFont(font)
    document.setHtml(html)
