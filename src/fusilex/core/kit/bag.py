"""Is this the right bag? A label against the line of the pull list it is meant for."""

from __future__ import annotations

import re
from collections.abc import Sequence

from msgspec import Struct
from msgspec.structs import replace

from fusilex.core.evidence import Coverage, Level, seen
from fusilex.core.judgement import Judgement
from fusilex.core.kit.alike import one_off
from fusilex.core.kit.quantities import PullLine
from fusilex.core.packages.chips import chip_codes, may_be_date, without_codes
from fusilex.core.quantities import Quantity
from fusilex.core.units import show_value
from fusilex.core.values import Meaning, read_value
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
    """Compare value, body, tolerance, voltage, dielectric and part number as far as both sides say them.

    A part number that matches to the letter settles the value too. `substitutes` are part numbers or values approved
    for the line; one by value still has to come in the line's body.
    """
    for other in substitutes:
        if _number_in(other, label):
            return BagCheck(line, label, (f"approved substitute {other}",), ())
        if _same_value(other, label, line.package.family):
            check = check_bag(replace(line, value=other, part_number=""), label)
            return replace(check, line=line, agrees=(f"approved substitute {other}", *check.agrees))
    agrees: list[str] = []
    differs: list[Difference] = []
    unread: list[str] = []
    if line.part_number and _number_in(line.part_number, label):
        agrees.append("part number")
    elif line.part_number and (like := _like_number(line.part_number, label)):
        differs.append(
            Difference("part number", line.part_number, like, one_off(_plain(line.part_number), _plain(like)))
        )
    wanted, found = read_value(line.value, line.package.family), read_value(label, line.package.family)
    if wanted.values and found.values:
        if wanted.met_by(found):
            agrees.append("value")
        else:
            differs.append(_value_difference(line.value, wanted, found))
    elif not agrees and not differs:
        _compare_words(line, label, wanted, found, agrees, differs, unread)
    _compare_bodies(line, label, agrees, differs, unread)
    if wanted.tolerance_percent is not None and found.tolerance_percent is not None:
        if found.tolerance_percent <= wanted.tolerance_percent * (1 + 1e-9):
            agrees.append("tolerance")
        else:
            differs.append(
                Difference("tolerance", f"{wanted.tolerance_percent:g} %", f"{found.tolerance_percent:g} %", True)
            )
    if wanted.volts is not None and found.volts is not None:
        if found.volts >= wanted.volts * (1 - 1e-9):
            agrees.append("voltage")
        else:
            differs.append(Difference("voltage", f"{wanted.volts:g} V", f"{found.volts:g} V", True))
    if wanted.dielectric and found.dielectric and wanted.dielectric != found.dielectric:
        differs.append(Difference("dielectric", wanted.dielectric, found.dielectric, True))
    return BagCheck(line, label, tuple(agrees), tuple(differs), tuple(unread))


def _compare_words(
    line: PullLine,
    label: str,
    wanted: Meaning,
    found: Meaning,
    agrees: list[str],
    differs: list[Difference],
    unread: list[str],
) -> None:
    """Values of which one or both are words, such as a chip's type: they stand on the label whole, or not."""
    words = re.findall(r"[^\W_]+", line.value)
    if wanted.values:  # a quantity is wanted and the label gives none
        unread.append(found.unread)
    elif not words:
        unread.append("the lists name no value to compare with")
    elif re.search(r"(?<![^\W_])" + r"[\W_]*".join(map(re.escape, words)) + r"(?![^\W_])", label, re.I):
        agrees.append("value")
    elif longer := re.search(r"(?<![^\W_])" + r"[\W_]*".join(map(re.escape, words)) + r"[^\W\d_][^\W_]*", label, re.I):
        unread.append(f"the label says {longer[0]}, the list {line.value}: the letters behind it may matter")
    elif re.search(r"[^\W_]", without_codes(label)):
        differs.append(Difference("value", line.value, label.strip()[:40]))
    else:
        unread.append("the label gives no value")


def _compare_bodies(
    line: PullLine, label: str, agrees: list[str], differs: list[Difference], unread: list[str]
) -> None:
    """Chip sizes. Of several on a label those that may be a date code count last; what is then left in doubt is not
    compared.
    """
    codes = chip_codes(label)
    if len(codes) > 1:
        codes = tuple(c for c in codes if not may_be_date(c)) or codes
    if not line.package.chip or not codes:
        return
    if len(codes) > 1:
        unread.append(f"the label names the sizes {' and '.join(codes)}")
    elif codes[0] == line.package.chip:
        agrees.append("package")
    else:
        differs.append(Difference("package", line.package.chip, codes[0], True))


def _same_value(value: str, label: str, family: str) -> bool:
    return read_value(value, family).met_by(read_value(label, family))


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
