"""Words are made here, where something is shown, from what a judgement holds: a message of the catalogue, by rule and
case, with its slots filled in.

A slot is ``{name}`` or ``{name:form}``; it takes its value from what was said, else from the judgement's quantities;
`refs` are the parts that the judgement speaks of. A number is written in the units of the reader, names as a list. The
form is

* digits: how many of a number count, or how many names are listed before "and 3 more";
* words parted by ``|``: the first for one, the last for any other number;
* ``all`` every name; ``span`` hours as h or days; ``begun`` with a capital; ``clock`` seconds as m:ss.

``{key:count bin}`` is the key that does something: what it is called is not the catalogue's business.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from functools import cache
from importlib.resources import files

import msgspec

from fusilex.core.labels import names, term
from fusilex.core.quantities import Quantity, Range, Units, write
from fusilex.core.units import begun, clock

SHARED = "shared"
LISTED = 3
_SLOT = re.compile(r"\{([^{}:]+)(?::([^{}]*))?\}")


class Said(msgspec.Struct, frozen=True):
    """What a rule has to say: which of its messages, and what stands in its slots."""

    case: str
    slots: tuple[tuple[str, object], ...] = ()

    def __getitem__(self, name: str) -> object:
        return dict(self.slots)[name]


def say(case: str, /, **slots: object) -> Said:
    """A message of the judgement's rule, with its slots."""
    return Said(case, tuple(slots.items()))


class Entry(msgspec.Struct, frozen=True):
    """What the catalogue has for a rule: what is compared with what, where that comes from, and its messages."""

    rule: str = ""
    source: str = ""
    says: dict[str, str] = {}


@cache
def catalogue(room: str) -> dict[str, Entry]:
    """The messages of all rules whose names begin alike: ``kit`` for ``kit.short``. Empty where there are none."""
    file = files("fusilex") / "assets" / "words" / f"{room}.json"
    return msgspec.json.decode(file.read_bytes(), type=dict[str, Entry]) if file.is_file() else {}


def entry(rule: str) -> Entry:
    """What the catalogue has for a rule; nothing for a rule it does not know."""
    return catalogue(rule.partition(".")[0]).get(rule, Entry())


def template(rule: str, case: str) -> str:
    """The message of a rule for a case. KeyError where there is none."""
    own = entry(rule).says
    return own[case] if case in own else catalogue(SHARED)[SHARED].says[case]


def worded(
    rule: str, said: Said, quantities: Sequence[Quantity] = (), refs: Sequence[str] = (), units: Units | None = None
) -> str:
    """A message with its slots filled in. KeyError where the catalogue has none, or nothing stands in a slot."""
    slots: dict[str, object] = {"refs": refs} | {q.what: q for q in reversed(quantities)} | dict(said.slots)
    return filled(template(rule, said.case), slots, rule, units)


def filled(text: str, slots: Mapping[str, object], rule: str = SHARED, units: Units | None = None) -> str:
    """A text with its slots filled in.

    >>> filled("{refs} {refs:is|are} {n} {n:piece|pieces} short", {"refs": ("R1", "R2"), "n": 1})
    'R1 and R2 are 1 piece short'
    """

    def fill(match: re.Match[str]) -> str:
        name, form = match[1], match[2] or ""
        if name == "key":
            return names()["keys"][form]
        return _shown(slots[name], form, rule, slots, units)

    return _SLOT.sub(fill, text)


def _shown(value: object, form: str, rule: str, slots: Mapping[str, object], units: Units | None) -> str:
    if isinstance(value, Said):
        text = filled(template(rule, value.case), {**slots, **dict(value.slots)}, rule, units)
        return begun(text) if form == "begun" else text
    if "|" in form:
        words = form.split("|")
        return words[0 if _count(value) == 1 else -1]
    if isinstance(value, tuple | list):
        shown = [_shown(v, "", rule, slots, units) if isinstance(v, Said | str) else v for v in value]
        return listed(shown, len(shown) if form == "all" else int(form or LISTED))
    if isinstance(value, Range):
        return value.amount(units, int(form or 3))
    plain = value.value if isinstance(value, Quantity) else value
    if isinstance(plain, str):
        return begun(term(plain)) if form == "begun" else term(plain)
    if form == "span":
        return span(float(plain))  # type: ignore[arg-type]
    if form == "clock":
        return clock(float(plain))  # type: ignore[arg-type]
    digits = int(form or 3)
    if isinstance(value, Quantity):
        return value.amount(units, digits)
    return write(plain, "", digits)  # type: ignore[arg-type]


def _count(value: object) -> float:
    if isinstance(value, tuple | list):
        return len(value)
    return float(value.value if isinstance(value, Quantity) else value)  # type: ignore[arg-type]


def listed(names: Sequence[object], most: int = LISTED) -> str:
    """Names as people say them, as many as are worth it.

    >>> listed(["U1"]), listed(["U1", "U2", "R3"]), listed(["U1", "U2", "R3", "R4", "R5"], 2)
    ('U1', 'U1, U2 and R3', 'U1, U2 and 3 more')
    """
    shown = [str(n) for n in names]
    if len(shown) > most:
        shown = [*shown[:most], f"{len(names) - most} more"]
    return shown[0] if len(shown) == 1 else f"{', '.join(shown[:-1])} and {shown[-1]}" if shown else ""


def span(hours: float) -> str:
    """A time in hours, or days where that says more.

    >>> span(5.2), span(400.0)
    ('5 h', '17 days')
    """
    return f"{hours:.0f} h" if hours < 96 else f"{hours / 24:.0f} days"
