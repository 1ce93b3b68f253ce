"""Layer sets for measuring, other than Heron as it is: painted pads, bare layers, a dense board; and another parser's
time for them.
"""

from __future__ import annotations

import json
import re
import time
import warnings
from collections.abc import Iterator
from pathlib import Path

from big_board import big_board

from fusilex.bench.intake import design as intake
from fusilex.formats.bundle import Files, read_files

PEN_MM, STEP_MM = 0.1, 0.08
HEAD = "%FSLAX46Y46*%\n%MOMM*%\n"


def sets(files: Files) -> Iterator[tuple[str, Files]]:
    """Heron once and six times, painted, bare, and 4,900 pads with tracks and silk."""
    six = big_board(files, 3, 2, "{0}{1:02d}")
    yield from (("Heron", files), ("Heron × 6", six), ("painted", painted(files)), ("bare", bare(files)))
    yield from (("bare × 6", bare(six)), ("bare, painted", painted(bare(files))), ("dense", dense()))


def bare(files: Files) -> Files:
    """Layers and holes alone, without attributes."""
    return {n: re.sub(rb"%T[FAOD][^%]*%\n", b"", d) for n, d in files.items() if n.endswith((".gbr", ".drl"))}


def painted(files: Files) -> Files:
    """Rectangular pads of copper, mask and paste drawn by strokes."""
    return {n: _painted(d.decode()).encode() if re.search("copper|mask|paste", n) else d for n, d in files.items()}


def _painted(text: str) -> str:
    sizes = {code: (float(w), float(h)) for code, w, h in re.findall(r"%ADD(\d+)R,([\d.]+)X([\d.]+)\*%", text)}
    lines, tool = [], ""
    for line in text.splitlines():
        if chosen := re.fullmatch(r"D(\d+)\*", line):
            tool = chosen[1]
        flash = re.fullmatch(r"X(-?\d+)Y(-?\d+)D03\*", line)
        lines += _strokes(int(flash[1]), int(flash[2]), *sizes[tool], tool) if flash and tool in sizes else [line]
    return "\n".join(lines).replace("%MOMM*%", f"%MOMM*%\n%ADD998C,{PEN_MM}*%", 1) + "\n"


def _strokes(x: int, y: int, w: float, h: float, tool: str) -> Iterator[str]:
    rows = max(2, int((h - PEN_MM) / STEP_MM) + 2)
    half = round((w - PEN_MM) / 2 * 1e6)
    yield "D998*"
    for i in range(rows):
        at = y + round((h - PEN_MM) * (i / (rows - 1) - 0.5) * 1e6)
        yield from (f"X{x - half}Y{at}D02*", f"X{x + half}Y{at}D01*")
    yield f"D{tool}*"


def dense(count: int = 70, pitch: float = 0.8) -> Files:
    """A field of round pads with a track at each, its mask and paste, marks on the silk, and an outline."""
    spots = [(round((2 + i * pitch) * 1e6), round((2 + j * pitch) * 1e6)) for i in range(count) for j in range(count)]
    pads = "\n".join(f"X{x}Y{y}D03*" for x, y in spots)
    tracks = "\n".join(
        f"X{x}Y{y}D02*\nX{x + 300000}Y{y + 300000}D01*\nX{x + 500000}Y{y + 300000}D01*" for x, y in spots
    )
    bends = ((0, 0), (3, 2), (4, 4), (7, 1), (9, 9))
    silk = "\n".join(f"X{x + a * 20000}Y{y + b * 30000}D0{1 if a else 2}*" for x, y in spots[::3] for a, b in bends)
    edge = round((4 + (count - 1) * pitch) * 1e6)
    outline = f"X0Y0D02*\nX{edge}Y0D01*\nX{edge}Y{edge}D01*\nX0Y{edge}D01*\nX0Y0D01*"
    drawn = {
        "gtl": f"%ADD10C,0.4*%\n%ADD11C,0.12*%\nD10*\n{pads}\nD11*\n{tracks}",
        "gts": f"%ADD10C,0.5*%\nD10*\n{pads}",
        "gtp": f"%ADD10C,0.4*%\nD10*\n{pads}",
        "gto": f"%ADD10C,0.1*%\nD10*\n{silk}",
        "gko": f"%ADD10C,0.1*%\nD10*\n{outline}",
    }
    return {f"dense.{ending}": f"{HEAD}{body}\nM02*\n".encode() for ending, body in drawn.items()}


def ratios(files: Files) -> dict[str, float]:
    """How much longer reading a whole set takes than another parser needs for its layers and holes alone, best of
    three each.
    """
    return {name: _best(lambda s=s: _ours(s)) / _best(lambda s=s: _theirs(s)) for name, s in sets(files)}


def _best(action: object) -> float:
    taken = []
    for _ in range(3):
        began = time.perf_counter()
        action()  # type: ignore[operator]
        taken.append(time.perf_counter() - began)
    return min(taken)


def _ours(files: Files) -> None:
    intake._image.cache_clear()
    intake.design_from(files, "x")


def _theirs(files: Files) -> None:
    from gerbonara.excellon import ExcellonFile
    from gerbonara.rs274x import GerberFile

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        for name, data in files.items():
            if name.endswith(".drl"):
                ExcellonFile.from_string(data.decode(), filename=name)
            elif b"%FS" in data[:2000]:
                GerberFile.from_string(data.decode(), filename=name)


if __name__ == "__main__":
    print(json.dumps(ratios(read_files(Path(__file__).parents[1] / "src/fusilex/demo/heron-r2"))))
