"""How green was processed, as the words on its bag tell: what that means for the roaster, and what nobody can tell beforehand.

The words are common practice, no published source. What is not known counts as unpredictable.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

#: Words of a process, each with what it means: dried whole (natural), pulped (honey), washed, hulled wet, decaffeinated,
#: steered (fermented in ways of which no two are alike), plain (says nothing by itself).
_MEANS = {
    "natural": "natural naturel seco unwashed dry sundried sun-dried dried cherry whole raisin",
    "honey": "honey miel despulpado pulped semi-washed semiwashed mucilage white yellow red black",
    "washed": "washed lavado lavada wet wet-processed",
    "hulled": "hulled wet-hulled wethulled giling basah",
    "decaf": "decaf decaffeinated decaffeinato descafeinado descafeine entkoffeiniert decafeine caffeine-free ea co2 "
    "sugarcane sugar cane acetate ethyl methylene chloride mc water-process",
    "steered": "anaerobic anaerobe carbonic maceration macerated co-ferment coferment co-fermented cofermented yeast "
    "inoculated lactic koji thermal shock infused barrel extended experimental special culture enzyme enzymatic",
    "plain": "process processed fully double single bed raised beds patio and the with on a day days hour hours fermented "
    "fermentation slow traditional classic station milled sorted soaked kenya-style aerobic clean shade sun mechanical drier",
}
_WORDS = {word: meaning for meaning, words in _MEANS.items() for word in words.split()}


@dataclass(frozen=True)
class Process:
    """What the words on a bag mean for the roaster."""

    natural: bool = False  #: dried with fruit on it: sugars are left on the bean
    altered: bool = False  #: decaffeinated or hulled wet: an open structure
    decaf: bool = False
    unpredictable: bool = False  #: steered ferments, and all that is not known
    unknown: tuple[str, ...] = ()


def process_of(text: str) -> Process:
    """What a process means.

    Examples
    --------
    >>> process_of("Natural").natural, process_of("Carbonic maceration").unpredictable, process_of("EA decaf").decaf
    (True, True, True)
    >>> process_of("moonlit").unknown
    ('moonlit',)
    """
    said = text.strip().lower().replace("caffeine free", "caffeine-free").replace("water process", "water-process")
    said = said.replace("koffeinfrei", "decaf")
    said = said.replace("wet hulled", "wet-hulled").replace("sun dried", "sun-dried").replace("without caffeine", "decaf")
    words = [word.strip("-") for word in re.split(r"[^a-z0-9à-ÿ-]+", said) if word.strip("-") and not word.isdigit()]
    means = {_WORDS[word] for word in words if word in _WORDS}
    unknown = tuple(word for word in words if word not in _WORDS and not re.fullmatch(r"\d+[hd]?", word))
    steered = "steered" in means
    return Process(
        natural="natural" in means or (steered and not means & {"washed", "honey"}),
        altered=bool(means & {"decaf", "hulled"}),
        decaf="decaf" in means,
        unpredictable=steered or bool(unknown),
        unknown=unknown,
    )
