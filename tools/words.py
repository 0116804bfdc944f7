"""The catalogues of what is said: everything that the sources say is gathered, each catalogue brought up to date, and compiled.

``./run words`` writes; with ``--check`` nothing is written, and it fails where a catalogue is not what the sources say.
"""

from __future__ import annotations

import ast
import io
import re
import sys
from collections.abc import Iterator
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.mofile import read_mo, write_mo
from babel.messages.pofile import read_po, write_po

ROOT = Path(__file__).resolve().parents[1]
SOURCES = ROOT / "src" / "firnel"
LOCALES = SOURCES / "resources" / "locale"
#: Calls whose words are shown by `firnel.core.words.tr` further down, and which of their arguments; None for all words in them.
SHOWN: dict[str, tuple[int, ...] | None] = {
    "later": (0,), "_setting": (2,), "Key": (0,), "reads": (0,), "Table": None, "Entry": (1,), "offer": None,
    "lay_rows": None, "show_rows": None, "Course": (0, 1), "ListColumn": (0,), "DefectKind": (0,), "__init__": None,
}  # fmt: skip
#: Where a Table is one of the database, and only what is said with `later` is shown.
ROWS = "store/"
#: Names of days and months, as the system's own C locale has them.
DAYS = (
    "Mon Tue Wed Thu Fri Sat Sun Monday Tuesday Wednesday Thursday Friday Saturday Sunday Jan Feb Mar Apr May Jun Jul Aug Sep "
    "Oct Nov Dec January February March April June July August September October November December"
)
CUP_STAGES = "dry wet break hot warm cool"
VERDICTS = "same close off held missed"
KEYS = "Space Enter Return Esc Backspace Delete Del Up Down Left Right PgUp PgDn PgDown Ctrl Shift then"


def said() -> Iterator[tuple[str | tuple[str, str], str | None, str]]:
    """What the sources say: sentence (one and many, where it is counted), sense, and the file that says it."""
    for path in sorted(SOURCES.rglob("*.py")):
        name = path.relative_to(SOURCES).as_posix()
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Call):
                yield from ((words, None, name) for words in _of_call(node, name))
                if getattr(node.func, "id", "") == "meant" and len(told := list(_texts(node.args))) == 2:
                    yield told[1], told[0], name
            elif isinstance(node, ast.ClassDef) and any("StrEnum" in ast.unparse(base) for base in node.bases):
                values = (each.value for each in node.body if isinstance(each, ast.Assign))
                yield from ((word.replace("_", " "), None, name) for word in _texts(values))
    for sense, words in {"number": ".", "day": DAYS, "key": KEYS, "verdict": VERDICTS, "stage": CUP_STAGES}.items():
        yield from ((word, sense, "core/words.py") for word in words.split())
    yield from ((word, "typed", "core/words.py") for word in typed())


def _of_call(call: ast.Call, file: str) -> Iterator[str | tuple[str, str]]:
    name = call.func.attr if isinstance(call.func, ast.Attribute) else getattr(call.func, "id", "")
    if name == "trn":
        one, many = _texts(call.args[:2])
        yield one, many
    elif name == "tr":
        yield from _texts(call.args[:1])
    elif name == "later" or (name in SHOWN and not file.startswith(ROWS)):
        wanted = SHOWN[name]
        parts = [call] if wanted is None else [call.args[place] for place in wanted if place < len(call.args)]
        for word in _texts(node for part in parts for node in ast.walk(part)):
            yield word.lstrip("*#~+") if name != "later" else word


def _texts(nodes: object) -> Iterator[str]:
    for node in nodes:  # type: ignore[attr-defined]  # any iterable of nodes
        if isinstance(node, ast.Constant) and isinstance(node.value, str):
            yield node.value


def worth_saying(text: str) -> bool:
    """Whether there is anything in it that another language says otherwise: words, or a day."""
    bare = re.sub(r"\{[^{}]*\}", "", text)
    return bool(re.search(r"[A-Za-z]{2}", bare) or re.search("%-?[abdAB]", text))


def typed() -> Iterator[str]:
    """The words that are understood when they are typed: the tables called TYPED."""
    from firnel.core.day.order import TYPED as ORDERS
    from firnel.work.plan.typed import TYPED as MOVES

    yield from ("for", *ORDERS, *MOVES)


def gathered() -> Catalog:
    """Everything that is said, in order of the files."""
    found = Catalog(project="Firnel", fuzzy=False)
    for words, sense, name in said():
        if sense is not None or worth_saying(words if isinstance(words, str) else words[0]):
            found.add(words, context=sense, locations=[(name, None)])
    return found


def main() -> int:
    """Bring every catalogue up to date, or tell what is not."""
    template, wrong = gathered(), []
    for path in sorted(LOCALES.glob("*/LC_MESSAGES/firnel.po")):
        with path.open("rb") as file:
            known = read_po(file, locale=path.parts[-3])
        known.update(template, no_fuzzy_matching=True)
        known.obsolete.clear()
        known.revision_date = known.creation_date = template.creation_date
        missing = [message.id for message in known if message.id and not all(_forms(message.string))]
        wrong += [f"{path.parts[-3]}: not said yet: {words!r}" for words in missing]
        written = {".po": io.BytesIO(), ".mo": io.BytesIO()}
        write_po(written[".po"], known, width=0, include_lineno=False, sort_by_file=False, omit_header=False)
        write_mo(written[".mo"], known)
        for suffix, buffer in written.items():
            target = path.with_suffix(suffix)
            before = target.read_bytes() if target.exists() else b""
            if "--check" in sys.argv:
                wrong += (
                    [] if _same(before, buffer.getvalue(), suffix) else [f"{target.name} of {path.parts[-3]} is not up to date"]
                )
            else:
                target.write_bytes(buffer.getvalue())
        print(f"{path.parts[-3]}: {len(known)} sentences, {len(missing)} not said yet")
    print("\n".join(wrong))
    return 1 if wrong else 0


def _forms(string: str | tuple[str, ...] | list[str] | None) -> tuple[str, ...]:
    return (string,) if isinstance(string, str) else tuple(string or ("",))


def _same(before: bytes, after: bytes, suffix: str) -> bool:
    """Whether the same is said; when it was written, and by which Babel, does not count."""
    if suffix == ".mo":
        one, other = (read_mo(io.BytesIO(content)) if content else Catalog() for content in (before, after))
        said = [{(_forms(m.id), m.context): _forms(m.string) for m in read if m.id} for read in (one, other)]
        return said[0] == said[1]
    written = re.compile(rb'"(POT-Creation-Date|PO-Revision-Date|Generated-By):[^\n]*\n')
    return written.sub(b"", before) == written.sub(b"", after)


if __name__ == "__main__":
    sys.exit(main())
