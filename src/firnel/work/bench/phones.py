"""Each cupper on a phone: a plain form for the own codes only, so that nobody hears another's score."""

from __future__ import annotations

import html
import secrets
import threading
import time
from collections.abc import Callable
from functools import cache
from importlib import resources
from typing import Any

from firnel.core.cup.scores import range_of
from firnel.core.words import as_number, capital, language, meant, tr
from firnel.devices.local_page import Answer, Asked, LocalPage, own_address
from firnel.store.library import Library
from firnel.work.bench import cupping
from firnel.work.bench.cupping import TableSet

__all__ = ["LocalPage", "PhoneTable", "open_table", "own_address"]

#: So many wrong codes, then nobody gets in for so long. [s]
WRONG_CODES, SHUT_S = 8, 60.0
COOKIE = "cupper"


class PhoneTable:
    """Answers the phones of one table.

    Parameters
    ----------
    library, table : what is cupped.
    on_entered : called after each entry, from the server's thread.
    clock : seconds that only go forward.
    secure : whether the page is encrypted, and so is the cookie.
    """

    def __init__(
        self,
        library: Library,
        table: TableSet,
        on_entered: Callable[[], None] = lambda: None,
        clock: Callable[[], float] = time.monotonic,
        secure: bool = False,
    ) -> None:
        if table.id is None or table.revealed:
            raise ValueError(tr("Phones are for a table that is set and not revealed."))
        self._library, self._key, self._on_entered, self._clock = library, table.id, on_entered, clock
        self._cookie = f"HttpOnly; SameSite=Strict; Path=/{'; Secure' if secure else ''}"
        self.code = f"{secrets.randbelow(1_000_000):06d}"  #: lets a phone in; another one for each session
        self._sessions: dict[str, str] = {}
        self._wrong: list[float] = []
        self._lock = threading.Lock()

    @property
    def table(self) -> TableSet:
        """As it is kept now."""
        return self._library.bench_book.table(self._key)

    def done(self) -> list[tuple[str, int, int, bool]]:
        """Each cupper: how many codes are scored whole, of how many, and whether a phone has come; no score is told."""
        table = self.table
        with self._lock:
            there = set(self._sessions.values())
        codes = [coffee.code for coffee in cupping.coffees_of(table)]
        return [
            (person, sum(cupping.score_of(table, person, code) is not None for code in codes), len(codes), person in there)
            for person in table.document["cuppers"]
        ]

    def free(self, cupper: str) -> None:
        """A name can be taken by another phone."""
        with self._lock:
            self._sessions = {token: person for token, person in self._sessions.items() if person != cupper}

    def answer(self, asked: Asked) -> Answer:
        """One page, or where to go on."""
        table = self.table
        if table.revealed:
            return _page(410, tr("The table is revealed"), _said(tr("Entries are closed. Thank you.")))
        with self._lock:
            cupper = self._sessions.get(asked.cookies.get(COOKIE, ""))
        if cupper is None:
            return self._come_in(asked, table)
        if asked.path.startswith("/cup/"):
            code = asked.path.removeprefix("/cup/")
            if code not in table.document["orders"][cupper]:
                return _page(404, tr("No such code"), _said(tr("This code does not stand on your table.")) + _back())
            if asked.method == "POST":
                return self._take(asked, table, cupper, code)
            return self._form(table, cupper, code)
        return self._codes(table, cupper)

    def _come_in(self, asked: Asked, table: TableSet) -> Answer:
        """The one-time code, then the own name."""
        now, given = self._clock(), asked.fields.get("code", "")
        with self._lock:
            self._wrong = [at for at in self._wrong if now - at < SHUT_S]
            if len(self._wrong) >= WRONG_CODES:
                return _page(429, tr("Too many wrong codes"), _said(tr("Wait a minute, then type the code on the screen.")))
            right = secrets.compare_digest(given.encode(), self.code.encode())
            if given and not right:
                self._wrong.append(now)
            taken = set(self._sessions.values())
        free = [person for person in table.document["cuppers"] if person not in taken]
        name = asked.fields.get("name", "")
        if right and asked.method == "POST" and name in free:
            token = secrets.token_urlsafe(24)
            with self._lock:
                if name in self._sessions.values():  # two phones at once
                    return _page(409, tr("Taken"), _said(tr("{} has just been taken.", name)) + _back())
                self._sessions[token] = name
            return Answer(303, "", {"Location": "/", "Set-Cookie": f"{COOKIE}={token}; {self._cookie}"})
        if not right:
            wrong = _said(tr("That is not the code on the screen."), " class=wrong") if given else ""
            entry = "<input name=code inputmode=numeric autocomplete=off required autofocus>"
            body = (
                f"{wrong}<form method=post action='/'><label>{tr('Code on the screen')}{entry}</label>{_go(tr('Go on'))}</form>"
            )
            return _page(200, table.name, body)
        if not free:
            return _page(200, table.name, _said(tr("Every cupper has a phone already. Ask at the screen to free a name.")))
        names = "".join(f"<option>{html.escape(person)}</option>" for person in free)
        hidden = f"<input type=hidden name=code value='{html.escape(given)}'>"
        body = f"<form method=post action='/'>{hidden}<label>{tr('Who are you?')}<select name=name>{names}</select></label>"
        return _page(200, table.name, f"{body}{_go(tr('That is me'))}</form>")

    @staticmethod
    def _codes(table: TableSet, cupper: str) -> Answer:
        rows = []
        for code in table.document["orders"][cupper]:
            whole = cupping.score_of(table, cupper, code) is not None
            rows.append(f"<a class=code href='/cup/{code}'>{code}<span>{tr('scored') if whole else ''}</span></a>")
        left = sum("<span></span>" in row for row in rows)
        said = tr("Taste them in this order.") if left else tr("All are scored. Thank you; you can still change them.")
        return _page(200, cupper, f"<p class=soft>{said}</p><div class=card>{''.join(rows)}</div>")

    @staticmethod
    def _form(table: TableSet, cupper: str, code: str, wrong: str = "", typed: dict[str, str] | None = None) -> Answer:
        entry, form = cupping.entry_of(table, cupper, code), table.document["form"]
        typed = typed or {}
        rows = []
        for part in cupping.parts_for(table):
            low, high, step = range_of(form, part)
            value = typed.get(part, entry["scores"].get(part, ""))
            value = f"{value:g}" if isinstance(value, float | int) else html.escape(str(value))
            field = f"<input name='{html.escape(part)}' type=number min={low:g} max={high:g} step={step:g} value='{value}'>"
            rows.append(
                f"<label><span>{capital(tr(part))} <small>{tr('{:g} to {:g}', low, high)}</small></span>{field}</label>"
            )
        for name, words in (("light", tr("Cups tainted or not uniform")), ("heavy", tr("Cups with a fault"))):
            value = html.escape(str(typed.get(name, entry[name])))
            rows.append(
                f"<label>{words}<input name={name} type=number min=0 max={table.document['cups']} value='{value}'></label>"
            )
        notes = []
        for stage in cupping.STAGES:
            said = html.escape(typed.get(f"said {stage}", ", ".join(entry["words"].get(stage, ()))))
            field = f"<input name='said {stage}' value='{said}' autocapitalize=off>"
            notes.append(f"<label class=wide>{capital(meant('stage', stage))}{field}</label>")
        told = f"<p class=wrong>{html.escape(wrong)}</p>" if wrong else ""
        body = (
            f"{told}<form method=post action='/cup/{code}'><div class=card>{''.join(rows)}</div>"
            f"<div class=card><p class=soft>{tr('Notes; commas between words')}</p>{''.join(notes)}</div>"
            f"{_go(tr('Keep, and the next code'))}</form><p><a href='/'>{tr('All codes')}</a></p>"
        )
        return _page(200 if not wrong else 422, code, body)

    def _take(self, asked: Asked, table: TableSet, cupper: str, code: str) -> Answer:
        try:
            values = _values(asked.fields, cupping.parts_for(table))
            table = cupping.enter(self._library, table, cupper, code, **values)
        except ValueError as error:
            return self._form(table, cupper, code, capital(str(error)), dict(asked.fields))
        self._on_entered()
        order = table.document["orders"][cupper]
        open_ones = [one for one in order if cupping.score_of(table, cupper, one) is None]
        behind = [one for one in open_ones if order.index(one) > order.index(code)]
        following = next(iter((*behind, *open_ones)), None)
        return Answer(303, "", {"Location": f"/cup/{following}" if following is not None and following != code else "/"})


def open_table(
    library: Library, table: TableSet, on_entered: Callable[[], None], tls: bool = False, host: str | None = None
) -> tuple[PhoneTable, LocalPage]:
    """Let phones in for one table, until the page is stopped.

    Raises
    ------
    ValueError : if the table is revealed.
    OSError : if there is no address to be reached at.
    """
    phones = PhoneTable(library, table, on_entered, secure=tls)
    return phones, LocalPage(phones.answer, host or own_address(), tls=tls)


def _values(fields: Any, parts: tuple[str, ...]) -> dict[str, Any]:
    """What a form says, as an entry.

    Raises
    ------
    ValueError : if something typed is no figure.
    """

    def figure(name: str) -> float | None:
        text = str(fields.get(name, "")).strip()
        if not text:
            return None
        try:
            return as_number(text)
        except ValueError:
            raise ValueError(tr("{}: {!r} is no figure.", tr(name), text)) from None

    scores = {part: value for part in parts if (value := figure(part)) is not None}
    words = {
        stage: [word.strip()[:60] for word in str(fields.get(f"said {stage}", "")).split(",") if word.strip()][:20]
        for stage in cupping.STAGES
    }
    said = {stage: several for stage, several in words.items() if several}
    return {"scores": scores, "light": int(figure("light") or 0), "heavy": int(figure("heavy") or 0), "words": said}


def _said(sentence: str, kind: str = "") -> str:
    return f"<p{kind}>{html.escape(sentence)}</p>"


def _back() -> str:
    return f"<a class=go href='/'>{tr('Back')}</a>"


def _go(words: str) -> str:
    return f"<button>{words}</button>"


@cache
def _style() -> str:
    return (resources.files("firnel.resources") / "styles" / "phone.css").read_text(encoding="utf-8")


def _page(status: int, title: str, body: str) -> Answer:
    named = html.escape(title)
    head = (
        "<meta charset=utf-8><meta name=viewport content='width=device-width,initial-scale=1'>"
        f"<title>{named}</title><style>{_style()}</style>"
    )
    return Answer(status, f"<!doctype html><html lang={language()}>{head}<main><h1>{named}</h1>{body}</main></html>")
