"""A run while it goes on: what was read and marked, kept line by line on disk; what to do now, and what comes next."""

from __future__ import annotations

import csv
import io
import math
import os
from collections.abc import Sequence
from pathlib import Path

import numpy as np
from msgspec import Struct

from fusilex.core.heat.probes import ALL_SHINY, DOOR_OPEN, FIRST_SHINE, HEAT_OFF
from fusilex.core.heat.schedule import SET, Schedule, Step, steps_of
from fusilex.core.heat.ties import USUAL_HOLD_S, Shine, off_at
from fusilex.core.quantities import CELSIUS, RATE, write, write_celsius
from fusilex.core.reflow.windows import ProcessWindow
from fusilex.core.units import begun, clock

LEAST_ROWS = 10
SLOPE_S, AHEAD_S, SOON_S, JUST_S, TOUCH_C = 10.0, 10.0, 30.0, 4.0, 50.0
LONGER_S, LATE_S, LONGEST_LATE_S = 30.0, 20.0, 60.0
"""By eye: so much longer than the clock says, so late a shine is late, and for so long it is asked after."""


class LiveLog(Struct):
    """Rows of (s, °C by probe) and marks (s, what) of a run with a schedule, written to `path` as they come, where
    there is one: what was logged outlives the program.
    """

    names: Sequence[str]
    schedule: Schedule
    path: Path | None = None
    rows: list[tuple[float, list[float]]] = []
    marks: list[tuple[float, str]] = []
    _curves: list[tuple[list[float], list[float]]] = []

    def __post_init__(self) -> None:
        self._curves = [([], []) for _ in self.names]

    def begin(self) -> None:
        """Begin the file anew."""
        if self.path is not None:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            self.path.write_text(self._head(), encoding="utf-8")

    def add(self, at_s: float, celsius: Sequence[float]) -> None:
        """A row of readings."""
        self.rows.append((at_s, list(celsius)))
        for (times, values), value in zip(self._curves, celsius, strict=False):
            if math.isfinite(value):
                times.append(at_s)
                values.append(value)
        self._keep(self._row(at_s, celsius, ""))

    def mark(self, at_s: float, what: str) -> None:
        """Something was seen."""
        self.marks.append((at_s, what))
        self._keep(self._row(at_s, [math.nan] * len(self.names), what))

    def _keep(self, line: str) -> None:
        if self.path is not None:
            with self.path.open("a", encoding="utf-8") as file:
                file.write(line)
                file.flush()
                os.fsync(file.fileno())

    def _head(self) -> str:
        kind = "set_c" if self.schedule.curve else "dial_c"
        return _line(["time_s", kind, "door", *(f"{name} °C" for name in self.names), "seen"])

    def _row(self, at_s: float, celsius: Sequence[float], seen: str) -> str:
        at = np.array([at_s])
        told = f"{float(self.schedule.set_at(at)[0]):.1f}", f"{float(self.schedule.door_at(at)[0]):.2f}"
        return _line([f"{at_s:.1f}", *told, *(f"{c:.2f}" if math.isfinite(c) else "" for c in celsius), seen])

    def csv(self) -> bytes:
        """The log as a file."""
        rows = [(t, self._row(t, c, "")) for t, c in self.rows]
        rows += [(t, self._row(t, [math.nan] * len(self.names), what)) for t, what in self.marks]
        return "".join([self._head(), *(row for _, row in sorted(rows, key=lambda r: r[0]))]).encode()

    @property
    def measured(self) -> bool:
        """True where a probe told enough to be judged."""
        return max((len(times) for times, _ in self._curves), default=0) >= LEAST_ROWS

    def curve(self, k: int) -> tuple[np.ndarray, np.ndarray]:
        """Times and temperatures of a probe, gaps left out."""
        times, values = self._curves[k]
        return np.array(times), np.array(values)

    def slope(self, k: int) -> float:
        """°C/s of a probe over the last seconds, NaN where too little is known."""
        t, c = self.curve(k)
        near = t >= (t[-1] - SLOPE_S if len(t) else 0.0)
        if near.sum() < 3 or np.ptp(t[near]) < SLOPE_S / 3:
            return math.nan
        return float(np.polyfit(t[near], c[near], 1)[0])

    def seen_words(self) -> str:
        """The marks as one says them."""
        return ", ".join(f"{what} at {clock(t)}" for t, what in self.marks)


def _line(cells: Sequence[str]) -> str:
    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerow(cells)
    return out.getvalue()


def alarms(log: LiveLog, window: ProcessWindow) -> list[str]:
    """What passed a limit or is about to, worst first: too hot, soon too hot, molten for long, heating too fast."""
    found: list[tuple[int, str]] = []
    for k, name in enumerate(log.names):
        t, c = log.curve(k)
        slope = log.slope(k)
        if not len(t) or math.isnan(slope):
            continue
        most = write(window.peak[1], CELSIUS, 4)
        if c[-1] >= window.peak[1]:
            found.append((0, f"{name} is at {write_celsius(c[-1])}, above {most}: heat off, open the door."))
        elif c[-1] + AHEAD_S * slope > window.peak[1]:
            soon = (window.peak[1] - c[-1]) / slope
            found.append((1, f"{name} passes {most} in {soon:.0f} s: heat off."))
        above = t[c >= window.melting]
        if len(above) and c[-1] >= window.melting and t[-1] - above[0] > window.above_melting[1] - AHEAD_S:
            found.append((2, f"{name} is molten for {t[-1] - above[0]:.0f} s: open the door."))
        if slope > window.heating[1]:
            found.append((3, f"{name} heats by {write(slope, RATE)}: turn it down."))
    return [words for _, words in sorted(found, key=lambda f: f[0])]


def asked_for(log: LiveLog, shine: Shine | None) -> tuple[Step, ...]:
    """What is to be done and when: by the clock; from the heat going off on by the eye, where a dial is turned by hand
    and all joints were seen to shine, or the heat was seen to go off.
    """
    steps = steps_of(log.schedule)
    off = off_at(steps)
    at = {what: t for t, what in log.marks}
    if DOOR_OPEN in at:
        steps = tuple(s for s in steps if not s[1].startswith("door"))
    if HEAT_OFF in at:
        gone = at[HEAT_OFF]
        by = 0.0 if math.isnan(off) else gone - off
        told = [s for s in steps if s[0] < min(gone, off) and s[1] != "switch off"] + [(gone, SET, None)]
        return (*told, *((t + by, what, c) for t, what, c in steps if what.startswith("door") and t >= off))
    by_heat_left = shine is not None and shine.last_s > off and at.get(ALL_SHINY, 0.0) >= off
    if ALL_SHINY in at and not log.schedule.curve and not math.isnan(off) and not by_heat_left:
        by = at[ALL_SHINY] + (shine.hold_s(off) if shine else USUAL_HOLD_S) - off
        return tuple((t + by if t >= off else t, what, c) for t, what, c in steps)
    return steps


def cools(log: LiveLog, at_s: float, shine: Shine | None) -> bool:
    """True when nothing is left to do but to wait."""
    return at_s > max((t for t, _, _ in asked_for(log, shine)), default=0.0) and not _asks(log, at_s, shine)


def _asks(log: LiveLog, at_s: float, shine: Shine | None) -> tuple[str, str] | None:
    """By eye alone: the clock says off, or the last joint is late, and nobody has said that all joints shine."""
    seen = {what for _, what in log.marks}
    off = off_at(steps_of(log.schedule))
    if log.names or log.schedule.curve or ALL_SHINY in seen or math.isnan(off):
        return None
    last = shine.last if shine and shine.last else "the last joint"
    by_heat_left = shine is not None and shine.last_s > off
    if not by_heat_left and HEAT_OFF not in seen and off <= at_s < off + LONGER_S:
        until = off + LONGER_S - at_s
        return f"Does {last} shine?", f"A when it does. The clock says off: in {until:.0f} s at the latest."
    late = (shine.last_s if by_heat_left and shine else off + LONGER_S) + LATE_S
    if late <= at_s < late + LONGEST_LATE_S:
        return f"{begun(last)} should shine by now", "A when it does. If not, it has not melted: heat again, and look."
    return None


def advice(log: LiveLog, at_s: float, shine: Shine | None, left_s: tuple[float, float]) -> tuple[str, str]:
    """The one thing to do now, and what comes next; hands wait until it is solid, and cool enough (`left_s`: seconds
    until both, NaN where nothing tells).
    """
    if asked := _asks(log, at_s, shine):
        return asked
    steps = asked_for(log, shine)
    due = [s for s in steps if at_s - JUST_S <= s[0] <= at_s]
    ahead = [s for s in steps if s[0] > at_s]
    doing = [s for s in due if s[1] != SET]
    following = next((s for s in ahead if s[1] != SET), None)
    soon = "" if following is None else f"{begun(_words(following))} in {following[0] - at_s:.0f} s."
    if doing:
        return f"Now: {', '.join(_words(s) for s in doing)}", soon
    if following is not None and following[0] - at_s <= SOON_S:
        held = "All shines: hold it. " if ALL_SHINY in {what for _, what in log.marks} else ""
        return f"{begun(_words(following))} in {following[0] - at_s:.0f} s", f"{held}Leave the board alone."
    if cools(log, at_s, shine):
        return _waiting(left_s)
    return "Leave it alone" if log.schedule.curve is False and not log.schedule.door else "Leave the door shut", (
        soon or _watch(log, at_s, shine)
    )


def _waiting(left_s: tuple[float, float]) -> tuple[str, str]:
    """What to wait for while it cools."""
    solid, cool = left_s
    if cool == 0:
        return "Cool enough to touch", "X ends the run and puts it on record."
    touch = (
        "Hands off until it is cool."
        if math.isnan(cool)
        else f"Below {write(TOUCH_C, CELSIUS, 4)} in about {clock(cool)}."
    )
    if solid == 0:
        return "Solid: hands off, it is hot", touch
    when = "" if math.isnan(solid) else f", about {clock(solid)}"
    return f"Leave it until it is solid{when}", touch


def _watch(log: LiveLog, at_s: float, shine: Shine | None) -> str:
    """Which joint to keep an eye on."""
    if shine is None or not shine.last:
        return "Watch the part that melts last."
    seen = {what for _, what in log.marks}
    if FIRST_SHINE not in seen and shine.first_s > at_s:
        return f"The first shine is due at {shine.first}, in {shine.first_s - at_s:.0f} s."
    return f"Watch {shine.last}: it melts last."


def _words(step: Step) -> str:
    _, what, celsius = step
    return what if celsius is None else f"{what} {write_celsius(celsius)}"
