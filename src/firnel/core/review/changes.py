"""What to change next time: from deviations, what the eye found and what the cup said to concrete edits of the plan.

The rules are common practice of the trade, no published source.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from firnel.core.review.comparison import Deviation
from firnel.core.words import tr


@dataclass(frozen=True)
class Change:
    """One edit: the target (or ``load``), by how much [s, K, share], and why."""

    target: str
    by: float
    why: str


#: What a word of the cup is an answer to: target and by how much.
CUP_RULES: Mapping[str, tuple[str, float]] = {
    "grassy": ("development_s", 20.0), "green": ("development_s", 20.0), "vegetal": ("development_s", 20.0),
    "raw": ("development_s", 25.0), "sour": ("development_s", 10.0),
    "roasty": ("development_s", -15.0), "bitter": ("development_s", -15.0), "bittersweet": ("development_s", -10.0),
    "smoky": ("drop_c", -2.0), "burnt": ("drop_c", -3.0),
    "flat": ("browning_s", -20.0), "papery": ("browning_s", -20.0), "bread": ("browning_s", -20.0),
    "baked": ("browning_s", -25.0),
    "thin": ("browning_s", 20.0), "sharp": ("browning_s", 20.0), "harsh": ("browning_s", 15.0),
    "ashy": ("charge_c", -5.0), "scorched": ("charge_c", -6.0),
    "uneven": ("drying_s", 20.0),
}  # fmt: skip
#: What the eye finds, as a grade of 0 to 3 or a share of the sample [0..1]: from where on it matters, and its answer.
EYE_RULES: Mapping[str, tuple[float, str, float]] = {
    "scorched": (0.02, "charge_c", -5.0),
    "tipped": (0.02, "charge_c", -4.0),
    "chipped": (0.03, "charge_c", -3.0),
    "uneven": (2.0, "drying_s", 20.0),
    "oily": (1.0, "drop_c", -2.0),
    "wrinkled": (2.0, "development_s", 10.0),
}
EYE_WORDS = {
    "scorched": tr("scorched beans"), "tipped": tr("tipped beans"), "chipped": tr("chips and craters"),
    "uneven": tr("uneven colour"), "oily": tr("oil on the beans"), "wrinkled": tr("wrinkled beans"),
}  # fmt: skip
#: What colour and loss ask of development where they are off: seconds for each point, and for each half point of loss.
S_PER_COLOUR, S_PER_HALF_LOSS = 6.0, 12.0
#: No edit is larger than this at once.
MOST = {"development_s": 30.0, "browning_s": 30.0, "drying_s": 30.0, "charge_c": 8.0, "drop_c": 4.0}


def changes(
    words: Iterable[str] = (), eye: Mapping[str, float] | None = None, table: Iterable[Deviation] = ()
) -> tuple[Change, ...]:
    """The edits that are called for, one for each target, the most called for first.

    Where two signs pull a target different ways, they are added: what is left is small, and goes last.

    Parameters
    ----------
    words : of the cup, each as often as it was said.
    eye : what the inspection found, by name.
    table : deviations of the batch.
    """
    asked: dict[str, list[tuple[float, str]]] = {}
    said: dict[str, int] = {}
    for word in words:
        said[word.strip().lower()] = said.get(word.strip().lower(), 0) + 1
    for word, count in said.items():
        if word in CUP_RULES:
            target, by = CUP_RULES[word]
            asked.setdefault(target, []).append(
                (by, tr("{} in the cup", word) + (tr(", {} times", count) if count > 1 else ""))
            )
    for name, value in (eye or {}).items():
        rule = EYE_RULES.get(name)
        if rule is not None and value >= rule[0]:
            asked.setdefault(rule[1], []).append((rule[2], EYE_WORDS[name]))
    for one in table:
        if one.word == "same":
            continue
        if one.name in ("colour_ground", "colour_whole"):
            where = tr("lighter") if one.by > 0 else tr("darker")
            asked.setdefault("development_s", []).append(
                (S_PER_COLOUR * one.by, tr("{} {:.1f} {}", one.words, abs(one.by), where))
            )
        if one.name == "loss":
            where = tr("below") if one.by < 0 else tr("above")
            seconds = -S_PER_HALF_LOSS * one.by / 0.005
            asked.setdefault("development_s", []).append((seconds, tr("loss {:.1f} points {}", 100 * abs(one.by), where)))
    found = []
    for target, votes in asked.items():
        # Two signs of the same fault are no reason to change twice as much.
        largest = max((by for by, _ in votes), key=abs)
        total = sum(by for by, _ in votes)
        by = max(min(total, abs(largest)), -abs(largest))
        by = max(min(by, MOST[target]), -MOST[target])
        step = 5.0 if target.endswith("_s") else 1.0
        by = step * round(by / step)
        if by:
            found.append((len(votes), Change(target, by, "; ".join(why for _, why in votes))))
    return tuple(change for _, change in sorted(found, key=lambda pair: -pair[0]))
