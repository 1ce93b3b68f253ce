"""Corrections to what the lists say, made to the design in memory and never to the user's files."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

import shapely
from msgspec import Struct, field
from msgspec.structs import force_setattr, replace

from fusilex.core.checks.repeat import one_cell
from fusilex.core.checks.systematic import Correction
from fusilex.core.design.model import BomLine, Design, Placement
from fusilex.core.packages.catalogue import package_of
from fusilex.core.panel.layout import Panel

DRILLS_MM = (0.1, 6.5)


class Fix(Struct, frozen=True):
    """One correction. `kind` is a key of `FIX_KINDS`, `ref` the part it is for ('' for whole lists), `with_` its plain
    numbers and words.
    """

    kind: str
    ref: str = ""
    with_: dict[str, Any] = field(default_factory=dict)
    words: str = ""

    def __post_init__(self) -> None:
        force_setattr(self, "with_", _plain(self.with_))  # the same before it was written down and after

    def as_dict(self) -> dict[str, Any]:
        return {"kind": self.kind, "ref": self.ref, "with": self.with_, "words": self.words}

    @classmethod
    def from_dict(cls, data: dict[str, Any]) -> Fix:
        """Raises KeyError for an unknown kind."""
        if data["kind"] not in FIX_KINDS:
            raise KeyError(data["kind"])
        return cls(data["kind"], data.get("ref", ""), dict(data.get("with", {})), data.get("words", ""))


def _plain(value: Any) -> Any:
    """Lists for tuples, all the way down, as they come back from a journal."""
    if isinstance(value, dict):
        return {k: _plain(v) for k, v in value.items()}
    return [_plain(v) for v in value] if isinstance(value, (list, tuple)) else value


def apply_fixes(design: Design, fixes: Iterable[Fix]) -> Design:
    """The design, not joined yet, with every fix applied in order."""
    for fix in fixes:
        design = FIX_KINDS[fix.kind](design, fix)
    return design


def _each(design: Design, change: Callable[[Placement], Placement]) -> Design:
    return replace(design, placements=tuple(change(p) for p in design.placements))


def _transform(design: Design, fix: Fix) -> Design:
    """One correction of shift, turn, mirror and unit for all placements of some sides. Turns of parts follow a quarter
    turn unless they are `kept`; older records, which do not say, turned them even with a mirror.
    """
    c = Correction(**fix.with_["correction"])

    def moved(p: Placement) -> Placement:
        if p.side not in fix.with_["sides"]:
            return p
        ((x, y),) = c.apply([(p.x, p.y)])
        with_it = 0 if fix.with_.get("turns") == "kept" else c.turn if p.side == "top" else -c.turn
        turn = (p.rotation_deg + with_it) % 360
        return replace(p, x=float(x), y=float(y), rotation_deg=turn)

    return _each(design, moved)


def _move_layers(design: Design, fix: Fix) -> Design:
    """Layers, or the holes, moved as a whole by one correction."""
    c = Correction(**fix.with_["correction"])
    which = {(role, side) for role, side in fix.with_["layers"]}
    layers = tuple(
        replace(x, polygons=shapely.transform(x.polygons, c.apply)) if (x.role, x.side) in which else x
        for x in design.layers
    )
    if ("drill", "") not in which:
        return replace(design, layers=layers)
    at = c.apply([(h.x, h.y) for h in design.holes]).tolist()
    usual = sorted(h.diameter for h in design.holes)[len(design.holes) // 2] * c.factor
    wider = (
        c.factor if DRILLS_MM[0] <= usual <= DRILLS_MM[1] else 1.0
    )  # sizes may be in the right unit where places are not
    holes = tuple(replace(h, x=x, y=y, diameter=h.diameter * wider) for h, (x, y) in zip(design.holes, at, strict=True))
    return replace(design, layers=layers, holes=holes)


def _side(design: Design, fix: Fix) -> Design:
    return _each(design, lambda p: replace(p, side=fix.with_["side"]) if p.ref == fix.ref else p)


def _rename(design: Design, fix: Fix) -> Design:
    """A part of the placement list gets the reference that the other files know it by."""
    return _each(design, lambda p: replace(p, ref=fix.with_["to"]) if p.ref == fix.ref else p)


def _rotations(design: Design, fix: Fix) -> Design:
    """New turns by reference, for one part or a whole side."""
    turns = fix.with_["rotations"]

    def turned(p: Placement) -> Placement:
        return replace(p, rotation_deg=float(turns[p.ref]) % 360, turn_given=True) if p.ref in turns else p

    return _each(design, turned)


def _at_pads(design: Design, fix: Fix) -> Design:
    """The placement in the middle of the part's own pads; made when the list has none."""
    x, y, side = float(fix.with_["x"]), float(fix.with_["y"]), fix.with_["side"]
    if any(p.ref == fix.ref for p in design.placements):
        return _each(design, lambda p: replace(p, x=x, y=y, side=side) if p.ref == fix.ref else p)
    return replace(
        design, placements=(*design.placements, Placement(fix.ref, x, y, 0.0, side, "", "", turn_given=False))
    )


def _keep_one(design: Design, fix: Fix) -> Design:
    """Of a doubled designator the one that stands `keep`-th in the list stays."""
    keep, which = int(fix.with_["keep"]), fix.with_["list"]
    seen = -1
    if which == "placements":
        kept: list[Placement] = []
        for p in design.placements:
            seen += p.ref == fix.ref
            if p.ref != fix.ref or seen == keep:
                kept.append(p)
        return replace(design, placements=tuple(kept))
    lines: list[BomLine] = []
    for line in design.bom:
        refs = []
        for ref in line.refs:
            seen += ref == fix.ref
            if ref != fix.ref or seen == keep:
                refs.append(ref)
        if refs:
            changed = len(refs) != len(line.refs)
            quantity = len(refs) if changed and line.quantity is not None else line.quantity
            lines.append(replace(line, refs=tuple(refs), quantity=quantity))
    return replace(design, bom=tuple(lines))


def _leave_out(design: Design, fix: Fix) -> Design:
    """Not to be fitted in this batch: neither bought nor placed."""
    bom = tuple(
        part
        for line in design.bom
        for part in (
            (line,)
            if fix.ref not in line.refs
            else (
                replace(line, refs=tuple(r for r in line.refs if r != fix.ref), quantity=None),
                replace(line, refs=(fix.ref,), populate=False, quantity=None),
            )
        )
        if part.refs
    )
    return replace(_each(design, lambda p: replace(p, populate=False) if p.ref == fix.ref else p), bom=bom)


def _one_line(design: Design, fix: Fix) -> Design:
    """Lines that mean one part become the one with `ref`; `with` names a part of each of the others, which its like
    follow.
    """
    kept = next((b for b in design.bom if fix.ref in b.refs), None)
    if kept is None:
        return design
    named = [next((b for b in design.bom if ref in b.refs), kept) for ref in fix.with_["with"]]
    same = {(b.value, b.package, b.part_number) for b in named}
    others = [b for b in design.bom if b is not kept and b.populate and (b.value, b.package, b.part_number) in same]
    counts = [b.quantity for b in (kept, *others)]
    one = replace(
        kept,
        refs=kept.refs + tuple(ref for b in others for ref in b.refs),
        quantity=None if None in counts else sum(c for c in counts if c is not None),
    )
    return replace(design, bom=tuple(one if b is kept else b for b in design.bom if b not in others))


def _count_names(design: Design, fix: Fix) -> Design:
    """The designators of a line are right and its quantity is not."""
    line = int(fix.with_["line"])
    return replace(design, bom=tuple(replace(b, quantity=len(b.refs)) if b.line == line else b for b in design.bom))


def _metric(design: Design, fix: Fix) -> Design:
    return replace(design, catalogue=replace(design.catalogue, metric=bool(fix.with_["metric"])))


def _package(design: Design, fix: Fix) -> Design:
    """A part, or the parts of `refs`, have another body than their text says; a line of the bill goes with them when
    all its parts do.
    """
    text, refs = fix.with_["package"], set(fix.with_.get("refs", (fix.ref,)))
    package_of(text)
    bom = tuple(replace(b, package=text) if refs.issuperset(b.refs) else b for b in design.bom)
    return replace(_each(design, lambda p: replace(p, package=text) if p.ref in refs else p), bom=bom)


def _one_cell(design: Design, fix: Fix) -> Design:
    """Layers that are panelised already become one board and the panel it repeats in, or the one described since."""
    sizes: dict[str, Any] = {k: tuple(v) if isinstance(v, list) else v for k, v in fix.with_["panel"].items()}
    cell = one_cell(design, Panel(**sizes))
    return replace(cell, panel=design.panel) if design.panel else cell


def _several(design: Design, fix: Fix) -> Design:
    """One fix for many parts: each of them in order."""
    return apply_fixes(design, [Fix.from_dict(each) for each in fix.with_["fixes"]])


FIX_KINDS: dict[str, Callable[[Design, Fix], Design]] = {
    "several": _several,
    "transform": _transform,
    "move-layers": _move_layers,
    "side": _side,
    "rename": _rename,
    "rotations": _rotations,
    "at-pads": _at_pads,
    "keep-one": _keep_one,
    "leave-out": _leave_out,
    "one-line": _one_line,
    "count-names": _count_names,
    "size-codes": _metric,
    "package": _package,
    "one-cell": _one_cell,
}
_OLDER = {"turns": "rotations", "body": "package"}


def older_fix(data: dict[str, Any]) -> Fix:
    """A fix as older records wrote it, in the words of this version. Raises KeyError for an unknown kind."""
    numbers = {_OLDER.get(k, k): v for k, v in data.get("with", {}).items()}
    if "fixes" in numbers:
        numbers["fixes"] = [older_fix(each).as_dict() for each in numbers["fixes"]]
    return Fix.from_dict({**data, "kind": _OLDER.get(data["kind"], data["kind"]), "with": numbers})
