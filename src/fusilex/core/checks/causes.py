"""One cause, one finding: what many parts have in common is said once, with one fix for all of them."""

from __future__ import annotations

from collections.abc import Sequence

from fusilex.core.checks.findings import Finding
from fusilex.core.checks.fixes import Fix
from fusilex.core.judgement import Because

MANY, SHARE = 6, 0.15
"""From more than this many parts on, and this share of all, one thing is wrong and not each of them."""
_SAID = {
    ("off-board", "outline"): "{n} of {total} parts lie outside the board outline: outline or list is another board's",
    ("missing", "placements"): "{n} parts of the bill of materials are not in the placement list",
    ("missing", "bom"): "{n} placed parts are not on the bill of materials",
    ("missing", "pads"): "{n} of {total} parts sit on no pads of their own",
    ("side", "pads"): "{n} parts are listed for the side where their pads are not",
    ("overlap", ""): "The bodies of {n} pairs of parts overlap",
}


def one_for_each_cause(found: Sequence[Finding], total: int) -> list[Finding]:
    """Findings with those of one kind and place made one where there are many. `total` is the number of parts."""
    groups: dict[tuple[str, str], list[Finding]] = {}
    for f in found:
        groups.setdefault((f.kind, "" if f.kind == "overlap" else f.where), []).append(f)
    kept: list[Finding] = []
    for key, members in groups.items():
        many = key in _SAID and len(members) > max(MANY, SHARE * total)
        kept += [_together(key, members, total)] if many else members
    return kept


def _together(key: tuple[str, str], members: list[Finding], total: int) -> Finding:
    refs = tuple(dict.fromkeys(ref for f in members for ref in (f.refs or (f.ref,))))
    fixes = [f.fix for f in members if f.fix is not None]
    words = f"{fixes[0].words}, and so for all {len(fixes)}" if fixes else ""
    whole = Fix("several", "", {"fixes": [f.as_dict() for f in fixes]}, words) if len(fixes) == len(members) else None
    first, text = members[0], _SAID[key].format(n=len(members), total=total)
    because = (Because("the first of them", ", ".join(refs[:4]) + " …"),)
    return Finding(
        first.kind, f"{len(members)} parts", first.where, text, level=first.level, because=because,
        fix=None if key == ("off-board", "outline") else whole, refs=refs,
    )  # fmt: skip
