"""One cause, one finding: what many parts have in common is said once, with one fix for all of them."""

from __future__ import annotations

from collections.abc import Sequence

from fusilex.core.checks.findings import Finding
from fusilex.core.checks.fixes import Fix
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

MANY = 5
"""More parts than this in one way wrong are one finding, with one fix for all."""
_TOGETHER = {
    ("off-board", "outline"): "many outside",
    ("missing", "placements"): "many not placed",
    ("missing", "bom"): "many not in the BOM",
    ("missing", "pads"): "many without pads",
    ("side", "pads"): "many on the other side",
    ("overlap", ""): "many overlap",
}
"""Kinds and places that are said once for many, and by which message."""


def one_for_each_cause(found: Sequence[Finding], total: int) -> list[Finding]:
    """Findings with those of one kind and place made one where there are many. `total` is the number of parts."""
    groups: dict[tuple[str, str], list[Finding]] = {}
    for f in found:
        groups.setdefault((f.kind, "" if f.kind == "overlap" else f.where), []).append(f)
    kept: list[Finding] = []
    for key, members in groups.items():
        many = key in _TOGETHER and len(members) > MANY
        kept += [_together(key, members, total)] if many else members
    return kept


def _together(key: tuple[str, str], members: list[Finding], total: int) -> Finding:
    refs = tuple(dict.fromkeys(ref for f in members for ref in (f.refs or (f.ref,))))
    fixes = [f.fix for f in members if f.fix is not None]
    words = f"{fixes[0].words}, and so for all {len(fixes)}" if fixes else ""
    whole = Fix("several", "", {"fixes": [f.as_dict() for f in fixes]}, words) if len(fixes) == len(members) else None
    first, says = members[0], say(_TOGETHER[key], parts=len(members), total=total)
    because = (Quantity("the first of them", ", ".join(refs[:4]) + " …"),)
    return Finding(
        first.kind, f"{len(members)} parts", first.where, says, level=first.level, quantities=because,
        fix=None if key == ("off-board", "outline") else whole, refs=refs,
    )  # fmt: skip
