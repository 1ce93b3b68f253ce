"""What the faults of a batch have in common, in sentences, and what its causes are by that."""

from __future__ import annotations

import math
from collections.abc import Mapping

from msgspec import Struct, field

from fusilex.bench.batch import Batch
from fusilex.bench.history.opportunities import RISING, looked_at, opportunities, words_found
from fusilex.core.evidence import Level
from fusilex.core.inspection.causes import CAUSES, Evidence, Ranked, checks, ranked
from fusilex.core.inspection.patterns import LEAST_FAULTS, Pattern, Suspect, patterns, suspect
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import Said, say

MOST_ALSO = 4


class Finding(Struct, frozen=True):
    """A pattern among the faults of a word, of which there are `faults` in all among so many opportunities."""

    word: str
    pattern: Pattern
    faults: int
    opportunities: int

    @property
    def headline(self) -> str:
        """Where so many of the faults are."""
        one = self.pattern
        return f"{one.faults} of {self.faults} “{self.word}” at {one.attribute} {one.value}"

    @property
    def places(self) -> str:
        """How much of all that was looked at is there."""
        return f"It has {self.pattern.of} of {self.opportunities} places"

    @property
    def says(self) -> Said:
        """What was found, with its numbers."""
        one = self.pattern
        return say(
            "often",
            word=self.word,
            attribute=one.attribute,
            value=one.value,
            defects=one.faults,
            of=self.faults,
            places=one.of,
            opportunities=self.opportunities,
        )

    @property
    def sentence(self) -> str:
        """The same in words."""
        return self.judgement.headline

    @property
    def judgement(self) -> Judgement:
        """The same as a judgement: chance, how many times as often, what goes with it, what to check."""
        one = self.pattern
        also = ", ".join(f"{name} {value}" for name, value in one.also[:MOST_ALSO])
        numbers = (
            Quantity("chance of it, over all looked at", f"{one.q:.2g}"),
            Quantity("times as often as elsewhere", f"{one.within95[0]:.1f} to {one.within95[1]:.1f}"),
            *((Quantity("cannot be told from", also),) if also else ()),
        )
        return Judgement(
            "inspect.pattern",
            Level.CARE,
            f"{self.word}, {one.attribute} {one.value}",
            self.says,
            numbers,
            say("look first", check=checks(one.attribute, self.word)),
        )


class Doubt(Struct, frozen=True):
    """What may be behind the faults of a word and cannot be told yet: so many more boards like these would tell."""

    word: str
    suspect: Suspect
    more_boards: int | None

    @property
    def judgement(self) -> Judgement:
        one = self.suspect
        text = say("too little data", attribute=one.attribute, value=one.value, word=self.word)
        numbers = (Quantity("defects there", f"{one.faults} of {one.of}"),)
        do = say("so many boards", boards=self.more_boards) if self.more_boards else say("many boards")
        missing = ("more boards",)
        return Judgement("inspect.pattern", Level.UNKNOWN, self.word, text, numbers, do, (), missing)


class Findings(Struct, frozen=True):
    """All that was found, what cannot be told yet, and by fault word what the batch says of its causes."""

    found: tuple[Finding, ...] = ()
    doubts: tuple[Doubt, ...] = ()
    evidence: Mapping[str, Evidence] = field(default_factory=dict)

    def causes(self, word: str) -> list[Ranked]:
        """Causes of a fault word, ranked by what was found."""
        return ranked(word, self.evidence.get(word))


def find(batch: Batch) -> Findings:
    """Over everything the record knows of the joints and parts that were looked at."""
    words = {word: marked for word, marked in words_found(batch).items() if word in CAUSES}
    several = [word for word, marked in words.items() if len(marked) >= LEAST_FAULTS]
    found: list[Finding] = []
    doubts: list[Doubt] = []
    evidence: dict[str, Evidence] = {}
    for word in several:
        table = opportunities(batch, word)
        many = sum(table.fault)
        made = [
            Finding(word, one, many, len(table.fault))
            for one in patterns(table.attributes, table.fault, RISING, len(several))
        ]
        found += made
        if not made and (doubt := suspect(table.attributes, table.fault)):
            boards = len(looked_at(batch))
            more = None if doubt.times is None else math.ceil(boards * (doubt.times - 1))
            doubts.append(Doubt(word, doubt, more))
        said = tuple(
            (name, value, one.sentence)
            for one in made
            for name, value in ((one.pattern.attribute, one.pattern.value), *one.pattern.also)
        )
        known = frozenset(name for name, values in table.attributes.items() if len(set(values) - {""}) > 1)
        evidence[word] = Evidence(said, known, many)
    return Findings(tuple(sorted(found, key=lambda one: one.pattern.q)), tuple(doubts), evidence)
