"""Operations of a Gerber file as they are read, and their making into one array of objects."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fusilex.core.problems import BadInput
from fusilex.core.progress import wanted_still
from fusilex.formats.layers.drawn import ARC, FLASH, LINE, MOST_OBJECTS, REGION, Aperture, Drawn, Point, Repeat, Turned

PORTION = 500_000
"""Operations made into numbers at once."""
_SPACES = bytes.maketrans(b"XYD*", b"    ")


class Recorder:
    """Operations kept as runs, each with the state it is drawn in: of the file, or of a block in it."""

    def __init__(self) -> None:
        self.runs: list[str] = []
        self.states: list[tuple[int, int, bool, bool, int]] = []  # aperture, attribute, dark, inside a region, turned
        self.counts: list[int] = []  # operations of each run
        self.count = 0
        self.arcs: dict[int, tuple[Point, bool]] = {}  # by row
        self.repeats: list[
            tuple[int, int, int, int, float, float]
        ] = []  # rows first and stop, columns, rows, steps in mm
        self.repeating: tuple[int, int, int, float, float] | None = None
        self.lost = 0  # drawn before an aperture was chosen

    def here(self) -> tuple[float, float, int]:
        """Where the last operation ended, and which it was."""
        if not self.runs:
            return 0, 0, 0
        x, y, d = self.runs[-1].rsplit("X", 1)[1].rstrip("* \n\r\t\f\v").replace("Y", "D").split("D")
        return _number(x), _number(y), int(d)

    def end_repeat(self) -> None:
        if self.repeating is not None:
            first, *steps = self.repeating
            self.repeats.append((first, self.count, *steps))  # type: ignore[arg-type]
            self.repeating = None

    def drawn(
        self,
        scale: NDArray[np.float64],
        apertures: list[Aperture],
        attributes: list[dict[str, tuple[str, ...]]],
        turns: list[Turned],
        name: str,
    ) -> Drawn:
        """All runs as one array of operations (x, y, which), then as objects. `scale` is mm per step in x and y."""
        at, operation = self._rows(scale)
        run = np.repeat(np.arange(len(self.counts), dtype=np.int32), self.counts)  # which run each row is of
        state = np.array(self.states, dtype=int).reshape(-1, 5)
        inside = state[run, 3].astype(bool)
        drawing = ~inside & (operation != 2)
        self.lost = int(np.count_nonzero(drawing & (state[run, 0] < 0)))
        drawing &= state[run, 0] >= 0
        edge = inside & (operation == 1)
        first = edge.copy()  # the first edge of each contour stands for its region
        first[1:] &= ~edge[:-1]
        objects = np.flatnonzero(drawing | first)
        number = np.cumsum(drawing | first, dtype=np.int32) - 1
        repeats = [self._objects_of(repeat, drawing | first) for repeat in self.repeats]
        count = len(objects) + sum((r.columns * r.rows - 1) * (r.stop - r.first) for r in repeats)
        if count > MOST_OBJECTS:
            raise BadInput(name, f"at most {MOST_OBJECTS} drawn objects", f"{count}")
        kinds = np.where(first, REGION, np.where(operation == 3, FLASH, LINE))[objects]
        kinds[[number[row] for row in self.arcs if drawing[row]]] = ARC
        before = at[np.maximum(objects - 1, 0)]
        before[objects == 0] = 0
        before[operation[objects] == 3] = at[objects][operation[objects] == 3]
        whose = state[run[objects]]
        corner = edge.copy()
        corner[:-1] |= first[1:]
        arcs = {
            int(number[i]): ((x * scale[0], y * scale[1]), clockwise)
            for i, ((x, y), clockwise) in self.arcs.items()
            if drawing[i]
        }
        return Drawn(
            apertures,
            attributes,
            kinds,
            np.where(whose[:, 3] > 0, -1, whose[:, 0]),
            whose[:, 2] > 0,
            whose[:, 1],
            np.stack([before, at[objects]], axis=1),
            arcs,
            at[corner],
            np.where(edge, number, number + 1)[corner],
            whose[:, 4],
            turns,
            repeats,
        )

    def _rows(self, scale: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.int8]]:
        """Ends (n, 2; mm) and kinds (n) of all operations; the text they were read from is let go of on the way."""
        at, operation = np.empty((self.count, 2)), np.empty(self.count, dtype=np.int8)
        row = first = 0
        for stop in self._portions():
            wanted_still()
            text = "".join(self.runs[first:stop]).encode().translate(_SPACES)
            self.runs[first:stop] = [""] * (stop - first)
            whole = b"." not in text and b"e" not in text  # as nearly always, and read three times as fast
            rows = np.fromstring(text, dtype=np.int64 if whole else np.float64, sep=" ").reshape(-1, 3)
            at[row : row + len(rows)], operation[row : row + len(rows)] = rows[:, :2] * scale, rows[:, 2]
            row, first = row + len(rows), stop
        return at, operation

    def _portions(self) -> list[int]:
        """Where runs are cut into portions of about a million operations."""
        sums = np.cumsum(self.counts) if self.counts else np.zeros(0, dtype=int)
        cuts = np.searchsorted(sums, np.arange(PORTION, self.count, PORTION)) + 1
        return sorted({*cuts.tolist(), len(self.counts)} - {0})

    @staticmethod
    def _objects_of(repeat: tuple[int, int, int, int, float, float], is_object: np.ndarray) -> Repeat:
        """A repeat by the numbers of its objects instead of its rows."""
        first, stop, columns, rows, step_x, step_y = repeat
        before = np.concatenate([[0], np.cumsum(is_object)])
        return Repeat(int(before[first]), int(before[stop]), columns, rows, step_x, step_y)


def _number(text: str) -> float:
    return int(text) if "." not in text and "e" not in text else float(text)
