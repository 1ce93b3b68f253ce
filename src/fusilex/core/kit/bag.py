"""Is this the right bag? A label against the line of the pull list it is meant for."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from fusilex.core.board.bodies import chip_code
from fusilex.core.judgement import Because, Judgement, Level
from fusilex.core.kit.quantities import PullLine
from fusilex.core.values import Meaning, one_off, read_value, show_value


@dataclass(frozen=True)
class Difference:
    """One thing label and line disagree on. `near` marks the kind that is easily overlooked."""

    what: str
    wanted: str
    found: str
    near: bool = False


@dataclass(frozen=True)
class BagCheck:
    """What was compared and what differs; `agrees` names what matched."""

    line: PullLine
    label: str
    agrees: tuple[str, ...]
    differs: tuple[Difference, ...]

    @property
    def level(self) -> Level:
        """Stop on any difference, go when something agreed, can't tell when the label says nothing comparable."""
        return Level.STOP if self.differs else Level.GO if self.agrees else Level.UNKNOWN


def check_bag(line: PullLine, label: str, substitutes: Sequence[str] = ()) -> BagCheck:
    """Compare value, body, tolerance, voltage, dielectric and part number as far as both sides say them.

    A part number that matches to the letter settles the value too. `substitutes` are part numbers or values approved for the line.
    """
    for other in substitutes:
        if _number_in(other, label) or (
            _value_only(other, line) and not check_bag_value(other, label, line.body.family)
        ):
            return BagCheck(line, label, (f"approved substitute {other}",), ())
    agrees: list[str] = []
    differs: list[Difference] = []
    if line.part_number and _number_in(line.part_number, label):
        agrees.append("part number")
    elif line.part_number and (like := _like_number(line.part_number, label)):
        differs.append(
            Difference("part number", line.part_number, like, one_off(_plain(line.part_number), _plain(like)))
        )
    wanted, found = read_value(f"{line.value} {line.body.code}", line.body.family), read_value(label, line.body.family)
    if wanted.value is not None and found.value is not None:
        if wanted.met_by(found):
            agrees.append("value")
        else:
            differs.append(_value_difference(line.value, wanted, found))
    elif wanted.value is None and line.value.strip():
        if re.sub(r"\W+", "", line.value).lower() in re.sub(r"\W+", "", label).lower():
            agrees.append("value")
        elif not agrees and not differs:
            differs.append(Difference("value", line.value, label.strip()[:40]))
    here, there = chip_code(line.body.code), chip_code(label)
    if here and there:
        if here == there:
            agrees.append("body")
        else:
            differs.append(Difference("body", here, there, True))
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
    return BagCheck(line, label, tuple(agrees), tuple(differs))


def check_bag_value(value: str, label: str, family: str) -> bool:
    """True when a label's value differs from a value written another way."""
    a, b = read_value(value, family), read_value(label, family)
    return not a.met_by(b)


def _value_only(text: str, line: PullLine) -> bool:
    return read_value(text, line.body.family).value is not None


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
    """A word of the label built like the part number wanted: the same letters and digits in the same places, or nearly."""
    shape = re.sub(r"\d", "9", re.sub(r"[A-Z]", "A", _plain(number)))
    words = [w for w in re.split(r"[\s,;|]+", label) if w]
    return next(
        (w for w in words if len(shape) >= 4 and re.sub(r"\d", "9", re.sub(r"[A-Z]", "A", _plain(w))) == shape), None
    )


def judge_bag(check: BagCheck, reason: str = "") -> Judgement:
    """The bag check in one judgement; a reason turns a stop into a care that stays on record."""
    line = check.line
    name = f"{line.value} {line.body.code}"
    if check.level is Level.GO:
        return Judgement(
            "kit.bag",
            Level.GO,
            line.key,
            f"The right bag: {name}",
            (Because("agrees", ", ".join(check.agrees)),),
            refs=line.refs,
        )
    if check.level is Level.UNKNOWN:
        return Judgement(
            "kit.bag",
            Level.UNKNOWN,
            line.key,
            f"The label says nothing of {name}",
            (Because("label", check.label[:40]),),
            "Type what stands beside the value too.",
            line.refs,
        )
    first = check.differs[0]
    close = ", and looks almost the same" if first.near else ""
    return Judgement(
        "kit.bag",
        Level.CARE if reason else Level.STOP,
        line.key,
        f"Wrong {first.what}: {first.found}, not {first.wanted}{close}",
        tuple(Because(f"{d.what} wanted {d.wanted}, label", d.found) for d in check.differs),
        f"Used all the same: {reason}" if reason else "Put the bag back and take the right one, or say why it will do.",
        line.refs,
    )
