"""A charge that was told at another moment than the beans fell in: too early, or before anything was read."""

from dataclasses import replace

import numpy as np
import pytest
from logged import MACHINES, record_of, rows
from made import reading
from PyQt6.QtCore import Qt
from test_rough_hands import BEAN, T, roaster  # noqa: F401 - a fixture

from firnel.core.mark_finding import charge_shows, find_recharge
from firnel.core.model.logged import UnusableLogError, logged_batch
from firnel.core.units import Units
from firnel.core.vocabulary import Found, MarkKind
from firnel.exchange.log_marks import marks_of
from firnel.work.roast.advice_words import WarningRank, told_line, warnings_of
from firnel.work.roast.hand_lines import HandLineError, HandLines
from firnel.work.roast.headless import Headless
from firnel.work.roast.lookout import at_once
from firnel.work.roast.probe_mistakes import charge_doubted


def idle(roaster, seconds, level=205.0):  # noqa: F811 - a fixture
    """The drum stays empty for so long."""
    for _ in range(seconds):
        roaster.wait((roaster.since if roaster.since is not None else -1) + 1, lambda _: level)


def beans_in(roaster, until):  # noqa: F811 - a fixture
    """The beans fall in now and roast up to so long after that."""
    begun = roaster.since + 1
    roaster.wait(begun + until, lambda since: float(BEAN[since - begun]))
    return begun


def test_every_logged_charge_shows_and_one_told_a_minute_too_early_or_too_late_does_not():
    for row in rows():
        record = record_of(row["file"])
        t, bean, at = record.trace.t, record.trace.bean, record.mark(MarkKind.CHARGE).t
        assert charge_shows(t, bean, at) is True, row["file"]
        assert charge_shows(t, bean, at + 150.0) in (False, None), "None where the beans read less than a hot drum does"
        begun = t > at + 90.0
        assert charge_shows(t[begun], bean[begun], at) is False, "first read behind it"
    assert charge_shows(T, BEAN, 400.0) is False
    flat = np.concatenate([np.full(90, 205.0), BEAN])
    at = np.arange(flat.size, dtype=float)
    assert charge_shows(at[:70], flat[:70], 40.0) is None, "too early to tell"
    assert charge_shows(at[:85], flat[:85], 40.0) is False
    assert charge_shows(at[::30], flat[::30], 30.0) is None, "readings by hand are too few"
    cold = flat - 130.0
    assert charge_shows(at, cold, 10.0) is None, "beans that are put into a cold drum"


def test_a_log_whose_charge_was_told_at_another_moment_teaches_nothing():
    record = record_of("south-001")
    late = replace(record, marks=tuple(replace(m, t=m.t + 200.0) if m.kind is MarkKind.CHARGE else m for m in record.marks))
    said = []
    marks_of(record.trace, {mark.kind: mark.t for mark in late.marks if mark.kind is MarkKind.CHARGE}, {}, "a log", said)
    assert f"{late.marks[0].t:.0f} s: it falls at" in said[0]
    with pytest.raises(UnusableLogError, match="does not fall at its charge"):
        logged_batch(late, MACHINES["south"])
    trace, said = replace(record.trace, bean=record.trace.air, air=record.trace.bean), []
    marks_of(trace, {}, {}, "a log", said)
    assert "exchanged? Name the columns the other way" in said[0]
    inlet = replace(record.trace, air=np.full(record.trace.t.size, 35.0))
    assert logged_batch(replace(record, trace=inlet), MACHINES["south"]).bean.size > 100, "a probe in cold air is no bean probe"
    with pytest.raises(UnusableLogError, match="look exchanged"):
        logged_batch(replace(record, trace=trace), MACHINES["south"])


def test_a_key_pressed_before_the_beans_fell_in_is_asked_back_and_then_moved(roaster):  # noqa: F811 - a fixture
    idle(roaster, 5)
    lines = []
    follower = Headless(roaster.session, lines.append, by_hand=True)
    roaster.key(Qt.Key.Key_Space)
    follower.look()
    told = roaster.session.marks[MarkKind.CHARGE].t
    roaster.hands.update({key: 2.4 for key in roaster.hands if key == "gas"})
    idle(roaster, 30)
    assert not charge_doubted(roaster.session), "a slow probe is waited for"
    idle(roaster, 60)
    assert (roaster.cue.headline, roaster.cue.space) == ("Are the beans in?", "says that the beans are in")
    assert roaster.session.guidance is None
    follower.look()
    assert any(line["event"] == "warning" and line["text"].startswith("Are the beans in?") for line in lines)
    assert roaster.session.offers == {}, "what an empty drum reads is no yellow"
    begun = beans_in(roaster, 60)
    charge = roaster.session.marks[MarkKind.CHARGE]
    assert charge.found is Found.CURVE
    assert charge.t - told == pytest.approx(begun - 4, abs=3.0)
    assert "s after the key" in roaster.session.message
    follower.look()
    assert [line["mark"] for line in lines if line["event"] == "mark"] == ["charge", "charge"], "where it is now is told too"
    assert roaster.session.settled == {}, "what was set before was set for the empty drum"
    beans_in(roaster, 0)
    roaster.wait(begun + 320, lambda since: float(BEAN[since - begun]))
    assert roaster.session.marks[MarkKind.TURNING].t - charge.t == pytest.approx(80.0, abs=8.0)


def test_a_key_too_early_is_taken_back_by_z_and_the_charge_waits(roaster):  # noqa: F811 - a fixture
    idle(roaster, 5)
    roaster.key(Qt.Key.Key_Space)
    idle(roaster, 45)
    assert "not in yet" in roaster.key(Qt.Key.Key_Z)
    assert (roaster.session.phase, roaster.session.marks) == ("ready", {})
    beans_in(roaster, 3)
    roaster.key(Qt.Key.Key_Space)
    assert roaster.session.phase == "drying"
    roaster.wait(roaster.since + 60, lambda since: 150.0 - since / 20.0)
    assert roaster.session.charge_shows
    assert not charge_doubted(roaster.session)


def test_beans_that_were_in_before_anything_was_read_are_followed_by_the_curve(roaster):  # noqa: F811 - a fixture
    roaster.desk.look_by(at_once)
    roaster.since = 159  # of the roast; nobody had prepared it
    roaster.wait(170)
    roaster.key(Qt.Key.Key_Space)
    roaster.wait(230)
    assert charge_doubted(roaster.session)
    assert roaster.session.trace.rate_now is not None
    assert "°C/min" not in roaster.cue.figures
    assert "V, then “charge 6:30”" in roaster.key(Qt.Key.Key_Space)
    assert not charge_doubted(roaster.session)
    assert "°C/min" in roaster.cue.figures, "they rise, wherever they turned"
    roaster.session.type_setting("charge 3:50", roaster.now)
    assert roaster.session.now() - roaster.session.marks[MarkKind.CHARGE].t == pytest.approx(230.0)
    roaster.wait(340)
    assert roaster.session.guidance.forecast.basis == "curve"
    assert roaster.session.guidance.forecast.first_crack.value == pytest.approx(510.0, abs=60.0)
    assert "does not fall at its charge" in told_line(roaster.session, Units()).why, "why it is by the curve alone"
    hand = HandLines(roaster.desk)
    for _ in range(3):  # no yellow yet, not so long ago, and not said to be in
        hand.do("undo", roaster.now)
    assert charge_doubted(roaster.session), "as it was before it was said"
    alone = Headless(roaster.session, lambda line: None, by_hand=True)
    alone.look()
    assert charge_doubted(roaster.session), "a hand is asked"
    alone.left_alone()
    alone.look()
    assert not charge_doubted(roaster.session)
    for wrong in ("charged", "charged soon"):
        with pytest.raises(HandLineError):
            hand.do(wrong, roaster.now)
    assert hand.do("charged 5:00", roaster.now) == "Charged 5:00 ago."
    assert "future" in hand.do("charged -0:10", roaster.now)


@pytest.mark.parametrize(
    ("read", "words"),
    [
        (lambda bean, air: (1.8 * bean + 32.0, 1.8 * air + 32.0), "degrees Fahrenheit"),  # NIST SP 811
        (lambda bean, air: (air, bean), "probe exchanged"),
    ],
    ids=["fahrenheit", "exchanged"],
)
def test_probes_that_are_taken_for_what_they_are_not_are_told_and_nothing_goes_by_them(roaster, read, words):  # noqa: F811
    record = record_of("mill-003")
    t = record.trace.t - record.mark(MarkKind.CHARGE).t
    level = np.full(30, np.interp(0.0, t, record.trace.bean))
    before = zip(np.arange(-30.0, 0.0), *read(level, level + 40.0), strict=True)
    roasted = zip(t[t >= 0.0], *read(*(column[t >= 0.0] for column in (record.trace.bean, record.trace.air))), strict=True)
    roaster.desk.look_by(at_once)
    told, begun = set(), roaster.now + 31.0
    for at, bean, air in (*before, *roasted):
        roaster.now = begun + at
        roaster.desk.take_reading(reading(roaster.now, float(bean), float(air), 2.4, 25.0, 58.0))
        if at == -1.0 and words == "degrees Fahrenheit":
            assert roaster.cue.headline == "Degrees Fahrenheit?"
        if MarkKind.CHARGE not in roaster.session.marks and at >= 0.0:
            roaster.session.mark(MarkKind.CHARGE, roaster.now)
        if at > 160.0 and int(at) % 20 == 0:
            told |= {(warned.rank, warned.text) for warned in warnings_of(roaster.session, Units())}
            assert (roaster.session.guidance, roaster.session.offers) == (None, {})
    assert any(words in text for _, text in told)
    assert {rank for rank, _ in told} <= {WarningRank.PROBE}, "no fire, no runaway: it is a probe"


@pytest.mark.parametrize(
    "read",
    [lambda beans, air: (air, beans), lambda beans, air: (1.8 * beans + 32.0, 1.8 * air + 32.0)],
    ids=["exchanged", "fahrenheit"],
)
def test_beans_too_hot_are_a_danger_whatever_their_probe_is_taken_for(roaster, read):  # noqa: F811
    for since in range(-20, 700):  # they go on to 250 degC
        roaster.now += 1.0
        beans = float(BEAN[max(since, 0)]) + max(0.0, (since - 400) * 0.15)
        roaster.desk.take_reading(reading(roaster.now, *read(beans, beans + 60.0), 2.4, 25.0, 58.0))
        if since == 0:
            roaster.session.mark(MarkKind.CHARGE, roaster.now)
        if since > 60 and beans < 225.0:  # by then it is known which is which
            assert roaster.cue.urgency != "danger", since
    assert roaster.cue.urgency == "danger"
    assert f"{beans:.0f} °C" in roaster.cue.headline, "as hot as they are"


def test_other_beans_that_fall_in_while_nobody_tells_anything_are_a_batch_of_their_own(roaster, library):  # noqa: F811
    roaster.charge().wait(200)
    first, level = roaster.session.label, float(BEAN[200])
    for second in range(150):  # the beans left at two hundred seconds, and the bare probe goes to what the drum has
        roaster.wait(201 + second, lambda _, second=second: level + (210.0 - level) * (1.0 - np.exp(-second / 30.0)))
    begun = beans_in(roaster, 160)
    session = roaster.session
    assert session.label != first
    assert f"recorded as {session.label}; {first} ended before" in session.message
    charge = session.marks[MarkKind.CHARGE]
    assert session.now() - charge.t == pytest.approx(roaster.since - begun, abs=3.0)
    assert session.unnamed
    assert session.flush()
    assert library.batch(library.find_batch(session.label)).trace.t.size >= 130
    roaster.wait(begun + 560, lambda since: float(BEAN[since - begun]))
    assert session.label != first, "and that batch goes on"
    assert session.marks[MarkKind.CHARGE] == charge


def test_no_logged_roast_has_other_beans_in_it():
    for row in rows()[::4]:
        record = record_of(row["file"])
        t, bean, begun = record.trace.t, record.trace.bean, record.mark(MarkKind.CHARGE).t + 150.0
        for now in np.arange(begun + 20.0, t[-1], 20.0):
            part = (t >= max(begun, now - 300.0)) & (t <= now)
            assert find_recharge(t[part], bean[part]) is None, row["file"]
