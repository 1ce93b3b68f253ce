"""A large board for measuring: Heron stepped into one big design with as many names as placements."""

from __future__ import annotations

import re
from collections.abc import Iterator

from fusilex.formats.bundle import Files

STEP_MM = (46.0, 33.0)


def big_board(files: Files, columns: int, rows: int, named: str = "{0}{1:02d}") -> Files:
    """Heron's files repeated columns × rows times: one outline, one placement list, every copy's parts named by a
    pattern.

    Layers name the copies apart, and the bill of materials has them all, when `named` makes references of its own.
    """
    apart = re.fullmatch(r"[A-Z]+\d+", named.format("R1", 1)) is not None and named != "{0}"
    shifts = [(i, j) for j in range(rows) for i in range(columns)]
    out: Files = {}
    for name, data in files.items():
        text = data.decode(errors="replace")
        if name.endswith("outline.gbr"):
            out[name] = _outline(text, columns, rows).encode()
        elif name.endswith(".gbr"):
            out[name] = "\n".join([*_gerber(text, shifts, named if apart else "{0}"), "M02*", ""]).encode()
        elif name.endswith(".drl"):
            out[name] = _drill(text, shifts).encode()
    out["placements.csv"] = "\n".join(_rows(files["heron-r2-placements.csv"].decode(), shifts, named)).encode()
    bom = files["heron-r2-bom.csv"]
    out["bom.csv"] = "\n".join(_bom(bom.decode(), len(shifts), named)).encode() if apart else bom
    return out


def six_layers(files: Files) -> Files:
    """The same board with four inner layers, each poured: copper up to 0.5 mm from the edge, cleared about every hole
    but each fifth, whose pad it joins.
    """
    corners = [
        (float(x), float(y)) for x, y in re.findall(r"X(-?\d+)Y(-?\d+)D0[12]", files["heron-r2-outline.gbr"].decode())
    ]
    (x0, y0), (x1, y1) = map(min, zip(*corners, strict=True)), map(max, zip(*corners, strict=True))
    edge = 500_000
    area = [(x0 + edge, y0 + edge), (x1 - edge, y0 + edge), (x1 - edge, y1 - edge), (x0 + edge, y1 - edge)]
    region = [f"X{x:.0f}Y{y:.0f}D0{1 if n else 2}*" for n, (x, y) in enumerate([*area, area[0]])]
    drilled = [text.decode() for name, text in files.items() if name.endswith(".drl")]
    holes = [
        (float(x) * 1e6, float(y) * 1e6)
        for text in drilled
        for x, y in re.findall(r"^X([-\d.]+)Y([-\d.]+)", text, re.M)
    ]
    out = dict(files)
    for number in (2, 3, 4, 5):
        head = [
            f"%TF.FileFunction,Copper,L{number},Inr*%",
            "%FSLAX46Y46*%",
            "%MOMM*%",
            "%ADD10C,0.9*%",
            "%ADD11C,0.5*%",
        ]
        clear = [f"X{x:.0f}Y{y:.0f}D03*" for n, (x, y) in enumerate(holes) if (n + number) % 5]
        pads = [f"X{x:.0f}Y{y:.0f}D03*" for x, y in holes]
        lines = [
            *head,
            "%LPD*%",
            "G36*",
            *region,
            "G37*",
            "%LPC*%",
            "D10*",
            *clear,
            "%LPD*%",
            "D11*",
            *pads,
            "M02*",
            "",
        ]
        out[f"inner-{number}.gbr"] = "\n".join(lines).encode()
    for name, layer in (("copper-top", "L1,Top"), ("copper-bottom", "L6,Bot")):
        text = out[f"heron-r2-{name}.gbr"].decode()
        out[f"heron-r2-{name}.gbr"] = re.sub(r"Copper,L\d,(Top|Bot)", f"Copper,{layer}", text).encode()
    return out


def _gerber(text: str, shifts: list[tuple[int, int]], named: str) -> Iterator[str]:
    lines = text.splitlines()
    first = next(i for i, line in enumerate(lines) if re.fullmatch(r"D\d\d+\*|G36\*|%TO.*", line))
    yield from lines[:first]
    body = "\n".join(line for line in lines[first:] if line != "M02*")
    for n, (i, j) in enumerate(shifts):
        dx, dy = round(i * STEP_MM[0] * 1e6), round(j * STEP_MM[1] * 1e6)
        moved = re.sub(r"X(-?\d+)Y(-?\d+)(?=[ID])", lambda m, a=dx, b=dy: f"X{int(m[1]) + a}Y{int(m[2]) + b}", body)
        yield re.sub(r"%TO\.([CP]),([A-Z]+\d+)", lambda m, n=n: f"%TO.{m[1]},{named.format(m[2], n)}", moved)


def _outline(text: str, columns: int, rows: int) -> str:
    width, height = round(columns * STEP_MM[0] * 1e6), round(rows * STEP_MM[1] * 1e6)
    head = text[: text.index("D10*")]
    corners = [(0, 0), (width, 0), (width, height), (0, height), (0, 0)]
    drawn = [f"X{x}Y{y}D0{1 if i else 2}*" for i, (x, y) in enumerate(corners)]
    return "\n".join([head + "D10*", *drawn, "M02*", ""])


def _drill(text: str, shifts: list[tuple[int, int]]) -> str:
    def everywhere(match: re.Match[str]) -> str:
        x, y = float(match[1]), float(match[2])
        return "\n".join(f"X{x + i * STEP_MM[0]:.3f}Y{y + j * STEP_MM[1]:.3f}" for i, j in shifts)

    return re.sub(r"^X([-\d.]+)Y([-\d.]+)$", everywhere, text, flags=re.M)


def _rows(text: str, shifts: list[tuple[int, int]], named: str) -> Iterator[str]:
    head, *rows = text.splitlines()
    yield head
    for n, (i, j) in enumerate(shifts):
        for row in rows:
            cells = row.split(",")
            x, y = float(cells[1]) + i * STEP_MM[0], float(cells[2]) + j * STEP_MM[1]
            yield ",".join([named.format(cells[0], n), f"{x:.4f}", f"{y:.4f}", *cells[3:]])


def _bom(text: str, copies: int, named: str) -> Iterator[str]:
    head, *rows = text.splitlines()
    yield head
    for row in rows:
        names = re.findall(r"\b[A-Z]+\d+\b", row.split('"')[1] if row.startswith('"') else row.split(",")[0])
        rest = row.split('"', 2)[2].lstrip(",") if row.startswith('"') else row.split(",", 1)[1]
        every = " ".join(named.format(name, n) for n in range(copies) for name in names)
        yield f'"{every}",{len(names) * copies},{rest.split(",", 1)[1]}'
