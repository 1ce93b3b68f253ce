"""Is this the right bag? A label against the line of the pull list it is meant for."""

from __future__ import annotations

import re
from collections.abc import Sequence

from msgspec import Struct
from msgspec.structs import replace

from fusilex.core.evidence import Coverage, Level, seen
from fusilex.core.judgement import Judgement
from fusilex.core.kit.alike import one_off
from fusilex.core.kit.bag_label import others_alike, outlines_on, read_label, same_body, sizes_on, without_counts
from fusilex.core.kit.quantities import PullLine
from fusilex.core.packages.chips import without_codes
from fusilex.core.quantities import Quantity
from fusilex.core.units import show_value
from fusilex.core.values import Meaning, read_value, says_something
from fusilex.core.wording import say


class Difference(Struct, frozen=True):
    """One thing label and line disagree on. `near` marks the kind that is easily overlooked."""

    what: str
    wanted: str
    found: str
    near: bool = False


class BagCheck(Struct, frozen=True):
    """What was compared: `agrees` names what matched, `differs` what did not, `unread` says what could not be told
    and why.

    A value that could not be compared is always among the unread: a body alone is no bag.
    """

    line: PullLine
    label: str
    agrees: tuple[str, ...]
    differs: tuple[Difference, ...]
    unread: tuple[str, ...] = ()

    @property
    def level(self) -> Level:
        """Stop on any difference, can't tell where anything is in doubt, else go."""
        return Level.STOP if self.differs else seen(self.coverage)

    @property
    def coverage(self) -> Coverage:
        """How much of what had to be compared was."""
        return Coverage("compared", len(self.agrees), len(self.agrees) + len(self.unread))


def check_bag(line: PullLine, label: str, substitutes: Sequence[str] = ()) -> BagCheck:
    """Compare part number, value, body, tolerance, voltage and dielectric. What the line asks for and the label does
    not say is unread: no bag is right by what it leaves out.

    A part number that matches to the letter settles all that the label does not contradict. `substitutes` are part
    numbers or values approved for the line; one by value still has to come in the line's body.
    """
    for other in substitutes:
        if _number_in(other, label):
            return BagCheck(line, label, (f"approved substitute {other}",), ())
        if _same_value(other, label, line.package.family):
            check = check_bag(replace(line, value=other, part_number=""), label)
            return replace(check, line=line, agrees=(f"approved substitute {other}", *check.agrees))
    made = _Compared(line, label)
    made.part_number()
    made.value()
    made.body()
    made.ratings()
    return BagCheck(line, label, tuple(made.agrees), tuple(made.differs), tuple(made.unread))


class _Compared:
    """What has been compared of a label so far."""

    def __init__(self, line: PullLine, label: str) -> None:
        self.line, self.label = line, label
        self.agrees: list[str] = []
        self.differs: list[Difference] = []
        self.unread: list[str] = []
        self.wanted = read_value(line.value, line.package.family)
        self.found = read_label(label, line.package.family)
        self.settled = False

    def part_number(self) -> None:
        number = self.line.part_number
        if number and _number_in(number, self.label):
            self.agrees.append("part number")
            self.settled = True
        elif number and (like := _like_number(number, self.label)):
            self.differs.append(Difference("part number", number, like, one_off(_plain(number), _plain(like))))

    def value(self) -> None:
        wanted, found = self.wanted, self.found
        if wanted.values and found.values:
            if wanted.met_by(found):
                self.agrees.append("value")
            elif not (self.settled and _by_digits_alone(self.label)):
                self.differs.append(_value_difference(self.line.value, wanted, found))
        elif not self.settled and not self.differs:
            self._words()

    def _words(self) -> None:
        """Values of which one or both are words, such as a chip's type: they stand on the label whole, or not."""
        line, label = self.line, self.label
        words = re.findall(r"[^\W_]+", line.value)
        whole = r"(?<![^\W_])" + r"[\W_]*".join(map(re.escape, words))
        if self.wanted.values:  # a quantity is wanted and the label gives none
            self.unread.append(self.found.unread)
        elif re.fullmatch(r"[\d.,\s]+", line.value):
            self.unread.append(f"the list says {line.value} without a unit")
        elif not words or not says_something(line.value):
            self.unread.append("the lists name no value to compare with")
        elif longer := re.search(whole + r"(?:[^\W\d_][^\W_]*|[-/.][^\W_]+)", label, re.I):
            self.unread.append(f"the label says {longer[0]}, the list {line.value}: the letters behind it may matter")
        elif re.search(whole + r"(?![^\W_])", label, re.I):
            if others := others_alike(line.value, label):
                self.unread.append(f"the label names {others[0]}, too")
            else:
                self.agrees.append("value")
        elif re.search(r"[^\W_]", without_codes(without_counts(label))):
            self.differs.append(Difference("value", line.value, label.strip()[:40]))
        else:
            self.unread.append("the label gives no value")

    def body(self) -> None:
        """Chip sizes by code or lengths, other bodies by the names of their outlines."""
        package = self.line.package
        if package.chip:
            codes = sizes_on(self.label)
            if len(codes) > 1:
                self.unread.append(f"the label names the sizes {' and '.join(codes)}")
            elif codes:
                self._same("package", codes[0] == package.chip, package.chip, codes[0])
            elif not self.settled:
                self.unread.append("the label names no size")
            return
        named = outlines_on(self.label, self.line.refs[0])
        if other := next((p for p in named if not same_body(p, package)), None):
            self._same("package", False, package.code, other.code)
        elif named and package.known:
            self.agrees.append("package")
        elif not self.settled and package.family in BY_OUTLINE:
            self.unread.append("the label names no package")

    def ratings(self) -> None:
        """Tolerance no wider, voltage no lower, the same dielectric, as far as the line asks for them."""
        wanted, found = self.wanted, self.found
        asked = (
            ("tolerance", wanted.tolerance_percent, found.tolerance_percent, "%", -1),
            ("voltage", wanted.volts, found.volts, "V", 1),
        )
        for what, want, have, unit, way in asked:
            if want is None:
                continue
            if have is None:
                self._silent(what)
            else:
                enough = way * have >= way * want - 1e-9 * want
                self._same(what, enough, f"{want:g} {unit}", f"{have:g} {unit}")
        if wanted.dielectric and found.dielectric:
            self._same("dielectric", wanted.dielectric == found.dielectric, wanted.dielectric, found.dielectric)
        elif wanted.dielectric:
            self._silent("dielectric")

    def _silent(self, what: str) -> None:
        if not self.settled:
            self.unread.append(f"the label names no {what}")

    def _same(self, what: str, same: bool, wanted: str, found: str) -> None:
        if same:
            self.agrees.append(what)
        else:
            self.differs.append(Difference(what, wanted, found, True))


BY_OUTLINE = ("ic", "transistor", "diode")
"""Families of which one type comes in several bodies."""


def _by_digits_alone(label: str) -> bool:
    """True where a label's value is a number without unit or prefix: beside a part number it is a count or a code."""
    return not re.search(r"\d\s*[pnuµmkKMGR]?(?:Ω|ohm|F|H|Hz)\b|\d[pnuµkKMGR]\d*\b", without_codes(label), re.I)


def _same_value(value: str, label: str, family: str) -> bool:
    return read_value(value, family).met_by(read_label(label, family))


def _value_difference(value: str, wanted: Meaning, found: Meaning) -> Difference:
    assert wanted.value is not None and found.value is not None
    a, b = show_value(wanted.value, wanted.unit), show_value(found.value, found.unit or wanted.unit)
    digits_a, digits_b = (re.sub(r"\D", "", t).strip("0") for t in (a, b))
    if wanted.unit == "Hz":  # cans of every frequency look the same
        return Difference("frequency", a, b, True)
    return Difference("value", a, b, one_off(value, found.text) or digits_a == digits_b or one_off(digits_a, digits_b))


def _plain(text: str) -> str:
    return re.sub(r"[\s\-_./]+", "", text).upper()


def _number_in(number: str, label: str) -> bool:
    return bool(number.strip()) and any(
        _plain(number) == _plain(word) for word in (*re.split(r"[\s,;|]+", label), label)
    )


def _like_number(number: str, label: str) -> str | None:
    """A word of the label built like the part number wanted: the same letters and digits in the same places, or
    nearly.
    """
    shape = re.sub(r"\d", "9", re.sub(r"[A-Z]", "A", _plain(number)))
    words = [w for w in re.split(r"[\s,;|]+", label) if w]
    return next(
        (w for w in words if len(shape) >= 4 and re.sub(r"\d", "9", re.sub(r"[A-Z]", "A", _plain(w))) == shape), None
    )


def judge_bag(check: BagCheck, reason: str = "") -> Judgement:
    """The bag check in one judgement; a reason turns a stop into a care that stays on record."""
    line = check.line
    name = f"{line.value} {line.package.code}"
    if check.level is Level.GO:
        return Judgement(
            "kit.bag",
            check.level,
            line.key,
            say("right bag", name=name),
            (Quantity("agrees", ", ".join(check.agrees)),),
            refs=line.refs,
            coverage=(check.coverage,),
        )
    if check.level is Level.UNKNOWN:
        return Judgement(
            "kit.bag",
            Level.CARE if reason else Level.UNKNOWN,
            line.key,
            say("label unclear", name=name),
            (Quantity("label", check.label[:40]), *(Quantity("in doubt", why) for why in check.unread)),
            say("used all the same", reason=reason) if reason else say("type value or number"),
            line.refs,
            missing=("value or part number on the label",),
        )
    first = check.differs[0]
    return Judgement(
        "kit.bag",
        Level.CARE if reason else Level.STOP,
        line.key,
        say("wrong but alike" if first.near else "wrong", what=first.what, found=first.found, wanted=first.wanted),
        tuple(Quantity(f"{d.what} wanted {d.wanted}, label", d.found) for d in check.differs),
        say("used all the same", reason=reason) if reason else say("put it back"),
        line.refs,
    )
