"""What is there against what the batch needs: lots that fit a line, and the list of what to buy."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from fusilex.core.board.bodies import chip_code
from fusilex.core.judgement import Because, Judgement, Level
from fusilex.core.kit.quantities import PullLine
from fusilex.core.kit.values import read_value, same_value


def fits(line: PullLine, part_number: str, value: str, body: str) -> bool:
    """True when stock of this part number, or of this value in this body, serves a line."""
    if line.part_number and part_number:
        return _plain(line.part_number) == _plain(part_number)
    here, there = chip_code(line.body.code), chip_code(body)
    if body and (here != there or (here is None and _plain(line.body.code) != _plain(body))):
        return False
    a, b = read_value(line.value, line.body.family), read_value(value, line.body.family)
    if a.value is not None and b.value is not None:
        return same_value(a.value, b.value)
    return bool(_plain(value)) and _plain(line.value) == _plain(value)


def _plain(text: str) -> str:
    return re.sub(r"\W+", "", text).upper()


@dataclass(frozen=True)
class BuyLine:
    """A line of the shopping list: `have` pieces are there for this batch, `buy` are missing up to the pull quantity."""

    line: PullLine
    have: int

    @property
    def buy(self) -> int:
        return max(0, self.line.pull - self.have)


def buy_list(lines: Sequence[PullLine], have: Mapping[str, int]) -> list[BuyLine]:
    """What to buy for a batch, `have` giving the pieces in stock by line key; lines that are covered are left out."""
    return [b for line in lines if (b := BuyLine(line, have.get(line.key, 0))).buy]


def judge_cover(lines: Sequence[PullLine], have: Mapping[str, int]) -> list[Judgement]:
    """Stop when stock does not even cover the need of a line, care when it covers the need without the losses."""
    short = [x for x in lines if have.get(x.key, 0) < x.need]
    thin = [x for x in lines if x.need <= have.get(x.key, 0) < x.pull]
    if not short and not thin:
        return [
            Judgement("kit.cover", Level.GO, "stock", "Stock covers the whole batch", (Because("lines", len(lines)),))
        ]
    level = Level.STOP if short else Level.CARE
    worst = (short or thin)[0]
    more = len(short) + len(thin) - 1
    text = (
        f"Stock lacks {worst.need - have.get(worst.key, 0)} of {worst.value}"
        if short
        else f"Stock of {worst.value} has few spares"
    )
    refs = tuple(ref for x in (*short, *thin) for ref in x.refs)
    return [
        Judgement(
            "kit.cover",
            level,
            "stock",
            text
            + (f", and {more} more lines are short" if more > 1 else ", and one more line is short" if more else ""),
            (Because("lines short", len(short)), Because("lines without spares", len(thin))),
            "Write the shopping list with B.",
            refs,
        )
    ]
