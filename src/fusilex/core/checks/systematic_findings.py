"""The systematic fault of a list as a finding: one correction for a whole side, or size codes read the other way."""

from __future__ import annotations

import numpy as np
import shapely
from msgspec.structs import asdict, replace
from numpy.typing import NDArray

from fusilex.core.checks.findings import Finding
from fusilex.core.checks.fixes import Fix
from fusilex.core.checks.pin_ones import pin_ones
from fusilex.core.checks.systematic import (
    Correction,
    SystematicFit,
    fit_named,
    fit_unnamed,
    one_to_one,
    shared_offset,
)
from fusilex.core.design.frames import board_to_part
from fusilex.core.design.join import candidate_middles
from fusilex.core.design.model import Design, Pad, Part
from fusilex.core.design.pad_evidence import mixed_codes, size_code_traps
from fusilex.core.evidence import Level
from fusilex.core.quantities import Quantity, amount
from fusilex.core.wording import say


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


def systematic_findings(design: Design, middles: dict[str, tuple[float, float]]) -> list[Finding]:
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
        return [_correction(design, ("top", "bottom"), both, a_refs + b_refs)]
    return [_correction(design, (side,), *fit) for side, fit in fits.items()]


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


def _correction(design: Design, sides: tuple[str, ...], fit: SystematicFit, refs: tuple[str, ...]) -> Finding:
    where = " and ".join(sides)
    words = fit.correction.words
    below = sides == ("bottom",) and fit.correction.mirror
    turns = "followed" if turns_follow(design, sides, fit.correction) else "kept"
    return Finding(
        "systematic",
        f"{where} placements",
        "placements",
        say("all off, from below" if below else "all off", side=where, how=fit.correction.says),
        quantities=(
            Quantity("on their pads as listed", f"{fit.before} of {fit.n}"),
            Quantity("corrected", f"{fit.after} of {fit.n}"),
            Quantity("left over, RMS", round(fit.rms_mm, 4), "mm"),
        ),
        fix=Fix(
            "transform",
            "",
            {"sides": list(sides), "correction": asdict(fit.correction), "turns": turns},
            f"the {where} list read {words}",
        ),
        refs=refs,
    )


def turns_follow(design: Design, sides: tuple[str, ...], correction: Correction) -> bool:
    """Whether the parts of a list that was turned were turned with it. A mirror turns no part; after a quarter turn or
    two, pin 1 of the chips tells, and where no file names it, the pads of bodies with two ends; else they were.
    """
    if correction.mirror or not correction.turn:
        return False
    here = [p for p in design.parts if p.side in sides and p.populated]
    turned = [replace(p, rotation_deg=p.rotation_deg + correction.turn * (1 if p.side == "top" else -1)) for p in here]
    kept, followed = (pin_ones(parts) for parts in (here, turned))
    if kept.told or followed.told:
        return followed.likely >= kept.likely
    return sum(map(_lengthwise, turned)) >= sum(map(_lengthwise, here))


def _lengthwise(part: Part) -> bool:
    """True for a body of two ends whose pads lie left and right once it is turned back."""
    if len(part.pads) != 2:
        return False
    ends = [p.polygon.centroid.coords[0] for p in part.pads]
    seen = board_to_part(ends, (part.x, part.y), part.rotation_deg, part.side)
    wide, high = np.ptp(seen, axis=0)
    return bool(wide > high)


def size_codes_read_otherwise(design: Design) -> list[Finding]:
    found = []
    metric = design.catalogue.metric
    for trap in size_code_traps(design):
        other = "inch" if metric else "metric"
        found.append(
            Finding(
                "size-code",
                trap.code,
                "lists",
                say(
                    f"fits as {other}",
                    code=trap.code,
                    fits=amount(trap.fits_length, "mm"),
                    read=amount(trap.read_length, "mm"),
                ),
                quantities=(
                    Quantity("pads' middles apart", round(trap.pads_apart, 2), "mm"),
                    Quantity("parts", len(trap.refs)),
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
                say("mixed", codes=tuple(mixed)),
                level=Level.CARE,
                quantities=(Quantity("bare codes", len(mixed)),),
                fix=Fix(
                    "size-codes",
                    "",
                    {"metric": not metric},
                    f"bare codes read as {'inch' if metric else 'metric'} codes",
                ),
            )
        )
    return found
