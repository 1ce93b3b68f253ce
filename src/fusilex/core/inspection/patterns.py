"""What faults have in common: values of attributes at which there are more of them than chance lets expect.

For each value the faults among its opportunities stand against the rest: hypergeometric upper tail, mid-p (Lancaster
1961), all tests of a batch held together by Benjamini and Hochberg (1995). Of two values that explain one another the
one whose effect stays within the other's strata is named (Cochran–Mantel–Haenszel); where neither can be told from the
other, both are.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence

import numpy as np
from msgspec import Struct
from msgspec.structs import replace
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Mask = NDArray[np.bool_]
FALSE_SHARE, STAYS, LEAST_FAULTS = 0.05, 0.05, 2
POWER, DRAWS, MORE = 0.9, 200, (1.25, 1.5, 2.0, 2.5, 3.0, 4.0, 6.0, 8.0, 12.0)
"""Share of findings that may be for nothing; the p up to which an effect stays within strata, over all values of its
attribute; faults that make a value worth a look.
"""


class Pattern(Struct, frozen=True):
    """A value with more faults than chance: faults of its opportunities, p, and q over all tests made; how many times
    as often as elsewhere, with 95 %. `also` are values that go with it everywhere, or cannot be told from it.
    """

    attribute: str
    value: str
    faults: int
    of: int
    p: float
    q: float
    ratio: float
    within95: tuple[float, float]
    also: tuple[tuple[str, str], ...] = ()


def midp(faults: NDArray[np.int_], of: NDArray[np.int_], all_faults: int, all_of: int) -> Floats:
    """Chance of so many faults or more (half of so many) among `of` opportunities when they fall anywhere alike.

    >>> midp(np.array([2]), np.array([2]), 2, 4).round(4).tolist()
    [0.0833]
    """
    from scipy.special import gammaln

    def ways(n: NDArray[np.int_] | int, k: NDArray[np.int_] | int) -> Floats:
        """Logarithm of how many ways there are to pick k of n."""
        n, k = np.asarray(n, dtype=float), np.asarray(k, dtype=float)
        return np.asarray(gammaln(n + 1) - gammaln(k + 1) - gammaln(n - k + 1))

    below = faults * all_of < of * all_faults  # fewer than expected: what the others have more of, from the far end
    faults, of = np.where(below, all_faults - faults, faults), np.where(below, all_of - of, of)
    term = np.exp(ways(all_faults, faults) + ways(all_of - all_faults, of - faults) - ways(all_of, of))
    total, x = 0.5 * term, faults.astype(float)
    while (term > 1e-16 * total).any():  # each further fault by its ratio to the one before
        rest = all_of - all_faults - of + x + 1
        term = term * np.maximum(all_faults - x, 0) * np.maximum(of - x, 0) / ((x + 1) * np.maximum(rest, 1))
        total, x = total + term, x + 1
    return np.where(below, 1 - total, total)


def held_together(p: Floats) -> Floats:
    """Benjamini and Hochberg's q of each p.

    >>> held_together(np.array([0.01, 0.04, 0.03])).round(3).tolist()
    [0.03, 0.04, 0.04]
    """
    order = np.argsort(p)
    scaled = p[order] * len(p) / (np.arange(len(p)) + 1)
    q = np.empty(len(p))
    q[order] = np.minimum.accumulate(scaled[::-1])[::-1]
    return np.minimum(q, 1.0)


def patterns(
    attributes: Mapping[str, Sequence[str]], fault: Sequence[bool] | Mask, rising: Sequence[str] = (), among: int = 1
) -> list[Pattern]:
    """What faults have in common, the surest first. `attributes` hold a value a row, '' where there is none; a row is
    an opportunity. Of `rising` ones, which count something, "so many or more" is looked at too. Where this is one of
    several tables, `among` is how many: q is held over all of them.
    """
    bad = np.asarray(fault, dtype=bool)
    tested = _counted(attributes, bad) + _from_on(
        {name: attributes[name] for name in rising if name in attributes}, bad
    )
    if not tested or not bad.any():
        return []
    count, of = np.array([one.faults for one in tested]), np.array([one.of for one in tested])
    p = midp(count, of, int(bad.sum()), len(bad))
    q = np.minimum(held_together(p) * among, 1.0)
    made = []
    for k in np.argsort(p, kind="stable"):
        if q[k] <= FALSE_SHARE and count[k] >= LEAST_FAULTS:
            one = tested[k]
            made.append((_pattern(one, (float(p[k]), float(q[k])), bad), one.at == one.number))
    sizes = Counter(one.attribute for one in tested)
    return _told_apart(made, bad, sizes)


class Suspect(Struct, frozen=True):
    """A value that may have more faults, which this batch cannot tell yet: `times` as many opportunities as now would
    tell with a chance of nine in ten, if it is as it looks; None where not even twelve times as many would.
    """

    attribute: str
    value: str
    faults: int
    of: int
    times: float | None


def suspect(attributes: Mapping[str, Sequence[str]], fault: Sequence[bool] | Mask, seed: int = 0) -> Suspect | None:
    """The value with the least chance among those that are no finding; None where nothing looks like anything."""
    bad = np.asarray(fault, dtype=bool)
    tested, count = _counted(attributes, bad), int(bad.sum())
    some = [x for x in tested if x.faults >= LEAST_FAULTS and x.faults * len(bad) >= 2 * x.of * count]
    if not some:
        return None
    p = midp(np.array([x.faults for x in some]), np.array([x.of for x in some]), count, len(bad))
    k = int(p.argmin())
    if p[k] * len(tested) <= FALSE_SHARE:
        return None
    one = Suspect(some[k].attribute, some[k].value, some[k].faults, some[k].of, None)
    return replace(one, times=_enough(one, count, len(bad), FALSE_SHARE / len(tested), seed))


def _enough(one: Suspect, faults: int, of: int, alpha: float, seed: int) -> float | None:
    """How many times as many opportunities tell in nine of ten draws, at the rates that were seen."""
    rng = np.random.default_rng(seed)
    rest, rest_of = faults - one.faults, of - one.of
    for times in MORE:
        here, others = round(one.of * times), round(rest_of * times)
        hits = rng.binomial(here, one.faults / one.of, DRAWS)
        more = rng.binomial(others, rest / rest_of, DRAWS)
        told = [
            midp(np.array([a]), np.array([here]), int(a + b), here + others)[0] <= alpha
            for a, b in zip(hits.tolist(), more.tolist(), strict=True)
        ]
        if np.mean(told) >= POWER:
            return times
    return None


def _numbered(values: Sequence[str]) -> tuple[list[str], NDArray[np.int_]]:
    """The values there are, in the order in which they come, and the number of each row's."""
    numbers: dict[str, int] = {}
    at = np.array([numbers.setdefault(value, len(numbers)) for value in values], dtype=int)
    return [str(value) for value in numbers], at


class _Value(Struct, frozen=True, eq=False):
    """A value of an attribute: its faults and opportunities; `number` is its own in the numbers of all rows, `at`."""

    attribute: str
    value: str
    faults: int
    of: int
    at: NDArray[np.int_]
    number: int


def _counted(attributes: Mapping[str, Sequence[str]], bad: Mask) -> list[_Value]:
    """All values that may tell something: those that are not everywhere."""
    tested = []
    for name, values in attributes.items():
        found, at = _numbered(values)
        there, hits = np.bincount(at, minlength=len(found)), np.bincount(at[bad], minlength=len(found))
        tested += [
            _Value(name, value, int(hits[k]), int(there[k]), at, k)
            for k, value in enumerate(found)
            if value and there[k] < len(bad)
        ]
    return tested


def _from_on(attributes: Mapping[str, Sequence[str]], bad: Mask) -> list[_Value]:
    """Of attributes that count something: all cuts into fewer, and so many or more."""
    tested = []
    for name, values in attributes.items():
        found, at = _numbered(values)
        number = np.array([float(value) if value.replace(".", "", 1).isdecimal() else np.nan for value in found])[at]
        for cut in np.unique(number[~np.isnan(number)])[1:-1].tolist():  # the last one is a value of its own
            more = number >= cut
            hits, there = int((bad & more).sum()), int(more.sum())
            tested.append(_Value(name, f"{cut:g} or more", hits, there, more.astype(int), 1))
    return tested


def _pattern(one: _Value, chance: tuple[float, float], bad: Mask) -> Pattern:
    faults, of = one.faults, one.of
    rest, rest_of = int(bad.sum()) - faults, len(bad) - of
    a, b = (faults + 0.5) / (of + 0.5), (rest + 0.5) / (rest_of + 0.5)
    spread = math.sqrt(1 / (faults + 0.5) - 1 / (of + 0.5) + 1 / (rest + 0.5) - 1 / (rest_of + 0.5))
    ratio = a / b
    ends = ratio * math.exp(-1.96 * spread), ratio * math.exp(1.96 * spread)
    return Pattern(one.attribute, one.value, faults, of, *chance, ratio, ends)


def stays(own: Mask, other: Mask, bad: Mask) -> float:
    """The p, one-sided, of the effect of `own` within `other` and outside it (Cochran 1954, Mantel and Haenszel 1959);
    1 where no stratum has both.
    """
    from scipy.special import ndtr

    more = wide = 0.0
    for stratum in (other, ~other):
        n = int(stratum.sum())
        inside, hits = int((own & stratum).sum()), int((bad & stratum).sum())
        if n < 2 or inside in (0, n) or hits in (0, n):
            continue
        more += int((own & bad & stratum).sum()) - inside * hits / n
        wide += inside * (n - inside) * hits * (n - hits) / (n * n * (n - 1))
    if wide <= 0:
        return 1.0
    return float(ndtr(-(more - 0.5) / math.sqrt(wide)))


def _told_apart(made: list[tuple[Pattern, Mask]], bad: Mask, sizes: Mapping[str, int]) -> list[Pattern]:
    """Those that another one does not explain; what cannot be told from one stands beside it. A value was picked as the
    worst of its attribute's, and that of all: its effect has to stay as if every one of them were looked at.
    """

    def explained(one: tuple[Pattern, Mask], by: tuple[Pattern, Mask]) -> bool:
        return stays(one[1], by[1], bad) > STAYS / (sizes[one[0].attribute] * len(sizes))

    left: list[tuple[Pattern, Mask]] = []
    for new in made:
        beside = False
        for n, old in enumerate(left):
            if explained(new, old):
                if explained(old, new):  # neither stays: they go together
                    also = (*old[0].also, (new[0].attribute, new[0].value))
                    left[n] = replace(old[0], also=also), old[1]
                beside = True
                break
        if not beside:
            left = [old for old in left if not explained(old, new) or not (old[1] & new[1] & bad).any()]
            left.append(new)
    return [pattern for pattern, _ in left]
