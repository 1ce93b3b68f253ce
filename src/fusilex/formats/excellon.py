"""Excellon drill files into holes."""

from __future__ import annotations

import re
import warnings

from fusilex.core.board.model import Hole
from fusilex.core.problems import BadInput

_FUNCTION = re.compile(r"TF\.FileFunction,(NonPlated|Plated|MixedPlating)", re.I)


def read_excellon(data: bytes, name: str) -> tuple[Hole, ...]:
    """Read one drill file. Plating comes from the file function comment, else from the name. Raises `BadInput`."""
    from gerbonara.excellon import ExcellonFile
    from gerbonara.utils import MM

    text = data.decode("utf-8", errors="replace")
    if not re.search(r"^\s*(M30|M00|M02)\s*$", text, re.M):
        last = text.rstrip().splitlines()[-1:] or [""]
        raise BadInput(
            name,
            "the end mark M30 of a whole drill file",
            f"an end after “{last[0][:24]}”",
            f"line {text.count(chr(10)) + 1}",
        )
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            parsed = ExcellonFile.from_string(text, filename=name)
    except Exception as error:  # the parser raises whatever its tables happen to raise
        raise BadInput(name, "Excellon drill statements", str(error)[:160]) from error
    stated = _FUNCTION.search(text)
    plated_by_file = stated[1].lower() != "nonplated" if stated else not re.search(r"npth|non.?plated", name, re.I)
    holes = []
    for item in parsed.objects:
        diameter = float(item.aperture.unit.convert_to(MM, item.aperture.diameter))
        scale = float(item.unit.convert_to(MM, 1.0))
        plated = item.plated if item.plated is not None and not stated else plated_by_file
        points = [(item.x, item.y)] if hasattr(item, "x") else [(item.x1, item.y1), (item.x2, item.y2)]
        holes += [Hole(x * scale, y * scale, diameter, plated) for x, y in points]
    return tuple(holes)
