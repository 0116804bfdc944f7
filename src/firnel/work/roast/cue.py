"""The cue: one sentence of what is next, what follows it, and the clock that matters now."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from enum import IntEnum

from firnel.core.plan import LATE_S, expected_marks
from firnel.core.units import Units, clock
from firnel.core.vocabulary import EXPECTED_MARKS, MarkKind
from firnel.core.words import capital, inside, tr
from firnel.work.roast.before_charge import between_words, charge_words, checks
from firnel.work.roast.danger import danger_of, may_be_empty
from firnel.work.roast.drop_cue import FINAL_S, LEADS_S, drop_cue
from firnel.work.roast.mark_doubts import means_space
from firnel.work.roast.move_words import move_sentence, start_sentence, when_sentence
from firnel.work.roast.plan_thread import is_late, next_move, off_start, pending
from firnel.work.roast.probe_mistakes import charge_doubted, rises_since
from firnel.work.roast.session import RoastSession

#: A move or mark is told as due this long before; what is overdue by `LATE_S` stands small beside what matters. [s]
SOON_S = 12.0
#: A mark that was found is the headline for so long; then it stands small, and is gone by all the same. [s]
OFFERED_S = 60.0
#: A drop that is so long overdue has likely been made, and only the key was forgotten. [s]
ASKED_S = 45.0


class Rank(IntEnum):
    """What stands above what on the screen, at any moment: the one written order."""

    DANGER = 0
    DROP = 1
    MARK = 2
    MOVE = 3
    REST = 4


@dataclass(frozen=True)
class Matter:
    """Something that could be the headline: its rank, when it is, and its words."""

    rank: Rank
    at: float | None
    kicker: str
    headline: str
    detail: str
    urgency: str = "calm"
    short: str = ""  #: as what follows another


@dataclass(frozen=True)
class Cue:
    """What the top of the Roast view says. ``urgency`` is calm, soon, due, warn, drop in the last seconds, or danger.

    ``space`` is what Space would mark now, ``keys`` what others would do: by the action of the key, in words.
    """

    kicker: str
    headline: str
    detail: str
    clock_label: str
    clock: str
    since_charge: str
    figures: str
    urgency: str = "calm"
    space: str = ""
    keys: tuple[tuple[str, str], ...] = ()


def cue_of(session: RoastSession, units: Units, cooling_aim_s: float = 240.0, following: str = "") -> Cue:
    """The cue as the session stands now.

    Parameters
    ----------
    following : a sentence on the batch that waits next.
    """
    cue = _cue_of(session, units, cooling_aim_s, following)
    if cue.urgency != "danger":
        return replace(cue, keys=tuple(_keys(session, following)))
    if may_be_empty(session):
        return replace(cue, space=_space(session), keys=(("undo", tr("beans are still in")),))
    return cue


def _cue_of(session: RoastSession, units: Units, cooling_aim_s: float, following: str) -> Cue:
    phase, now = session.phase, session.now()
    charge = session.marks.get(MarkKind.CHARGE)
    since = clock(now - charge.t) if charge else ""
    figures = _figures(session, units)
    danger = danger_of(session, units)
    if danger is not None:
        return Cue(tr("danger"), danger.headline, "\n".join(danger.steps), "", "", since, figures, "danger")
    if phase == "idle":
        return Cue(
            tr("no batch"),
            tr("Prepare the next batch"),
            following or tr("Press {prepare}: choose lot, load and plan."),
            "",
            "",
            "",
            figures,
        )
    if phase == "ready":
        headline, detail, urgency = charge_words(session, units)
        detail = _join(detail, *(matter.short for matter in _start(session, units, now)))
        return Cue(tr("before charge"), headline, detail, "", "", "", figures, urgency, _space(session))
    if phase == "cooling":
        cooling = _cooling(session, now - session.marks[MarkKind.DROP].t, cooling_aim_s, since, figures, following)
        return replace(cooling, space=_space(session))
    label, shown = _stage_clock(session, now)
    matters = matters_of(session, units)
    first = matters[0]
    if first.rank is Rank.DROP and first.at is not None and first.urgency == "drop":
        left = first.at - now
        shown, label = (clock(-left), tr("over by")) if left < -0.5 else (tr("{:.0f}", max(left, 0.0)), tr("drop in"))
    others = matters[1:]
    landing = [m.short for m in others if m.rank is Rank.REST and m.at is not None and m.kicker == tr("next mark")]
    small = [m.short for m in others if m.short and m.short not in landing][:2]
    detail = _join(first.detail, *_late(session, units), *landing, *small, _shift_sentence(session))
    return Cue(
        first.kicker, first.headline, detail,
        label, shown, since, figures, first.urgency, _space(session),
    )  # fmt: skip


def matters_of(session: RoastSession, units: Units) -> list[Matter]:
    """Everything that could be the headline while beans are in the drum, the first before all; never empty."""
    now = session.now()
    if charge_doubted(session):
        return [_doubted_charge(session, now)]
    found = [*_drop(session, units, now), *_marks(session, now), *_moves(session, units, now), *_start(session, units, now)]
    found.sort(key=lambda matter: (matter.rank, matter.at is None, matter.at or 0.0))
    detail = tr("{prepare}: say what is in the drum") if session.unnamed else _shift_sentence(session)
    return found or [Matter(Rank.REST, None, tr("next"), tr("Watch colour, smell and sound"), detail)]


def _doubted_charge(session: RoastSession, now: float) -> Matter:
    """The charge was marked, and the probe did not fall: nothing else is told before that is settled."""
    ago = clock(now - session.marks[MarkKind.CHARGE].t)
    detail = tr("The probe has not fallen since the charge was marked, {} ago · {mark}: yes · {undo}: not yet", ago)
    return Matter(Rank.MARK, now, tr("charge"), tr("Are the beans in?"), detail, "due")


def _drop(session: RoastSession, units: Units, now: float) -> list[Matter]:
    """The countdown, once it leads; and an empty drum that nobody has told of."""
    offer = session.offers.get(MarkKind.DROP)
    if offer is not None:
        ago = clock(now - offer.mark.t)
        return [
            Matter(
                Rank.DROP,
                now,
                tr("drop"),
                tr("Dropped {} ago?", ago),
                tr("{mark}: yes, it dropped then · {undo}: no, beans are in"),
                "due",
            )
        ]
    ending = drop_cue(session, units)
    if ending is None:
        return []
    left, at = ending.left_s, now + ending.left_s
    if left > LEADS_S:
        short = ending.sentence or tr("drop in {}", clock(left))
        return [Matter(Rank.REST, at, tr("next mark"), tr("Drop in {}", clock(left)), ending.sentence, "calm", short)]
    headline = tr("Drop now") if left <= 0.5 else tr("Drop in {}", clock(left))
    if left < -ASKED_S:
        headline = tr("Dropped? Else drop now")
    return [Matter(Rank.DROP, at, tr("drop"), headline, ending.sentence, "drop" if left <= FINAL_S else "soon", tr("drop"))]


def _marks(session: RoastSession, now: float) -> list[Matter]:
    """The marks to be told of: found already, or expected."""
    found = [matter for kind in session.offers if (matter := _offered(session, kind, now)) is not None]
    kind = _next_mark(session)
    expected = session.expected().get(kind) if kind is not None else None
    if kind in (MarkKind.YELLOW, MarkKind.FIRST_CRACK):
        if kind in session.out_of_reach:
            words = tr("{} is not in sight", capital(kind.words))
            found.append(Matter(Rank.MARK, now, tr("next mark"), words, tr("{mark} marks it"), "calm", inside(words)))
        elif expected is not None:
            found.append(_expected(session, kind, expected, now))
    return found


def _offered(session: RoastSession, kind: MarkKind, now: float) -> Matter | None:
    """A mark that was found: the headline while it is fresh and Space takes it, then small, and gone by all the same."""
    if kind is MarkKind.DROP or (kind is MarkKind.YELLOW and MarkKind.FIRST_CRACK in session.reckoned):
        return None
    offer, word, meant = session.offers[kind], kind.words, means_space(session)
    ago, takes = clock(now - offer.mark.t), meant is not None and meant.kind is kind
    short = tr("{} found {} ago", word, ago)
    keys = tr("{mark} takes it, {undo}: not yet")
    if takes and now - offer.since <= OFFERED_S:
        headline = tr("{} probably {} ago", capital(word), ago)
        return Matter(Rank.MARK, now, tr("found"), headline, f"± {clock(offer.doubt_s)} · {keys}", "due", short)
    return Matter(Rank.REST, now, tr("found"), tr("{} found, {} ago", capital(word), ago), keys if takes else "", "calm", short)


def _expected(session: RoastSession, kind: MarkKind, at: float, now: float) -> Matter:
    """The next mark: in a while, about now, or late by the plan; "now" does not stand for minutes."""
    left, word, key = at - now, capital(kind.words), tr("{mark} marks it")
    late = now - _unhurried(session, kind)
    if left > 0.5:
        urgency = "soon" if left <= SOON_S else "calm"
        in_short = tr("{} in {}", kind.words, clock(left))
        return Matter(Rank.MOVE, at, tr("next mark"), tr("{} in {}", word, clock(left)), key, urgency, in_short)
    if late <= LATE_S:
        return Matter(Rank.MARK, now, tr("next mark"), tr("{} about now", word), key, "due", tr("{} about now", kind.words))
    detail = tr("{} after the plan has it · {}", clock(late), key)
    return Matter(  # at the moment it was due: before what was found long ago
        Rank.REST,
        now - late,
        tr("next mark"),
        tr("{} is late", word),
        detail,
        "calm",
        tr("{} {} late", kind.words, clock(late)),
    )


def _unhurried(session: RoastSession, kind: MarkKind) -> float:
    """When the plan itself had the mark, moved with those before it: not always just now. [s]"""
    plan = session.order.plan
    if plan is None:
        return session.now()
    return expected_marks(plan, session.reckoned.values(), float("-inf")).get(kind, session.now())


def _next_mark(session: RoastSession) -> MarkKind | None:
    """The next mark to come, those that were found meanwhile passed over."""
    came = session.reckoned
    if MarkKind.FIRST_CRACK in came:
        return MarkKind.DROP if MarkKind.DROP not in came else None
    return next((kind for kind in EXPECTED_MARKS if kind not in came), None)


def _moves(session: RoastSession, units: Units, now: float) -> list[Matter]:
    """The moves that wait and are not late."""
    found = []
    for entry in pending(session):
        if is_late(session, entry):
            continue
        words, when = move_sentence(entry, units, session.machine), when_sentence(entry.move, units)
        hangs = entry.move.anchor in [kind.value for kind in session.out_of_reach]
        left = None if entry.due_t is None or hangs else entry.due_t - now
        if left is None:
            headline, urgency, rank = words, "calm", Rank.REST
        else:
            headline = tr("{} now", words) if left <= 0.5 else tr("{} in {}", words, clock(left))
            urgency = "due" if left <= 0.5 else "soon" if left <= SOON_S else "calm"
            rank = Rank.MOVE
        found.append(Matter(rank, entry.due_t, tr("next move"), headline, when, urgency,
                            tr("then {} {}", inside(words), when)))  # fmt: skip
    return found


def _start(session: RoastSession, units: Units, now: float) -> list[Matter]:
    """Hands that stand otherwise than the plan begins."""
    found = []
    for control, (stands, start) in off_start(session).items():
        words, detail = start_sentence(control, stands, start, units, session.machine), tr("the plan begins so")
        short = tr("{}, as the plan begins", inside(words))
        found.append(Matter(Rank.MOVE, now, tr("at the charge"), tr("{} now", words), detail, "due", short))
    return found


def _late(session: RoastSession, units: Units) -> list[str]:
    """What nobody has made, small beside what matters now."""
    late = [entry for entry in pending(session) if is_late(session, entry)]
    if not late:
        return []
    entry, confirmed = late[-1], next_move(session)
    ago = clock(session.now() - (entry.due_t or 0.0))
    words = move_sentence(entry, units, session.machine)
    keys = (
        tr("{confirm} done, {dismiss} let go")
        if confirmed is not None and confirmed.index == entry.index
        else tr("{dismiss} let go")
    )
    return [tr("{} late: {} ({})", ago, inside(words), keys)]


def _stage_clock(session: RoastSession, now: float) -> tuple[str, str]:
    """The stage and its time; a beginning that was only found is told as about."""
    phase, came = session.phase, session.reckoned
    kind = {"drying": MarkKind.CHARGE, "browning": MarkKind.YELLOW, "development": MarkKind.FIRST_CRACK}[phase]
    since = now - came[kind].t
    about = tr("about ") if kind in session.offers else ""
    if phase == "development":
        total = max(now - came[MarkKind.CHARGE].t, 1.0)
        return tr("{}development · {:.0f} % of total", about, 100 * since / total), clock(since)
    return f"{about}{tr(phase)}", clock(since)


def _space(session: RoastSession) -> str:
    """What Space would do now, as the window says it beside the key."""
    if charge_doubted(session):
        return tr("says that the beans are in")
    meant = means_space(session)
    if meant is None:
        return tr("says that the drum is empty") if session.dropped_unseen else ""
    if meant.found is not None:
        return tr("takes {}", meant.kind.words)
    rule = session.around.crack_rule if meant.kind is MarkKind.FIRST_CRACK else ""
    return tr("marks {}{}", meant.kind.words, f", {tr(rule)}" if rule else "")


def _keys(session: RoastSession, following: str) -> Iterator[tuple[str, str]]:
    """What keys other than Space would do now."""
    if session.phase == "idle":
        yield "prepare", tr("prepares a batch")
    elif session.phase in ("ready", "cooling") and not all(check.done for check in checks(session)):
        yield "confirm", tr("ticks it") if session.phase == "cooling" else tr("ticks the next check")
    elif session.roasting and (entry := next_move(session)) is not None and entry.due_t is not None:
        if entry.due_t - session.now() <= SOON_S:
            yield "confirm", tr("done")
        if is_late(session, entry):
            yield "dismiss", tr("let go")
    if following and session.phase in ("idle", "cooling"):
        yield "next", tr("takes the next")
    if session.offers or charge_doubted(session):
        yield "undo", tr("not yet")
    elif session.dropped_unseen:
        yield "undo", tr("beans are still in")
    elif session.just_pressed:
        yield "undo", tr("takes it back")


def _cooling(session: RoastSession, cooled: float, aim_s: float, since: str, figures: str, following: str) -> Cue:
    """After the drop: the routine between two batches, and the scale."""
    if cooled > aim_s and session.batch_id is not None:
        detail = _join(tr("Aim: hand-warm within {}.", clock(aim_s)), following)
        return Cue(
            tr("dropped"),
            tr("Cooling over the aim: is the tray fan on?"),
            detail,
            tr("cooling"),
            clock(cooled),
            since,
            figures,
            "warn",
        )
    between = between_words(session, following)
    if between is None:
        detail = _join(tr("Aim: hand-warm within {}. Weigh it, then type the figures in the sheet.", clock(aim_s)), following)
        return Cue(tr("dropped"), tr("Cool, then weigh"), detail, tr("cooling"), clock(cooled), since, figures)
    return Cue(tr("between batches"), between[0], between[1], tr("cooling"), clock(cooled), since, figures)


def _figures(session: RoastSession, units: Units) -> str:
    bean, rate = session.trace.level, session.trace.rate_now
    if bean is None:
        return tr("none typed yet") if session.around.by_hand else tr("no readings")
    charged = MarkKind.CHARGE in session.marks and MarkKind.DROP not in session.marks
    turned = rises_since(session) is not None
    text = units.text(bean, "°C", 1)
    return f"{text} {units.rate_text(rate)}" if charged and turned else text


def _join(*parts: str) -> str:
    """Parts of one line: what ends with a full stop ends without one where another follows."""
    told = [part for part in parts if part]
    return " · ".join([*(part.removesuffix(".") for part in told[:-1]), *told[-1:]])


def _shift_sentence(session: RoastSession) -> str:
    """How far the last mark came from where the plan had it, if that is worth a word."""
    plan, marks = session.order.plan, session.reckoned
    if plan is None or MarkKind.CHARGE not in marks:
        return ""
    pairs = (
        (MarkKind.FIRST_CRACK, MarkKind.YELLOW, plan.stages[1]),
        (MarkKind.YELLOW, MarkKind.CHARGE, plan.stages[0]),
    )
    for kind, start, seconds in pairs:
        if kind in marks and start in marks and seconds is not None:
            late = marks[kind].t - marks[start].t - seconds
            if abs(late) < 3.0:
                return ""
            return tr("{} {} {}: the rest moved", kind.words, clock(abs(late)), tr("late") if late > 0 else tr("early"))
    return ""
