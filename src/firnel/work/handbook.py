"""The handbook: pages in Markdown that lie with the program, found by view and by word."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from importlib import resources

from firnel.core.words import language

#: Which page belongs to which view.
PAGE_OF = {
    "Beginning": "first-hour", "Green": "green", "Plan": "plan", "Day": "day", "Roast": "roast", "Bench": "bench",
    "Review": "review", "Machines": "machines",
}  # fmt: skip


@dataclass(frozen=True)
class Page:
    """One page: its name, its title, and its text in Markdown."""

    name: str
    title: str
    text: str


@cache
def pages() -> tuple[Page, ...]:
    """All pages in their order, in the language that is spoken where there are pages in it."""
    folder = resources.files("firnel") / "resources" / "handbook"
    if (own := folder / language()).is_dir():
        folder = own
    found = []
    for path in sorted(folder.iterdir(), key=lambda one: one.name):
        if path.name.endswith(".md"):
            text = path.read_text(encoding="utf-8")
            title = text.partition("\n")[0].removeprefix("# ").strip()
            found.append(Page(path.name.removesuffix(".md").partition("-")[2], title, text))
    return tuple(found)


def page(name: str) -> Page:
    """The page of that name.

    Raises
    ------
    KeyError : if there is none.
    """
    return {one.name: one for one in pages()}[name]


def found_in(words: str) -> list[tuple[Page, str]]:
    """Pages in which all these words stand in one paragraph, with the first such line; those with a word in the title first."""
    wanted = words.lower().split()
    if not wanted:
        return []
    found = []
    for one in pages():
        lines = [line.strip(" |-*#>") for line in one.text.replace("\n  ", " ").splitlines()]
        hit = next((line for line in lines if all(word in line.lower() for word in wanted)), None)
        if hit is not None:
            found.append(
                (one, " ".join(hit.replace("*", "").replace("`", "").replace(" | ", ": ", 1).replace(" | ", "; ").split()))
            )
    return sorted(found, key=lambda pair: not any(word in pair[0].title.lower() for word in wanted))
