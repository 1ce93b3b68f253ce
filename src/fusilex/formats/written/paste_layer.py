"""A paste layer as Gerber X2 (layer format specification 2023.08): each aperture a region, with the pin it is for."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from numpy.typing import NDArray

from fusilex.formats.written.words import comment

DIGITS = 6
"""Decimals of a coordinate in mm: a nanometre."""


def paste_gerber(polygons: NDArray[np.object_], names: Sequence[tuple[str, str]], side: str, made_for: str = "") -> str:
    """A whole file. `polygons` (n) in mm; `names` (n) are (part, pin), '' where none is known. Holes are cut clear."""
    lines = [
        f"%TF.FileFunction,Paste,{'Top' if side == 'top' else 'Bot'}*%",
        "%TF.FilePolarity,Positive*%",
        "%TF.SameCoordinates,Original*%",
        f"%FSLAX3{DIGITS}Y3{DIGITS}*%",
        "%MOMM*%",
        f"G04 {comment(f'Reduced openings of {made_for}' if made_for else 'Reduced openings')}*",
        "G01*",
        "%LPD*%",
    ]
    for polygon, (ref, pin) in zip(polygons, names, strict=True):
        if ref:
            lines.append(f"%TO.P,{_field(ref)},{_field(pin)}*%" if pin else f"%TO.C,{_field(ref)}*%")
        lines += _region(polygon.exterior)
        for ring in polygon.interiors:
            lines += ["%LPC*%", *_region(ring), "%LPD*%"]
        if ref:
            lines.append("%TD*%")
    return "\n".join([*lines, "M02*", ""])


def _region(ring: shapely.LinearRing) -> list[str]:
    steps = np.round(np.asarray(ring.coords)[:, :2] * 10**DIGITS).astype(np.int64).tolist()
    drawn = [f"X{x}Y{y}D0{2 if n == 0 else 1}*" for n, (x, y) in enumerate(steps)]
    return ["G36*", *drawn, "G37*"]


def _field(text: str) -> str:
    """A field of an attribute: what would end it, or is not plain, as \\uXXXX (X2 allows these)."""
    return "".join(
        c if c.isascii() and c.isprintable() and c not in '%*,\\"' else f"\\u{ord(c) & 0xFFFF:04X}" for c in text
    )
