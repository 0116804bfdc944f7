"""Cuppers on their own phones: the page itself, over HTTP and TLS, and in a real browser; and the cup's own arithmetic.

The browser is a headless Chromium, driven over its own debugging protocol; ``./run test`` brings it along.
"""

import http.client
import json
import os
import shutil
import ssl
import subprocess
import time
from datetime import UTC, datetime
from pathlib import Path
from urllib.parse import urlencode

import pytest
from conftest import PATIENCE_S, make_record
from PyQt6.QtCore import QEventLoop, QTimer, QUrl
from PyQt6.QtWebSockets import QWebSocket

from firnel.app.window import make_application, make_window
from firnel.core.cup.difference import judge, least_correct
from firnel.core.cup.scores import SECTIONS, Defects, score, to_quarter
from firnel.core.cup.steep import recipe, steep_cue
from firnel.devices.local_page import LocalPage, near
from firnel.ui.theme.look import Look
from firnel.work.bench import cupping
from firnel.work.bench.phones import WRONG_CODES, PhoneTable, open_table
from firnel.work.settings import Settings


@pytest.fixture
def table(library):
    keys = [library.add_record(make_record(f"{number:04d}")) for number in range(2)]
    at = datetime(2026, 11, 3, tzinfo=UTC)
    return cupping.set_table(library, "<b>Tuesday</b>", keys, ["Asha", "Benoît"], at, form="affective", cups=2, seed=4)


class Phone:
    """Asks as a browser does, and keeps its cookie."""

    def __init__(self, page, context=None):
        self.page, self.context, self.cookie = page, context, ""

    def ask(self, path="/", **fields):
        kind = http.client.HTTPSConnection if self.context else http.client.HTTPConnection
        more = {"context": self.context} if self.context else {}
        connection = kind(self.page.host, self.page.port, timeout=10, **more)
        headers = {"Cookie": self.cookie, "Content-Type": "application/x-www-form-urlencoded"}
        connection.request("POST" if fields else "GET", path, urlencode(fields), headers)
        answer = connection.getresponse()
        body = answer.read().decode()
        if (cookie := answer.getheader("Set-Cookie")) is not None:
            self.cookie = cookie.partition(";")[0]
        self.headers = dict(answer.getheaders())
        connection.close()
        return answer.status, body

    def come_in(self, code, name):
        return self.ask("/", code=code, name=name)


GIVEN = dict.fromkeys(SECTIONS, "7")


def test_a_phone_comes_in_by_the_code_and_sees_its_own_codes_only(library, table):
    entered = []
    phones, page = open_table(library, table, lambda: entered.append(1), host="127.0.0.1")
    try:
        asha, benoit = Phone(page), Phone(page)
        assert asha.ask()[0] == 200
        assert "&lt;b&gt;Tuesday" in asha.ask()[1], "a name is no markup"
        assert "not the code" in asha.ask("/", code="000000" if phones.code != "000000" else "1")[1]
        assert asha.come_in(phones.code, "Asha")[0] == 303
        assert "HttpOnly; SameSite=Strict" in asha.headers["Set-Cookie"]
        assert "default-src 'none'" in asha.headers["Content-Security-Policy"]
        assert "Asha" not in benoit.ask(f"/?code={phones.code}")[1], "a name is given once"
        benoit.come_in(phones.code, "Benoît")
        order = table.document["orders"]["Asha"]
        _, codes = asha.ask()
        assert codes.index(order[0]) < codes.index(order[1]), "in the order that was drawn"
        assert asha.ask(f"/cup/{order[0]}", **GIVEN, light="1", **{"said hot": "sweet, juicy"})[0] == 303
        assert asha.headers["Location"] == f"/cup/{order[1]}"
        assert entered == [1]
        kept = cupping.entry_of(phones.table, "Asha", order[0])
        assert (kept["scores"]["flavour"], kept["light"], kept["words"]) == (7.0, 1, {"hot": ["sweet", "juicy"]})
        assert "juicy" not in benoit.ask(f"/cup/{order[0]}")[1], "nobody hears another's score"
        status, body = benoit.ask(f"/cup/{order[0]}", flavour="11")
        assert (status, "it runs from 1 to 9" in body, "value='11'" in body) == (422, True, True), "what was typed is not lost"
        assert benoit.ask("/cup/000")[0] == 404
        assert phones.done() == [("Asha", 1, 2, True), ("Benoît", 0, 2, True)]
        phones.free("Asha")
        assert "Code on the screen" in asha.ask()[1]
        cupping.reveal(library, table)
        assert benoit.ask(f"/cup/{order[0]}", **GIVEN)[0] == 410
    finally:
        page.stop()


def test_codes_cannot_be_tried_out_and_nothing_large_or_from_afar_is_taken(library, table):
    now = [0.0]
    phones = PhoneTable(library, table, clock=lambda: now[0])
    page = LocalPage(phones.answer, "127.0.0.1")
    try:
        phone = Phone(page)
        for _ in range(WRONG_CODES):
            phone.ask("/", code="x")
        assert phone.ask("/", code=phones.code, name="Asha")[0] == 429, "even the right one, for a while"
        now[0] += 61.0
        assert phone.come_in(phones.code, "Asha")[0] == 303
        assert phone.ask("/", big="x" * 30_000)[0] == 413
    finally:
        page.stop()
    assert [near(one) for one in ("192.168.1.7", "10.1.2.3", "fe80::1%eth0", "127.0.0.1", "::ffff:10.0.0.1")] == [True] * 5
    assert [near(one) for one in ("8.8.8.8", "2001:4860::1", "0.0.0.0", "phone", "")] == [False] * 5


def test_it_is_encrypted_where_that_is_asked_for(library, table):
    phones, page = open_table(library, table, lambda: None, tls=True, host="127.0.0.1")
    try:
        assert page.url.startswith("https://")
        context = ssl.create_default_context()
        context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
        phone = Phone(page, context)
        assert phone.come_in(phones.code, "Asha")[0] == 303
        assert "; Secure" in phone.headers["Set-Cookie"]
        assert len(page.fingerprint) == 24
    finally:
        page.stop()


def test_two_that_enter_at_once_both_stay(library, table):
    stale = table
    code = table.document["orders"]["Asha"][0]
    cupping.enter(library, table, "Asha", code, scores={"flavour": 7.0})
    after = cupping.enter(library, stale, "Benoît", code, scores={"flavour": 8.0})
    assert cupping.entry_of(after, "Asha", code)["scores"] == {"flavour": 7.0}


class Browser:
    """A headless Chromium of its own profile; runs JavaScript in its one page."""

    def __init__(self, program, folder):
        self.folder = Path(folder)
        flags = ["--headless=new", "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage", "--remote-debugging-port=0"]
        self.process = subprocess.Popen(
            [program, *flags, f"--user-data-dir={folder}", "--window-size=412,860", "about:blank"],
            stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        port = self._wait(self._port)
        self.socket, self.answers, self.number = QWebSocket(), {}, 0
        self.socket.textMessageReceived.connect(self._take)
        connection = http.client.HTTPConnection("127.0.0.1", port, timeout=20)
        connection.request("GET", "/json")
        page = next(one for one in json.loads(connection.getresponse().read()) if one["type"] == "page")
        connection.close()
        self.socket.open(QUrl(page["webSocketDebuggerUrl"]))
        self._wait(self.socket.isValid)
        self.send("Page.enable")

    def _port(self):
        path = self.folder / "DevToolsActivePort"
        return int(path.read_text().split()[0]) if path.exists() and path.read_text().strip() else None

    def _take(self, text):
        answer = json.loads(text)
        if "id" in answer:
            self.answers[answer["id"]] = answer

    @staticmethod
    def _wait(ready, patience=PATIENCE_S):
        end = time.monotonic() + patience
        while time.monotonic() < end:
            if found := ready():
                return found
            loop = QEventLoop()
            QTimer.singleShot(30, loop.quit)
            loop.exec()
        raise TimeoutError("the browser did not answer.")

    def send(self, method, **params):
        self.number += 1
        number = self.number
        self.socket.sendTextMessage(json.dumps({"id": number, "method": method, "params": params}))
        return self._wait(lambda: self.answers.pop(number, None))

    def run(self, script):
        answer = self.send("Runtime.evaluate", expression=script, returnByValue=True)
        return answer["result"]["result"].get("value")

    def until(self, script):
        return self._wait(lambda: self.run(f"document.readyState === 'complete' && ({script})"))

    def close(self):
        self.socket.close()
        self.process.kill()
        self.process.wait(20)


def test_a_cupper_scores_in_a_real_browser_and_the_window_shows_who_is_done(qtbot, library, table, tmp_path, monkeypatch):
    program = shutil.which("chromium") or shutil.which("chromium-browser") or shutil.which("google-chrome")
    if program is None and not os.environ.get("CI"):
        pytest.skip("there is no Chromium on this system")
    assert program is not None, "checks of the project bring a Chromium along"
    monkeypatch.setattr("firnel.work.bench.phones.own_address", lambda: "127.0.0.1")
    window = make_window(library, Settings(cup_form="affective"), Look(make_application()), keep=lambda settings: None)
    qtbot.addWidget(window, before_close_func=lambda w: w.view("Bench").cup.close_phones())
    window.show()
    window.show_station("Bench")
    bench = window.view("Bench")
    bench.tabs.choose(1)
    cup = bench.cup
    assert not cup.phone_card.isVisible(), "off by default"
    cup.select(0)
    cup.open_phones()
    phones, page = cup._phones
    browser = Browser(program, tmp_path / "profile")
    try:
        browser.send("Page.navigate", url=f"{page.url}?code={phones.code}")
        browser.until("!!document.querySelector('select')")
        browser.run("document.querySelector('select').value = 'Asha'; document.querySelector('form').requestSubmit()")
        codes = table.document["orders"]["Asha"]
        browser.until("document.querySelectorAll('a.code').length === 2")
        assert browser.run("getComputedStyle(document.querySelector('button, a.code')).display") == "flex", "the style is there"
        for place, code in enumerate(codes):
            if not place:
                browser.run(f"document.querySelector(\"a[href='/cup/{code}']\").click()")
            browser.until(f"document.querySelector('h1').textContent === '{code}'")
            browser.run(
                "for (const one of document.querySelectorAll('input[type=number]')) one.value = one.min == '1' ? 8 : 0;"
                "document.querySelector('form').requestSubmit()"
            )
        browser.until("document.body.textContent.includes('All are scored')")
        qtbot.waitUntil(lambda: [cell.text() for cell in cup.phone_card._done._rows[0]] == ["Asha", "done", "2 of 2"])
        assert cupping.score_of(phones.table, "Asha", codes[0]) == 94.75
        afar = "performance.getEntriesByType('resource').filter(one => !one.name.startsWith(location.origin)).length"
        outside = browser.run(afar)
        assert outside == 0, "nothing is loaded from anywhere else"
    finally:
        browser.close()
    cup.close_phones()
    assert not cup.phones.isChecked()


# The cup's own arithmetic


def test_points_of_a_cup_scale_with_the_cups_and_halves_go_away_from_zero():
    """The affective sum as published: 0.65625 times the sum plus 52.75, to the quarter; from memory of it."""
    given = dict.fromkeys(SECTIONS, 5.0)
    assert score("affective", given) == 79.0
    assert score("affective", given, Defects(light=1), cups=5) == 77.0
    assert score("affective", given, Defects(light=1), cups=2) == 74.0, "one cup of two is as much as two and a half of five"
    assert [to_quarter(x) for x in (80.125, 80.375, 80.124, -0.125)] == [80.25, 80.5, 80.0, -0.25]


def test_a_pair_is_judged_on_two_sides_unless_it_was_said_beforehand():
    """Least numbers of ISO 5495 (paired, 5 %): of 30, 20 on one side and 21 on two; from memory of its tables."""
    assert (least_correct("paired", 30), least_correct("paired", 30, sides=2)) == (20, 21)
    assert judge("paired", 30, 20).shown
    assert not judge("paired", 30, 20, sides=2).shown
    few = judge("paired", 30, 8, sides=2)
    assert few.shown, "the first is chosen clearly more often"
    assert "8 of 30 chose the second" in few.words
    with pytest.raises(ValueError, match="sides"):
        judge("triangle", 30, 20, sides=2)


def test_the_steep_says_when_to_break_skim_and_taste_and_what_the_table_takes(qtbot, library, table):
    assert recipe(4, 2).cup_g == 8.25, "8.25 g on 150 mL, as published protocols have it"
    assert (recipe(4, 2).coffee_g, recipe(4, 2).water_l) == (16.5, 1.2)
    assert steep_cue(235.0).following == "break"
    assert "Break the crust" in steep_cue(241.0).now
    assert steep_cue(1300.0).left_s is None
    window = make_window(library, Settings(), Look(make_application()), keep=lambda settings: None)
    qtbot.addWidget(window)
    now, heard = [100.0], []
    window.desk.clock.run_by(lambda: now[0])
    cup = window.view("Bench").cup
    cup.step_begins.connect(lambda: heard.append(1))
    cup.refresh()
    cup.select(0)
    assert "8.25 g on 150 mL each" in cup.steep.words.text()
    cup.steep.on_pour()
    for seconds in (1.0, 237.0, 3.0, 40.0):
        now[0] += seconds
        cup.steep.tick()
    assert (heard, cup.steep.clock.text()) == ([1, 1], "4:41")
