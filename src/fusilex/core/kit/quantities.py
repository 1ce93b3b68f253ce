"""Pull quantities with losses."""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence

from msgspec import Struct
from msgspec.structs import replace

from fusilex.core.design.hidden_joints import hides_joints
from fusilex.core.design.model import Design, Part
from fusilex.core.evidence import Level, every, seen
from fusilex.core.judgement import Judgement
from fusilex.core.kit.alike import one_off
from fusilex.core.kit.losses import Logged, loss_of, pieces_for
from fusilex.core.packages.catalogue import Package, letters_of
from fusilex.core.quantities import Quantity
from fusilex.core.values import UNIT_OF_FAMILY, read_value, says_something
from fusilex.core.wording import say


class PullLine(Struct, frozen=True):
    """One bin: a value and body, the parts it serves on one board, pieces needed and to pull for the batch.

    `side` is top, bottom or both. `behind` is the number of pieces logged in this shop behind `loss`, 0 while it is
    the default. `alone` is False where another line has the same value and body under another part number. `bin` is the
    name its bin has in a batch, '' where it has none yet. `mark` tells lines of one name apart, by letters or the part.
    """

    value: str
    package: Package
    part_number: str
    refs: tuple[str, ...]
    need: int
    pull: int
    loss: float
    extra: int
    side: str = "top"
    behind: int = 0
    alone: bool = True
    bin: str = ""
    mark: str = ""

    @property
    def per_board(self) -> int:
        return len(self.refs)

    @property
    def name(self) -> str:
        """What to call its parts: the value, or else what else is known."""
        value = self.value if self.alone else f"{self.value}, {self.part_number or 'no part number'}"
        if self.mark:
            return f"{self.value.strip() or 'no value'}, {self.mark}"
        return value or self.part_number or self.package.code or "parts without a name"

    @property
    def article(self) -> str:
        """What it is, whatever other lines there are: value, body and part number."""
        known = (self.value, self.package.code, *([self.part_number] if self.part_number else []))
        return " | ".join(word.replace("|", "¦") for word in known)

    @property
    def key(self) -> str:
        """What everything that is kept of its bin goes by."""
        return self.bin or (f"{self.article} | {self.mark}" if self.mark else self.article)

    @property
    def group(self) -> tuple[str, str, str, str]:
        """What its parts have in common, and no others have."""
        return self.value, self.package.code, self.part_number, _mark(self.value, self.part_number, self.refs[0])


def pull_quantity(need: int, loss: float, extra: int, behind: int = 0) -> int:
    """``⌈need × (1 + loss)⌉ + extra`` pieces, and as many as it takes for enough to stay good: a loss is a share
    of what is handled, not of what is needed.

    >>> pull_quantity(36, 0.03, 8), pull_quantity(100, 0.3, 3)
    (46, 156)
    """
    return max(math.ceil(round(need * (1 + loss), 9)) + extra, pieces_for(need, loss, behind))


def pull_list(design: Design, boards: int, log: Mapping[str, Logged] | None = None) -> list[PullLine]:
    """One line per value, body and part number of the parts to be fitted, losses as logged in `log`. Raises
    ValueError for no board.
    """
    return pull_for([(design.parts, boards)], log)


def line_key(part: Part) -> tuple[str, str, str, str]:
    """What parts have in common that come from one bin."""
    return part.value, part.package.code, part.part_number, _mark(part.value, part.part_number, part.ref)


def _mark(value: str, part_number: str, ref: str) -> str:
    """A part number says what a part is; without one the letters go with the value, and where that says nothing, each
    part is a line of its own.
    """
    return "" if part_number else letters_of(ref) if says_something(value) else ref


def pull_for(builds: Sequence[tuple[Sequence[Part], int]], log: Mapping[str, Logged] | None = None) -> list[PullLine]:
    """The same for boards that differ: the parts of each kind of board, and how many there are of it."""
    if sum(count for _, count in builds) < 1:
        raise ValueError("a batch has at least one board")
    groups: dict[tuple[str, str, str, str], dict[str, Part]] = defaultdict(dict)
    needs: Counter[tuple[str, str, str, str]] = Counter()
    for parts_built, count in builds:
        for part in parts_built:
            if part.populated:
                groups[line_key(part)].setdefault(part.ref, part)
                needs[line_key(part)] += count
    alike = Counter({(value, package, number) for value, package, number, _ in groups})
    numbers = Counter((value, package) for value, package, _ in alike)
    same = Counter((value, package, number) for value, package, number, _ in groups)
    lines = []
    for group, by_ref in groups.items():
        (value, package, number, mark), parts = group, list(by_ref.values())
        need = needs[group]
        loss = loss_of(parts[0].package, log)
        lines.append(
            PullLine(
                parts[0].value,
                parts[0].package,
                parts[0].part_number,
                tuple(p.ref for p in parts),
                need,
                pull_quantity(need, loss.fraction, loss.extra, loss.behind) if need else 0,
                loss.fraction,
                loss.extra,
                parts[0].side if len({p.side for p in parts}) == 1 else "both",
                loss.behind,
                numbers[value, package] == 1,
                mark=mark if same[value, package, number] > 1 or mark == parts[0].ref else "",
            )
        )
    return lines


_KIND_ORDER = (
    "capacitor", "resistor", "chip", "diode", "led", "crystal", "transistor", "ic", "inductor", "electrolytic",
    "connector", "holder", "reed", "terminal", "other",
)  # fmt: skip


PLACING_ORDERS = {
    "kind": "by kind, smallest first",
    "hidden-first": "bottom-terminated parts first, for hot air one by one",
    "area": "by area of the board, left to right",
}
"""Orders of placing, the default first. Bins follow the order."""


def placing_key(package: Package, school: str = "kind", x: float = 0.0) -> tuple[float, ...]:
    """Sort key of a part (or of a bin by its first part) at `x` mm. Raises KeyError for a school that does not exist.

    By kind: small before large, so that nothing tall stands in the way. Hidden first: the same with bottom-terminated
    parts before all. By area: in strips of the board from left to right, by kind within a strip.
    """
    PLACING_ORDERS[school]
    kind = _KIND_ORDER.index(package.family) if package.family in _KIND_ORDER else len(_KIND_ORDER)
    by_kind = (kind, round(package.size_x * package.size_y, 2), package.height)
    if school == "hidden-first":
        return (float(not hides_joints(package)), *by_kind)
    return (math.floor(x / STRIP_MM), *by_kind) if school == "area" else by_kind


STRIP_MM = 15.0
"""Width of a strip of the board when bins follow its area: about what the hand reaches without moving the arm."""


def in_placing_order(
    lines: Sequence[PullLine], school: str = "kind", x_of: Mapping[str, float] | None = None
) -> list[PullLine]:
    """Bins in the order they are placed: top-side surface-mount by the school, then what is soldered by hand.

    `x_of` gives the x (mm) of each reference, for the school that goes by area.
    """

    def key(line: PullLine) -> tuple[bool, tuple[float, ...], str]:
        by_hand = line.package.mount == "tht" or line.side == "bottom"
        x = min(((x_of or {}).get(ref, 0.0) for ref in line.refs), default=0.0)
        return by_hand, placing_key(line.package, school, x), line.value

    return sorted((replace(line) for line in lines), key=key)


def judge_stock(lines: Sequence[PullLine], stock: dict[str, int | None]) -> list[Judgement]:
    """Shortages: `stock` maps a line's key to pieces counted in the bin, None where not yet counted."""
    found = []
    for line in lines:
        count = stock.get(line.key)
        if count is None or count >= line.pull:
            continue
        name = f"{line.value} {line.package.code}"
        numbers = (
            Quantity("in the bin", count),
            Quantity("needed", line.need),
            Quantity("to pull with losses", line.pull),
        )
        if count < line.need:
            found.append(
                Judgement(
                    "kit.short",
                    Level.STOP,
                    name,
                    say("short", short=line.need - count, name=name),
                    numbers,
                    say("find more", short=line.need - count),
                    line.refs,
                )
            )
        else:
            found.append(
                Judgement(
                    "kit.spares",
                    Level.CARE,
                    name,
                    say("few spares", name=name),
                    numbers,
                    say("handle with care"),
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
                say("not counted", waiting=waiting, bins=len(lines)),
                (Quantity("pieces to pull", sum(x.pull for x in lines)),),
                say("fill next"),
                missing=("counts of bins",),
            )
        )
    elif not found:
        bins = (every("bins", len(lines)),)
        behind = (Quantity("bins", len(lines)),)
        found.append(Judgement("kit.short", seen(*bins), "all bins", say("all filled"), behind, coverage=bins))
    return found


def judge_values(lines: Sequence[PullLine]) -> list[Judgement]:
    """Can't tell for lines of resistors, capacitors and coils whose value says nothing that can be read."""
    unread = [
        x
        for x in lines
        if (not says_something(x.value) and not x.part_number)
        or (x.package.family in UNIT_OF_FAMILY and x.value.strip() and not read_value(x.value, x.package.family).values)
    ]
    if not unread:
        return []
    text = say("not read", values=tuple(f"“{x.value}”" for x in unread))
    refs = tuple(ref for x in unread for ref in x.refs)
    numbers, missing = (Quantity("lines", len(unread)),), ("values with units",)
    return [Judgement("kit.value", Level.UNKNOWN, "values", text, numbers, say("use part number"), refs, missing)]


def look_alikes(lines: Sequence[PullLine]) -> list[Judgement]:
    """Values in one body that differ in one character: the bags that get swapped. One care naming all pairs, or
    nothing.
    """
    pairs = [
        (a, b)
        for i, a in enumerate(lines)
        for b in lines[i + 1 :]
        if a.package.code == b.package.code
        and a.package.family == b.package.family
        and (one_off(a.value, b.value) or (a.value == b.value and not a.alone))
    ]
    if not pairs:
        return []
    text = say("alike" if len(pairs) == 1 else "many alike", names=tuple(x.name for x in pairs[0]), more=len(pairs) - 1)
    return [
        Judgement(
            "kit.alike",
            Level.CARE,
            "look-alikes",
            text,
            (Quantity("values", "; ".join(f"{a.name} / {b.name}" for a, b in pairs)),),
            say("read the label"),
            tuple(ref for a, b in pairs for ref in a.refs + b.refs),
        )
    ]
