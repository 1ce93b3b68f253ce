"""Less evidence: what logs, lists, designs and readings lose on their way, each loss by its name."""

from __future__ import annotations

import csv
import io
import math
import re
from collections.abc import Callable, Iterable

import numpy as np

from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.formats.bundle import Files

ORDER = (Level.GO, Level.CARE, Level.UNKNOWN, Level.STOP)
Rows = list[list[str]]


def worst(judged: Iterable[Judgement]) -> Level:
    """The gravest of some judgements; nothing said is a go that nobody gave."""
    return max((j.level for j in judged), key=ORDER.index, default=Level.GO)


def better(before: list[Judgement], after: list[Judgement]) -> list[str]:
    """What a loss made better: a go that was not there, a care out of can't tell, or nothing left of a care or stop
    but goes.
    """
    found = []
    for rule in dict.fromkeys(j.rule for j in after):
        was = [j for j in before if j.rule == rule]
        now = worst(j for j in after if j.rule == rule)
        if now is Level.GO and (not was or worst(was) is not Level.GO):
            found.append(f"{rule}: a go out of {worst(was).words if was else 'nothing'}")
        if now is Level.CARE and was and worst(was) is Level.UNKNOWN:
            found.append(f"{rule}: care out of can't tell")
    least = min(worst(before), Level.UNKNOWN, key=ORDER.index)
    if ORDER.index(worst(after)) < ORDER.index(least):
        found.append(f"all together: {worst(before).words} before, {worst(after).words} after")
    return found


def rows_of(text: bytes) -> Rows:
    lines = [line for line in text.decode().splitlines() if line.strip() and not line.startswith("#")]
    return list(csv.reader(lines))


def text_of(rows: Rows) -> bytes:
    stream = io.StringIO()
    csv.writer(stream, lineterminator="\n").writerows(rows)
    return stream.getvalue().encode()


def _readings(change: Callable[[np.ndarray, np.random.Generator], np.ndarray]) -> Callable[[bytes], bytes]:
    """A change of the readings (samples × channels) of a log whose first column is the time."""

    def changed(log: bytes) -> bytes:
        head, *rows = rows_of(log)
        values = change(np.array([[float(v) for v in r[1:]] for r in rows]), np.random.default_rng(1))
        made = [
            [r[0], *("" if math.isnan(v) else f"{v:.3f}" for v in row)]
            for r, row in zip(rows, values.tolist(), strict=True)
        ]
        return text_of([head, *made])

    return changed


def _each(step: int) -> Callable[[bytes], bytes]:
    def thinned(log: bytes) -> bytes:
        head, *rows = rows_of(log)
        return text_of([head, *rows[::step]])

    return thinned


def _part(first: float, last: float) -> Callable[[bytes], bytes]:
    def cut(log: bytes) -> bytes:
        head, *rows = rows_of(log)
        return text_of([head, *rows[int(first * len(rows)) : int(last * len(rows))]])

    return cut


def _hole(log: bytes) -> bytes:
    head, *rows = rows_of(log)
    top = max(range(len(rows)), key=lambda k: float(rows[k][1]))
    return text_of([head, *(r for k, r in enumerate(rows) if not top - 40 < k < top + 40)])


def _frozen(values: np.ndarray, dice: np.random.Generator) -> np.ndarray:
    top = int(values[:, 0].argmax()) - 30
    return np.where(np.arange(len(values))[:, None] > top, values[top], values)


def _one_blank(values: np.ndarray, dice: np.random.Generator) -> np.ndarray:
    values = values.copy()
    values[:, -1] = math.nan
    return values


LOGS: dict[str, Callable[[bytes], bytes]] = {
    "every 8th sample": _each(8),
    "every 20th sample": _each(20),
    "whole degrees": _readings(lambda v, dice: np.round(v)),
    "steps of five degrees": _readings(lambda v, dice: 5 * np.round(v / 5)),
    "noise of 2 °C": _readings(lambda v, dice: v + dice.normal(0, 2, v.shape)),
    "noise of 5 °C": _readings(lambda v, dice: v + dice.normal(0, 5, v.shape)),
    "clipped at 220 °C": _readings(lambda v, dice: np.minimum(v, 220.0)),
    "frozen before the top": _readings(_frozen),
    "a channel blank": _readings(_one_blank),
    "begun late": _part(0.3, 1.0),
    "ended early": _part(0.0, 0.6),
    "a hole at the top": _hole,
}


def _column(name: str, index: int, value: str | None) -> Callable[[Files], Files]:
    """A list without a column, or with one whose cells all say the same."""

    def changed(files: Files) -> Files:
        rows = rows_of(files[name])
        if value is None:
            made = [[v for k, v in enumerate(r) if k != index] for r in rows]
        else:
            made = [rows[0], *([*r[:index], value, *r[index + 1 :]] for r in rows[1:])]
        return files | {name: text_of(made)}

    return changed


def _without(*endings: str) -> Callable[[Files], Files]:
    return lambda files: {n: d for n, d in files.items() if not n.endswith(endings)}


def _fewer(name: str, line: int) -> Callable[[Files], Files]:
    def changed(files: Files) -> Files:
        rows = rows_of(files[name])
        return files | {name: text_of(rows[:line] + rows[line + 1 :])}

    return changed


def _one_unknown(name: str, index: int, line: int) -> Callable[[Files], Files]:
    def changed(files: Files) -> Files:
        rows = rows_of(files[name])
        rows[line] = [*rows[line][:index], "XQ-?", *rows[line][index + 1 :]]
        return files | {name: text_of(rows)}

    return changed


def _unnamed(files: Files) -> Files:
    return {n: re.sub(rb"%T[AOD][^%]*%\n", b"", d) for n, d in files.items()}


def _scoreless(files: Files) -> Files:
    return files | {
        "panel.json": re.sub(
            rb'"score_lines_mm": \[.*?\]\],?|"scores[^"]*": \[\[.*?\]\]\],?', b"", files["panel.json"], flags=re.S
        )
    }


BOM, PLACED = "heron-r2-bom.csv", "heron-r2-placements.csv"
DESIGNS: dict[str, Callable[[Files], Files]] = {
    "no netlist": _without(".ipc"),
    "no list of parts": _without(BOM),
    "no placements": _without(PLACED),
    "no paste layers": _without("paste-top.gbr", "paste-bottom.gbr"),
    "no mask layers": _without("mask-top.gbr", "mask-bottom.gbr"),
    "no silk": _without("silk-top.gbr", "silk-bottom.gbr"),
    "no outline": _without("outline.gbr"),
    "no drills": _without(".drl"),
    "no bottom copper": _without("copper-bottom.gbr"),
    "no panel": _without("panel.json"),
    "no names on copper": _unnamed,
    "no names, no netlist": lambda files: _unnamed(_without(".ipc")(files)),
    "no turns": _column(PLACED, 3, None),
    "no sides": _column(PLACED, 4, None),
    "no packages placed": _column(PLACED, 5, None),
    "no packages at all": lambda files: _column(BOM, 3, None)(_column(PLACED, 5, None)(files)),
    "no values": lambda files: _column(BOM, 2, None)(_column(PLACED, 6, None)(files)),
    "values unknown": lambda files: _column(BOM, 2, "?")(_column(PLACED, 6, "?")(files)),
    "no part numbers": _column(BOM, 4, None),
    "no quantities": _column(BOM, 1, None),
    "a part less bought": _fewer(BOM, 7),
    "a part less placed": _fewer(PLACED, 7),
    "a package unknown": lambda files: _one_unknown(BOM, 3, 4)(_one_unknown(PLACED, 5, 4)(files)),
}


def _rounded(digits: int) -> Callable[[bytes], bytes]:
    """What was read, not its limits, in coarser steps."""

    def changed(text: bytes) -> bytes:
        head, *rows = rows_of(text)
        read = [k for k, h in enumerate(head) if h not in ("low", "high")]
        short = lambda cell: f"{float(cell):.{digits}f}" if re.fullmatch(r"-?\d+\.\d+", cell) else cell  # noqa: E731
        return text_of([head, *([short(v) if k in read else v for k, v in enumerate(r)] for r in rows)])

    return changed


def _line_less(line: int) -> Callable[[bytes], bytes]:
    return lambda text: text_of([r for k, r in enumerate(rows_of(text)) if k != line])


READINGS: dict[str, Callable[[bytes], bytes]] = {
    "rounded to a tenth": _rounded(1),
    "rounded to whole": _rounded(0),
    "the first line less": _line_less(1),
    "the last line less": _line_less(-1),
    "half of the lines": lambda text: text_of(
        [r for k, r in enumerate(rows_of(text)) if k == 0 or k % 2 or r[0] == "reference"]
    ),
    "three lines alone": lambda text: text_of(rows_of(text)[:4]),
}
