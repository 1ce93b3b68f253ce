"""Operations of a Gerber file as they are read, and their making into one array of objects."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fusilex.core.problems import BadInput
from fusilex.formats.layers.drawn import ARC, FLASH, LINE, MOST_OBJECTS, REGION, Aperture, Drawn, Point, Repeat, Turned

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
        x, y, d = self.runs[-1].rsplit("X", 1)[1].rstrip("*\n\r\t ").replace("Y", "D").split("D")
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
        text = "".join(self.runs).encode().translate(_SPACES)
        whole = b"." not in text and b"e" not in text  # as nearly always, and read three times as fast
        rows = np.fromstring(text, dtype=np.int64 if whole else np.float64, sep=" ").reshape(-1, 3)
        state = np.repeat(np.array(self.states, dtype=int).reshape(-1, 5), self.counts, axis=0)
        at, operation = rows[:, :2] * scale, rows[:, 2].astype(int)
        aperture, attribute, dark, inside = state[:, 0], state[:, 1], state[:, 2].astype(bool), state[:, 3].astype(bool)
        drawing = ~inside & (operation != 2)
        self.lost = int(np.count_nonzero(drawing & (aperture < 0)))
        drawing &= aperture >= 0
        edge = inside & (operation == 1)
        first = edge.copy()  # the first edge of each contour stands for its region
        first[1:] &= ~edge[:-1]
        objects = np.flatnonzero(drawing | first)
        number = np.cumsum(drawing | first) - 1
        repeats = [self._objects_of(repeat, drawing | first) for repeat in self.repeats]
        count = len(objects) + sum((r.columns * r.rows - 1) * (r.stop - r.first) for r in repeats)
        if count > MOST_OBJECTS:
            raise BadInput(name, f"at most {MOST_OBJECTS} drawn objects", f"{count}")
        kinds = np.where(first, REGION, np.where(operation == 3, FLASH, LINE))
        kinds[[row for row in self.arcs if drawing[row]]] = ARC
        before = np.roll(at, 1, axis=0)
        before[:1] = 0
        before[operation == 3] = at[operation == 3]
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
            kinds[objects],
            np.where(inside, -1, aperture)[objects],
            dark[objects],
            attribute[objects],
            np.stack([before[objects], at[objects]], axis=1),
            arcs,
            at[corner],
            np.where(edge, number, number + 1)[corner],
            state[:, 4][objects],
            turns,
            repeats,
        )

    @staticmethod
    def _objects_of(repeat: tuple[int, int, int, int, float, float], is_object: np.ndarray) -> Repeat:
        """A repeat by the numbers of its objects instead of its rows."""
        first, stop, columns, rows, step_x, step_y = repeat
        before = np.concatenate([[0], np.cumsum(is_object)])
        return Repeat(int(before[first]), int(before[stop]), columns, rows, step_x, step_y)


def _number(text: str) -> float:
    return int(text) if "." not in text and "e" not in text else float(text)
