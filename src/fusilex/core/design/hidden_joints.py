"""Which bodies hide their joints: nobody sees those joints after reflow, so print, readings and function must speak
for them.
"""

from __future__ import annotations

import re

import numpy as np
import shapely

from fusilex.core.design.model import Design, Part
from fusilex.core.design.outlines import package_outlines
from fusilex.core.packages.catalogue import Package

_NAMES = re.compile(
    r"[A-Z]*Q?FN(?![A-Z])|(?<![A-Z])[A-Z]{0,3}\d?DFN|[A-Z]*[BCL]GA(?![A-Z])|(?<![A-Z])[A-Z]{0,3}CSP(?![A-Z])"
    r"|(?<![A-Z])WLP|ML[FP](?![A-Z])|(?<![A-Z])(?:P|U|V|W|X\d?)?SON(?![A-Z])|(?<![A-Z])P?LCC(?=\d+P)"
)
"""Outline names of bottom-terminated and ball-grid bodies (JEDEC MO-220, MO-229, MO-211, MO-216 and their kin)."""
_LEADED = ("ic", "transistor", "led")
UNDER_MM = 0.1
"""A pad this far inside the body's edge is wholly under it."""


def hides_joints(package: Package) -> bool:
    """True for a body whose name says that its terminations are underneath: QFN, DFN, SON, LGA, BGA, CSP.

    >>> from fusilex.core.packages.catalogue import package_of
    >>> names = ("VQFN-32 5x5", "BGA-64", "DFN50P200X200X80-6N", "SOIC-8", "RESONATOR 3225")
    >>> [hides_joints(package_of(n)) for n in names]
    [True, True, True, False, False]
    """
    return bool(_NAMES.search(package.code.upper().replace("_", " ")))


def hidden_parts(design: Design) -> list[Part]:
    """Fitted parts that hide joints: by name, or because a surface-mount pad of theirs lies wholly under a body of
    known size.
    """
    parts = [p for p in design.parts if p.populated and p.pads and not p.through_hole]
    asked = [
        p
        for p in parts
        if p.package.family in _LEADED and not hides_joints(p.package) and p.package.known and len(p.pads) > 2
    ]
    under: set[str] = set()
    if asked:
        packages = shapely.buffer(package_outlines(asked), -UNDER_MM)
        which = np.repeat(np.arange(len(asked)), [len(p.pads) for p in asked])
        pads = np.array([pad.polygon for p in asked for pad in p.pads], dtype=object)
        under = {asked[i].ref for i in which[shapely.covers(packages[which], pads)].tolist()}
    return [p for p in parts if hides_joints(p.package) or p.ref in under]
