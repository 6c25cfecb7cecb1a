"""What share of the cases can be acted on: as the brief declares it, else as a sentence of it says."""

import re
from dataclasses import dataclass

from brookfall.core.submission.schema import Model

_SHARES = {"half": 50.0, "third": 100 / 3, "quarter": 25.0, "fifth": 20.0, "sixth": 100 / 6, "tenth": 10.0}
_WORDS = ("one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve")
_COUNTS = {"a": 1, "twenty": 20, "fifty": 50, "a hundred": 100} | {word: n for n, word in enumerate(_WORDS, start=1)}
_ACTS = (
    r"\b(?:act(?:ed)?|approv|audit|call|capacity|check|contact|examin|follow|get|given?|go to|inspect|invit|mail|offer|"
    r"pick|receiv|referr|review|select|sent|served|take[ns]?|treat|visit)"
)
_PER_CENT = re.compile(r"(\d+(?:[.,]\d+)?)\s?(?:%|per ?cent\b)")
_ONE_IN = re.compile(rf"\b(?:one|1) (?:in|out of) (?:every )?(\d+|{'|'.join(_COUNTS)})\b")
_FRACTION = re.compile(r"\b(?:(a|one|two|three|four) )?(half|third|quarter|fifth|sixth|tenth)s?\b")


@dataclass(frozen=True)
class StatedCapacity:
    """At most so many ``percent`` of the cases can be acted on; ``said`` is the sentence that says so, empty where it
    was declared."""

    percent: float
    said: str = ""


def stated_capacity(model: Model) -> StatedCapacity | None:
    """What the brief declares, else what a sentence of its use or purpose says that has one share and an act.

    None where there is no such sentence.

    >>> brief = {"name": "m", "version": "1", "tier": 1, "outcome": "binary", "owner": "o", "purpose": "Who is first"}
    >>> stated_capacity(Model(**brief, use="Ranks the list; about a third are offered a visit."))
    StatedCapacity(percent=33.3, said='Ranks the list; about a third are offered a visit.')
    >>> stated_capacity(Model(**brief, capacity=12)).percent
    12.0
    >>> stated_capacity(Model(**brief)) is None
    True
    """
    if model.capacity is not None:
        return StatedCapacity(model.capacity)
    for sentence in re.split(r"(?<=[.!?])\s+", f"{model.use or ''} {model.purpose}".strip()):
        found = _shares(sentence.lower())
        if len(found) == 1 and 0 < found[0] < 100 and re.search(_ACTS, sentence.lower()):
            return StatedCapacity(round(found[0], 1), sentence)
    return None


def _shares(sentence: str) -> list[float]:
    shares = [float(one.replace(",", ".")) for one in _PER_CENT.findall(sentence)]
    shares += [100 / (_COUNTS.get(one) or int(one)) for one in _ONE_IN.findall(sentence) if one not in ("0", "1")]
    shares += [_COUNTS[count or "a"] * _SHARES[name] for count, name in _FRACTION.findall(sentence)]
    return shares
