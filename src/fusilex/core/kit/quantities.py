"""Pull quantities with losses."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace

from fusilex.core.board.bodies import Body, chip_code
from fusilex.core.board.model import Design, Part
from fusilex.core.judgement import Because, Judgement, Level

# family or inch code: (loss fraction, minimum extra pieces); the handbook's shop defaults
_LOSS = {
    "01005": (0.05, 10),
    "0201": (0.05, 10),
    "0402": (0.03, 8),
    "0603": (0.02, 5),
    "0805": (0.01, 3),
    "1206": (0.01, 3),
    "1210": (0.01, 3),
}
_OTHER_LOSS = (0.0, 1)


@dataclass(frozen=True)
class PullLine:
    """One bin: a value and body, the parts it serves on one board, pieces needed and to pull for the batch."""

    value: str
    body: Body
    part_number: str
    refs: tuple[str, ...]
    need: int
    pull: int
    loss: float
    extra: int
    side: str = "top"

    @property
    def per_board(self) -> int:
        return len(self.refs)

    @property
    def key(self) -> str:
        return f"{self.value} | {self.body.code}"


def loss_of(body: Body) -> tuple[float, int]:
    """Loss fraction and minimum extra for a body: by chip size, else none and one."""
    code = chip_code(body.code)
    return _LOSS.get(code, _OTHER_LOSS) if code else _OTHER_LOSS


def pull_quantity(need: int, loss: float, extra: int) -> int:
    """``⌈need × (1 + loss)⌉ + extra`` pieces.

    >>> pull_quantity(36, 0.03, 8)
    46
    """
    return math.ceil(round(need * (1 + loss), 9)) + extra


def pull_list(design: Design, boards: int) -> list[PullLine]:
    """One line per value and body of the parts to be fitted. Raises ValueError for fewer than one board."""
    if boards < 1:
        raise ValueError("a batch has at least one board")
    groups: dict[tuple[str, str], list[Part]] = defaultdict(list)
    for part in design.parts:
        if part.fitted:
            groups[(part.value, part.body.code)].append(part)
    lines = []
    for parts in groups.values():
        need = boards * len(parts)
        loss, extra = loss_of(parts[0].body)
        lines.append(
            PullLine(
                parts[0].value,
                parts[0].body,
                parts[0].part_number,
                tuple(p.ref for p in parts),
                need,
                pull_quantity(need, loss, extra),
                loss,
                extra,
                parts[0].side,
            )
        )
    return lines


_KIND_ORDER = (
    "capacitor",
    "resistor",
    "chip",
    "diode",
    "led",
    "crystal",
    "transistor",
    "ic",
    "inductor",
    "electrolytic",
    "connector",
    "holder",
    "reed",
    "terminal",
    "other",
)


def placing_key(family: str, height: float, area: float) -> tuple[int, float, float]:
    """Sort key of the default school: by kind, small before large, so that nothing tall stands in the way."""
    kind = _KIND_ORDER.index(family) if family in _KIND_ORDER else len(_KIND_ORDER)
    return kind, round(area, 2), height


def in_placing_order(lines: Sequence[PullLine]) -> list[PullLine]:
    """Bins in the order they are placed: top-side surface-mount by kind and size, then what is soldered by hand."""

    def key(line: PullLine) -> tuple[bool, tuple[int, float, float], str]:
        by_hand = line.body.mount == "tht" or line.side == "bottom"
        return by_hand, placing_key(line.body.family, line.body.height, line.body.size_x * line.body.size_y), line.value

    return sorted((replace(line) for line in lines), key=key)


def judge_stock(lines: Sequence[PullLine], stock: dict[str, int | None]) -> list[Judgement]:
    """Shortages: `stock` maps a line's key to pieces counted in the bin, None where not yet counted."""
    found = []
    for line in lines:
        count = stock.get(line.key)
        if count is None or count >= line.pull:
            continue
        name = f"{line.value} {line.body.code}"
        numbers = (
            Because("in the bin", count),
            Because("needed", line.need),
            Because("to pull with losses", line.pull),
        )
        if count < line.need:
            found.append(
                Judgement(
                    "kit.short",
                    Level.STOP,
                    name,
                    f"{line.need - count} short of {name}",
                    numbers,
                    f"Find {line.need - count} more, or start without {', '.join(line.refs)}.",
                    line.refs,
                )
            )
        else:
            found.append(
                Judgement(
                    "kit.spares",
                    Level.CARE,
                    name,
                    f"Few spares of {name}",
                    numbers,
                    "Enough when none is lost; mind the tweezers.",
                    line.refs,
                )
            )
    waiting = sum(stock.get(line.key) is None for line in lines)
    if waiting:
        found.append(
            Judgement(
                "kit.waiting",
                Level.UNKNOWN,
                "bins",
                f"{waiting} of {len(lines)} bins not counted yet",
                (Because("pieces to pull", sum(x.pull for x in lines)),),
                "Fill the bin that is lit and press Space.",
            )
        )
    elif not found:
        found.append(
            Judgement("kit.short", Level.GO, "all bins", "Everything is in reach", (Because("bins", len(lines)),))
        )
    return found


def look_alikes(lines: Sequence[PullLine]) -> list[Judgement]:
    """Values in one body that differ in one character: the bags that get swapped. One care naming all pairs, or nothing."""
    pairs = [
        (a, b)
        for i, a in enumerate(lines)
        for b in lines[i + 1 :]
        if a.body.code == b.body.code and a.body.family == b.body.family and _one_off(a.value, b.value)
    ]
    if not pairs:
        return []
    first = f"{pairs[0][0].value} and {pairs[0][1].value}"
    rest = f", and {len(pairs) - 1} more pairs" if len(pairs) > 1 else ""
    return [
        Judgement(
            "kit.alike",
            Level.CARE,
            "look-alikes",
            f"{first} look alike{rest}",
            (Because("values", "; ".join(f"{a.value} / {b.value}" for a, b in pairs)),),
            "Read the whole label before you fill a bin.",
            tuple(ref for a, b in pairs for ref in a.refs + b.refs),
        )
    ]


def _one_off(a: str, b: str) -> bool:
    a, b = a.replace(" ", ""), b.replace(" ", "")
    if a == b:
        return False
    if len(a) == len(b):
        return sum(x != y for x, y in zip(a, b, strict=True)) == 1
    short, long = sorted((a, b), key=len)
    return len(long) - len(short) == 1 and any(long[:i] + long[i + 1 :] == short for i in range(len(long)))
