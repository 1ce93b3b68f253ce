"""The one type in which every station answers: go, care, stop or can't tell. A judgement is data; its words are made
where they are shown.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Iterator

from msgspec import Struct
from msgspec.structs import replace

from fusilex.core.evidence import Coverage, Level, covered
from fusilex.core.quantities import METRIC, Quantity, Units
from fusilex.core.wording import Said, worded

_MOST = 1.7e308
"""Ends of intervals are written as JSON, which has no infinity."""


class Judgement(Struct, frozen=True):
    """One answer: the rule behind it, how grave, about what; which of the rule's messages says it, the numbers behind
    it, which message says what hands do about it, the parts it speaks of, what would have to be known to tell, and how
    much of what had to be seen was.
    """

    rule: str
    level: Level
    subject: str
    says: Said
    quantities: tuple[Quantity, ...] = ()
    advice: Said | None = None
    refs: tuple[str, ...] = ()
    missing: tuple[str, ...] = ()
    coverage: tuple[Coverage, ...] = ()

    def __post_init__(self) -> None:
        """A go without what it stands on cannot be made: raises ValueError."""
        if self.level is Level.GO and not covered(self.coverage):
            raise ValueError(f"{self.rule}: a go of which not all was seen")
        if self.level is Level.GO and (out := next((q for q in self.quantities if not q.inside), None)):
            raise ValueError(f"{self.rule}: a go with {out.what} outside its limits")

    @property
    def key(self) -> str:
        """Stable name of this judgement within a batch, to hang an overruling on."""
        return f"{self.rule}:{self.subject}"

    @property
    def headline(self) -> str:
        """What it says, in the chosen units."""
        return self.words()

    @property
    def do(self) -> str:
        """What hands do about it, in the chosen units; '' where there is nothing to do."""
        return self.action()

    def words(self, units: Units | None = None) -> str:
        return worded(self.rule, self.says, self.quantities, self.refs, units)

    def action(self, units: Units | None = None) -> str:
        return worded(self.rule, self.advice, self.quantities, self.refs, units) if self.advice else ""

    def of(self, what: str) -> Judgement:
        """The same about a certain board, print or load, which its key then names."""
        return replace(self, subject=f"{self.subject}, {what}")

    def as_dict(self) -> dict[str, object]:
        """As JSON gives it: numbers in SI, mm and °C, whatever units people chose."""
        return {
            "rule": self.rule,
            "level": self.level.value,
            "subject": self.subject,
            "headline": self.words(METRIC),
            "because": [_plain(q) for q in self.quantities],
            "do": self.action(METRIC),
            "missing": list(self.missing),
            "refs": list(self.refs),
            "coverage": [{"what": c.what, "seen": c.seen, "of": c.of} for c in self.coverage],
        }


def _plain(q: Quantity) -> dict[str, object]:
    plain: dict[str, object] = {"what": q.what, "value": q.value, "unit": q.unit}
    if q.interval is not None:
        plain["interval"] = list(q.interval)
    if q.limit is not None:
        plain |= {"limit": [None if abs(end) == float("inf") else end for end in q.limit], "source": q.source}
    return plain


class Facts(Struct, frozen=True):
    """What an overruling is about, beside rule, subject and level: the message by its case, the names in it, each
    number by the interval in which it lies, and the parts.
    """

    case: str = ""
    names: dict[str, str] = {}
    numbers: dict[str, tuple[float, float]] = {}
    refs: tuple[str, ...] = ()

    @classmethod
    def of(cls, judgement: Judgement) -> Facts:
        names = dict(_names(judgement.says))
        numbers = {what: (max(q.bounds[0], -_MOST), min(q.bounds[1], _MOST)) for what, q in _numbers(judgement)}
        return cls(judgement.says.case, names, numbers, judgement.refs)

    def covers(self, judgement: Judgement) -> bool:
        """True while the same is said, of no other parts, with no number outside its interval."""
        found = dict(_numbers(judgement))
        return (
            judgement.says.case == self.case
            and dict(_names(judgement.says)) == self.names
            and set(judgement.refs) <= set(self.refs)
            and found.keys() == self.numbers.keys()
            and all(low <= float(found[what].value) <= high for what, (low, high) in self.numbers.items())
        )


def _names(said: Said) -> Iterator[tuple[str, str]]:
    """The words in the slots of a message, and of messages within."""
    for name, value in said.slots:
        if isinstance(value, Said):
            yield name, value.case
            yield from ((f"{name} {inner}", word) for inner, word in _names(value))
        elif isinstance(value, str):
            yield name, value
        elif isinstance(value, tuple | list) and any(isinstance(v, Said) for v in value):
            yield from _names(Said("", tuple((f"{name} {n}", v) for n, v in enumerate(value, 1))))
        elif isinstance(value, tuple | list):
            yield name, ", ".join(map(str, value))


def _numbers(judgement: Judgement) -> Iterator[tuple[str, Quantity]]:
    """The numbers of a judgement by name, but for those that run by the clock."""
    seen: Counter[str] = Counter()
    for q in (*_slot_numbers(judgement.says), *judgement.quantities):
        if not isinstance(q.value, str) and math.isfinite(q.value) and not q.runs:
            seen[q.what] += 1
            yield f"{q.what} {seen[q.what]}" if seen[q.what] > 1 else q.what, q


def _slot_numbers(said: Said) -> Iterator[Quantity]:
    for name, value in said.slots:
        if isinstance(value, Said):
            yield from _slot_numbers(value)
        elif isinstance(value, tuple | list):
            yield from _slot_numbers(Said("", tuple((name, v) for v in value if isinstance(v, Said))))
        elif isinstance(value, Quantity):
            yield replace(value, what=name)
        elif isinstance(value, int | float):
            yield Quantity(name, value)


def worst_first(judgements: Iterable[Judgement]) -> list[Judgement]:
    """Stop, care, can't tell, go; in the order given within a level."""
    return sorted(judgements, key=lambda j: j.level.rank)
