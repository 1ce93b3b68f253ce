"""What is there against what the batch needs: lots that fit a line, and the list of what to buy."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

from msgspec import Struct

from fusilex.core.evidence import Coverage, Level, seen
from fusilex.core.judgement import Judgement
from fusilex.core.kit.quantities import PullLine
from fusilex.core.packages.chips import chip_code
from fusilex.core.quantities import Quantity
from fusilex.core.values import read_value
from fusilex.core.wording import say


def fits(line: PullLine, part_number: str, value: str, package: str) -> bool:
    """True when stock of this part number, or of this value in this body, serves a line."""
    if line.part_number and part_number:
        return _plain(line.part_number) == _plain(part_number)
    here, there = line.package.chip or None, chip_code(package)
    if package and (here != there or (here is None and _plain(line.package.code) != _plain(package))):
        return False
    a, b = read_value(line.value, line.package.family), read_value(value, line.package.family)
    if a.value is not None and b.value is not None:
        return a.met_by(b)
    return bool(_plain(value)) and _plain(line.value) == _plain(value)


def _plain(text: str) -> str:
    return re.sub(r"\W+", "", text).upper()


class BuyLine(Struct, frozen=True):
    """A line of the shopping list: `have` pieces are there for this batch, `buy` are missing up to the pull
    quantity.
    """

    line: PullLine
    have: int

    @property
    def buy(self) -> int:
        return max(0, self.line.pull - self.have)


def buy_list(lines: Sequence[PullLine], have: Mapping[str, int]) -> list[BuyLine]:
    """What to buy for a batch, `have` giving the pieces in stock by line key; lines that are covered are left out."""
    return [b for line in lines if (b := BuyLine(line, have.get(line.key, 0))).buy]


def judge_cover(lines: Sequence[PullLine], have: Mapping[str, int]) -> list[Judgement]:
    """Stop when stock does not cover the need of a line, care when it covers the need without the losses.

    `have` gives pieces by line key for lines that stock knows at all; the others are only counted.
    """
    known = [x for x in lines if x.key in have]
    short = [x for x in known if have[x.key] < x.need]
    thin = [x for x in known if x.need <= have[x.key] < x.pull]
    numbers = (
        Quantity("lines short", len(short)),
        Quantity("without spares", len(thin)),
        Quantity("not in stock at all", len(lines) - len(known)),
    )
    if not short and not thin:
        lots = (Coverage("lines", len(known), len(lines)),)
        if (level := seen(*lots)) is Level.GO:
            return [Judgement("kit.cover", level, "stock", say("covered"), numbers, coverage=lots)]
        text, missing = (
            say("not in stock", unknown=len(lines) - len(known), lines=len(lines)),
            ("stock of those lines",),
        )
        return [Judgement("kit.cover", level, "stock", text, numbers, missing=missing, coverage=lots)]
    worst = (short or thin)[0]
    more = len(short) + len(thin) - 1
    text = say("lacks" if short else "few spares", lack=worst.need - have[worst.key], value=worst.value)
    if more:
        text = say("and more lines", first=text, more=more)
    refs = tuple(ref for x in (*short, *thin) for ref in x.refs)
    level = Level.STOP if short else Level.CARE
    return [Judgement("kit.cover", level, "stock", text, numbers, say("order them"), refs)]
