"""Do the files belong together? Placement list, bill of materials, pads and outline against one another."""

from __future__ import annotations

from collections import Counter
from dataclasses import asdict

import numpy as np
import shapely
from numpy.typing import NDArray

from fusilex.core.checks.causes import one_for_each_cause
from fusilex.core.checks.findings import ORDER, Finding
from fusilex.core.checks.fixes import Fix
from fusilex.core.checks.panelised import panelised
from fusilex.core.checks.rotation_findings import turn_findings
from fusilex.core.checks.size_codes import size_findings
from fusilex.core.checks.systematic import (
    ON_PAD_MM,
    Correction,
    SystematicFit,
    fit_named,
    fit_unnamed,
    one_to_one,
    shared_offset,
)
from fusilex.core.checks.two_lines import two_lines
from fusilex.core.design.join import candidate_middles, sides_of_pads
from fusilex.core.design.model import Design, Pad, Part
from fusilex.core.design.outlines import package_outlines
from fusilex.core.design.pad_evidence import mixed_codes, size_code_traps
from fusilex.core.judgement import Because, Level

NOT_BOUGHT = ("fiducial", "test", "hole")


def reconcile(design: Design) -> list[Finding]:
    """All findings, in the order of what they would cost. What one systematic fault explains is not listed part by
    part.
    """
    if panel := panelised(design):
        return [panel]  # all that is further wrong is an echo of it
    middles = pad_middles(design.pads)
    systematic = _systematic(design, middles)
    explained = {ref for f in systematic for ref in f.refs}
    renamed = _renamed(design, middles)
    told = {ref for f in renamed for ref in f.refs}
    found = [*systematic, *_size_codes(design), *size_findings(design), *renamed]
    found += [f for f in _listed_and_placed(design, middles) if f.ref not in told]
    found += _doubled(design, middles)
    found += [f for f in _on_pads(design, middles) if f.ref not in explained | told]
    if not systematic:
        found += turn_findings(design)
        found += _overlaps([p for p in design.parts if p.populated])
    found += two_lines(design)
    found += [
        _quantity(line.line, line.quantity, line.refs)
        for line in design.bom
        if line.quantity not in (None, len(line.refs))
    ]
    return sorted(one_for_each_cause(found, len(design.parts)), key=lambda f: ORDER.index(f.kind))


def pad_middles(pads: tuple[Pad, ...]) -> dict[str, tuple[float, float]]:
    """Middle of the box round each part's pads, by reference (mm)."""
    if not pads:
        return {}
    boxes = shapely.bounds(np.array([p.polygon for p in pads], dtype=object))
    refs, which = np.unique([p.ref for p in pads], return_inverse=True)
    low, high = np.full((len(refs), 2), np.inf), np.full((len(refs), 2), -np.inf)
    np.minimum.at(low, which, boxes[:, :2])
    np.maximum.at(high, which, boxes[:, 2:])
    return {ref: (float(x), float(y)) for ref, (x, y) in zip(refs.tolist(), ((low + high) / 2).tolist(), strict=True)}


def _systematic(design: Design, middles: dict[str, tuple[float, float]]) -> list[Finding]:
    """One correction per side, or one for both, that brings most of its placements onto their pads."""
    if design.guessed_parts or (not design.pads and not design.layers):
        return []
    fits: dict[str, tuple[SystematicFit, tuple[str, ...]]] = {}
    named = _named_by_copper(design)
    for side in ("top", "bottom"):
        here = [
            p for p in design.parts if p.side == side and p.package.mount != "none" and (p.ref in middles or not named)
        ]
        listed = np.array([[p.x, p.y] for p in here]).reshape(-1, 2)
        if named:
            fit = fit_named(listed, np.array([middles[p.ref] for p in here]).reshape(-1, 2))
        elif _most_miss(listed, targets := candidate_middles(design, side)):
            fit = fit_unnamed(listed, targets)
        else:
            continue
        if fit is not None and fit.convincing:
            fits[side] = fit, tuple(p.ref for p in design.parts if p.side == side)
        elif named and (offset := _offset(here, middles, fit)):
            fits[side] = offset, tuple(p.ref for p in design.parts if p.side == side)
    if set(fits) == {"top", "bottom"} and _same(fits["top"][0], fits["bottom"][0]):
        (a, a_refs), (b, b_refs) = fits["top"], fits["bottom"]
        both = SystematicFit(a.correction, a.n + b.n, a.before + b.before, a.after + b.after, max(a.rms_mm, b.rms_mm))
        return [_correction(("top", "bottom"), both, a_refs + b_refs)]
    return [_correction((side,), *fit) for side, fit in fits.items()]


def _offset(
    parts: list[Part], middles: dict[str, tuple[float, float]], fit: SystematicFit | None
) -> SystematicFit | None:
    """A small shift that all parts of a side share, as one correction; parts of two pads tell it best."""
    telling = [p for p in parts if len(p.pads) == 2] or parts
    shift = shared_offset([(p.x, p.y) for p in telling], [middles[p.ref] for p in telling])
    if shift is None or fit is None:
        return None
    return SystematicFit(Correction(False, 0, 1.0, *shift), fit.n, fit.before, fit.after, fit.rms_mm)


def _named_by_copper(design: Design) -> bool:
    """True when pads got their references from attributes or a netlist, not from the nearest placement."""
    return any(p.ref for p in design.netpoints) or any(
        pin for x in design.layers for pin in x.pins if x.role == "copper"
    )


def _most_miss(listed: NDArray[np.float64], targets: NDArray[np.float64]) -> bool:
    """A quick look before the search: fewer than half of the placements have a candidate part within half a
    millimetre.
    """
    if len(listed) < 4 or not len(targets):
        return False
    return len(one_to_one(listed, targets, 0.5)[0]) < 0.5 * len(listed)


def _same(a: SystematicFit, b: SystematicFit) -> bool:
    x, y = a.correction, b.correction
    return (x.mirror, x.turn, x.factor) == (y.mirror, y.turn, y.factor) and np.hypot(x.dx - y.dx, x.dy - y.dy) < 0.05


def _correction(sides: tuple[str, ...], fit: SystematicFit, refs: tuple[str, ...]) -> Finding:
    where = " and ".join(sides)
    words = fit.correction.words
    bottom = " as seen from below" if sides == ("bottom",) and fit.correction.mirror else ""
    return Finding(
        "systematic",
        f"{where} placements",
        "placements",
        f"The {where} placements are off as a whole: {words}{bottom}",
        because=(
            Because("on their pads as listed", fit.before, f"of {fit.n}"),
            Because("corrected", fit.after, f"of {fit.n}"),
            Because("left over, RMS", round(fit.rms_mm, 4), "mm"),
        ),
        fix=Fix(
            "transform",
            "",
            {"sides": list(sides), "correction": asdict(fit.correction)},
            f"the {where} list read {words}",
        ),
        refs=refs,
    )


def _size_codes(design: Design) -> list[Finding]:
    found = []
    metric = design.catalogue.metric
    for trap in size_code_traps(design):
        other = "inch" if metric else "metric"
        found.append(
            Finding(
                "size-code",
                trap.code,
                "lists",
                f"{trap.code} fits these pads only as {'an' if metric else 'a'} {other} code: "
                f"{trap.fits_length:g} mm long, not {trap.read_length:g} mm",
                because=(
                    Because("pads' middles apart", round(trap.pads_apart, 2), "mm"),
                    Because("parts", len(trap.refs)),
                ),
                fix=Fix("size-codes", "", {"metric": not metric}, f"size codes read as {other} codes"),
                refs=trap.refs,
            )
        )
    if mixed := mixed_codes(design):
        found.append(
            Finding(
                "size-code",
                "mixed",
                "lists",
                f"Inch and metric size codes stand side by side: {', '.join(mixed)}",
                level=Level.CARE,
                because=(Because("bare codes", len(mixed)),),
                fix=Fix(
                    "size-codes",
                    "",
                    {"metric": not metric},
                    f"bare codes read as {'inch' if metric else 'metric'} codes",
                ),
            )
        )
    return found


def _renamed(design: Design, middles: dict[str, tuple[float, float]]) -> list[Finding]:
    """A part that only the placement list knows, on the pads of one that only the bill of materials knows: one part,
    two names.
    """
    if not design.bom:
        return []
    placed = {p.ref: p for p in design.placements}
    listed = {ref for line in design.bom if line.populate for ref in line.refs}
    unplaced = [ref for ref in sorted(listed - set(placed)) if ref in middles]
    found = []
    for p in (placed[ref] for ref in sorted(set(placed) - listed) if ref not in middles):
        near = [r for r in unplaced if np.hypot(middles[r][0] - p.x, middles[r][1] - p.y) < ON_PAD_MM]
        if len(near) == 1:
            text = f"{p.ref} of the placement list lies on the pads of {near[0]} of the bill of materials"
            fix = Fix("rename", p.ref, {"to": near[0]}, f"{p.ref} of the placement list called {near[0]}")
            found.append(Finding("renamed", p.ref, "bom", text, p.x, p.y, fix=fix, refs=(p.ref, near[0])))
    return found


def _listed_and_placed(design: Design, middles: dict[str, tuple[float, float]]) -> list[Finding]:
    placed = {p.ref: p for p in design.placements}
    listed = {ref for line in design.bom for ref in line.refs}
    unfitted = {ref for line in design.bom if not line.populate for ref in line.refs}
    found = []
    side_of = sides_of_pads(design.pads)
    left = listed - set(placed) - unfitted
    leads = sorted(ref for ref in left if ref not in middles and _lead_body(design, ref))
    if leads and not any(p.package.mount == "tht" for p in design.parts):  # a list of surface-mount parts alone
        shown = ", ".join(leads[:4]) + (" …" if len(leads) > 4 else "")
        text = (
            f"{shown} {'has' if len(leads) == 1 else 'have'} leads and {'is' if len(leads) == 1 else 'are'} on the bill"
            " of materials alone"
        )
        found.append(Finding("missing", "through-hole parts", "placements", text, level=Level.CARE, refs=tuple(leads)))
        left -= set(leads)
    for ref in sorted(left):
        x, y = middles.get(ref, (None, None))
        fix = Fix("leave-out", ref, {}, f"{ref} left out")
        if x is not None and y is not None:
            fix = Fix(
                "at-pads",
                ref,
                {"x": x, "y": y, "side": side_of.get(ref, "top")},
                f"{ref} put on its pads, turn unknown",
            )
        text = f"{ref} is on the bill of materials but not in the placement list"
        found.append(Finding("missing", ref, "placements", text, x, y, fix=fix))
    if not design.bom:
        return found
    for ref in sorted((listed & set(placed)) - unfitted):
        if not placed[ref].populate:
            text = f"{ref} is not to be fitted by the placement list, but the bill of materials has it bought"
            fix = Fix("leave-out", ref, {}, f"{ref} left out")
            found.append(Finding("populate", ref, "bom", text, placed[ref].x, placed[ref].y, Level.CARE, fix=fix))
    for ref in sorted(set(placed) - listed):
        if placed[ref].populate and design.catalogue.package(placed[ref].package, ref).family not in NOT_BOUGHT:
            text = f"{ref} is placed but not on the bill of materials"
            fix = Fix("leave-out", ref, {}, f"{ref} left out")
            found.append(Finding("missing", ref, "bom", text, placed[ref].x, placed[ref].y, fix=fix))
    return found


def _lead_body(design: Design, ref: str) -> bool:
    """True for a part whose body on the bill of materials has leads in holes."""
    return any(ref in line.refs and design.catalogue.package(line.package, ref).mount == "tht" for line in design.bom)


def _doubled(design: Design, middles: dict[str, tuple[float, float]]) -> list[Finding]:
    found = []
    for ref, count in Counter(p.ref for p in design.placements).items():
        if count > 1:
            spots = [(p.x, p.y) for p in design.placements if p.ref == ref]
            x, y = middles.get(ref, spots[0])
            keep = int(np.argmin([np.hypot(sx - x, sy - y) for sx, sy in spots]))
            fix = Fix("keep-one", ref, {"list": "placements", "keep": keep}, f"{ref} kept where its pads are")
            text = f"{ref} stands {count} times in the placement list"
            found.append(Finding("doubled", ref, "placements", text, *spots[0], fix=fix))
    for ref, count in Counter(ref for line in design.bom for ref in line.refs).items():
        if count > 1:
            fix = Fix("keep-one", ref, {"list": "bom", "keep": 0}, f"{ref} kept where it stands first")
            text = f"{ref} stands on {count} places of the bill of materials"
            found.append(Finding("doubled", ref, "bom", text, fix=fix))
    return found


def _on_pads(design: Design, middles: dict[str, tuple[float, float]]) -> list[Finding]:
    """Parts on the wrong side, outside the outline, or off their pads (handbook rule: further than half the body)."""
    if not design.parts:
        return []
    at = shapely.points([[p.x, p.y] for p in design.parts])
    outside = shapely.distance(shapely.Polygon(design.outline.exterior), at)  # a part may stand over a cut-out
    side_of = sides_of_pads(design.pads)
    found = []
    for part, beyond in zip(design.parts, outside.tolist(), strict=True):
        told = side_of.get(part.ref)
        if told is not None and told != part.side:
            text = f"{part.ref} is listed for the {part.side} but its pads are on the other side"
            fix = Fix("side", part.ref, {"side": told}, f"{part.ref} moved to the {told}")
            found.append(Finding("side", part.ref, "pads", text, part.x, part.y, fix=fix))
        home = middles.get(part.ref)
        fix = Fix("leave-out", part.ref, {}, f"{part.ref} left out")
        if home is not None:
            side = told or part.side
            fix = Fix("at-pads", part.ref, {"x": home[0], "y": home[1], "side": side}, f"{part.ref} put on its pads")
        if beyond > max(part.package.size_x, part.package.size_y) / 2:
            text = f"{part.ref} lies outside the board outline"
            found.append(Finding("off-board", part.ref, "outline", text, part.x, part.y, fix=fix))
        elif part.populated and _misses_pads(design, part, home):
            text = f"{part.ref} sits on no pads of its own"
            found.append(Finding("missing", part.ref, "pads", text, part.x, part.y, fix=fix))
    return found


def _misses_pads(design: Design, part: Part, home: tuple[float, float] | None) -> bool:
    """True when the centre of the part's pads is further than half its body away, or it has none (handbook rule)."""
    if not part.pads or home is None:
        return bool(design.pads)
    allowed = max(0.5 * max(part.package.size_x, part.package.size_y), 0.25)
    if np.hypot(home[0] - part.x, home[1] - part.y) <= allowed:
        return False
    centre = np.mean([p.polygon.envelope.centroid.coords[0] for p in part.pads], axis=0)
    return bool(np.hypot(*(centre - (part.x, part.y))) > allowed)


def _overlaps(parts: list[Part]) -> list[Finding]:
    if not parts:
        return []
    shapes = package_outlines(parts, -0.05)
    a, b = shapely.STRtree(shapes).query(shapes, predicate="intersects")
    found = []
    for i, j in zip(a, b, strict=True):
        if i < j and parts[i].side == parts[j].side and parts[i].package.known and parts[j].package.known:
            text = f"the bodies of {parts[i].ref} and {parts[j].ref} overlap"
            fix = Fix("leave-out", parts[j].ref, {}, f"{parts[j].ref} left out")
            found.append(
                Finding("overlap", parts[i].ref, parts[j].ref, text, parts[i].x, parts[i].y, Level.CARE, fix=fix)
            )
    return found


def _quantity(line: int, quantity: int | None, refs: tuple[str, ...]) -> Finding:
    text = (
        f"line {line} of the bill of materials says {quantity} piece{'' if quantity == 1 else 's'} and names"
        f" {len(refs)} part{'' if len(refs) == 1 else 's'}"
    )
    fix = Fix("count-names", refs[0], {"line": line}, f"line {line} counted by its names: {len(refs)}")
    return Finding("quantity", refs[0], "bom", text, level=Level.CARE, fix=fix)
