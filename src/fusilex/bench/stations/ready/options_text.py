"""What people type about boards that differ."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

from fusilex.bench.command import Command
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.ready.options import SetOption, SkipStep
from fusilex.bench.typed_text import pieces
from fusilex.core.route.steps import Steps

EXAMPLE = "D2 green from 7, or R5 not fitted 1-6, or skip Hand 3,5"
_BOARDS = re.compile(
    r"\s(?:(all)|from\s+(\S+)|([\w-]*\d)\s*(?:-|to)\s*([\w-]*\d)|((?:[\w-]*\d\s*,\s*)*[\w-]*\d))\s*$", re.I
)


def option(text: str, serials: Sequence[str], steps: Steps) -> Callable[[str], Command]:
    """``D2 green, SR-0644 from 7``, ``R5 not fitted 1-6``, ``skip Hand 3,5``: what, and for which boards; the command
    follows once its reason is known. Raises `Refused` with an example.
    """
    text = " ".join(text.replace("–", "-").split())
    spec = _BOARDS.search(text)
    if spec is None:
        raise Refused(f"Say for which boards too: {EXAMPLE}.")
    boards = _meant(spec, serials)
    ref, _, what = text[: spec.start()].strip().partition(" ")
    what = what.strip()
    if ref.lower() == "skip":
        step = steps.named(what)
        if step is None:
            raise Refused(
                f"There is no step {what or 'of no name'}; there are {', '.join(map(steps.label, steps.ids))}."
            )
        return lambda reason: SkipStep(boards, step.id, reason)
    if not what:
        raise Refused(f"Say what is otherwise about {ref}: {EXAMPLE}.")
    fitted = {"not fitted": False, "none": False, "fitted": True}.get(what.lower())
    if fitted is not None:
        return lambda reason: SetOption(boards, ref.upper(), reason, fitted=fitted)
    value, _, number = (word.strip() for word in what.partition(","))
    return lambda reason: SetOption(boards, ref.upper(), reason, value, number or None)


def _meant(spec: re.Match[str], serials: Sequence[str]) -> list[str]:
    everything, start, low, high, some = spec.groups()
    if everything:
        return list(serials)
    if start:
        return list(serials[_index(start, serials) :])
    if some:
        return [serials[_index(name.strip(), serials)] for name in some.split(",")]
    first, last = _index(low, serials), _index(high, serials)
    if last < first:
        raise Refused(f"From {low} to {high} are no boards: type the smaller one first.")
    return list(serials[first : last + 1])


def _index(name: str, serials: Sequence[str]) -> int:
    """A board by its place in the batch (7) or its serial (H7-07)."""
    by_name = {serial.lower(): n for n, serial in enumerate(serials)}
    n = by_name.get(name.lower(), (pieces(name) or 0) - 1)
    if not 0 <= n < len(serials):
        raise Refused(f"There is no board {name}: this batch has {len(serials)}, {serials[0]} to {serials[-1]}.")
    return n
