"""An oven as a record: how it is steered, what it can do, and what its logs told of it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Annotated, ClassVar, Literal

import msgspec
import numpy as np
from msgspec import Meta
from numpy.typing import NDArray

from fusilex.bench.workshop.record import Positive, Record
from fusilex.core.evidence import Coverage, covered, every
from fusilex.core.heat.fit import ENOUGH_TOLD, TOLD, Fitted, unfitted
from fusilex.core.heat.oven import CONTROLLED, OVENS, PARAMETERS, Loading, OvenModel
from fusilex.core.heat.schedule import LONGEST_S, Schedule

GOOD_C = 3.0
"""The residual (°C, RMS) up to which a twin is taken for its oven."""

Seconds = Annotated[float, Meta(ge=0, le=LONGEST_S)]
Celsius = Annotated[float, Meta(ge=0, le=600)]
MOST_Z = 12.0


class OvenFit(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What runs told: parameters by `names`, their `z` (a number is its usual one times its usual factor to the z)
    with `covariance`, the RMS residual (°C), for how many samples a sample counts less, how many runs with a probe
    there were and how many `by_eye`, and whether it was known which board was in the oven.
    """

    names: tuple[str, ...] = ()
    z: tuple[float, ...] = ()
    covariance: tuple[tuple[float, ...], ...] = ()
    residual_c: float = 0.0
    memory: float = 1.0
    runs: int = 0
    board: bool = True
    by_eye: int = 0

    @property
    def coverage(self) -> Coverage:
        """How many parameters the logs tell, of those that make a twin of its oven."""
        return parameters_told(self.names, [self.covariance[k][k] for k in range(len(self.covariance))])


class Oven(Record, frozen=True):
    """What melts solder here: an oven with a curve or a dial, a plate or skillet; boards a load, minutes it takes; the
    hottest it can be set to (°C), the curve it is given (s: °C), whether its door may be opened hot, whether it has a
    fan, how large its tray or plate is (width, depth, mm), whether boards lie flat on the tray, what it is preheated to
    (°C, 0: not). Of a skillet the radius of its ring (mm, 0: an even plate) and whether foil lies on it. `numbers` of
    the twin that are known, and `fit`, what its logs told.
    """

    what: ClassVar[str] = "oven"
    title: ClassVar[str] = "Ovens and plates"
    method: Literal["controlled oven", "dial oven", "plate", "hot air"] = "controlled oven"
    boards: Annotated[int, Meta(ge=1, le=500)] = 6
    minutes: Positive = 8.0
    hottest_c: Annotated[float, Meta(ge=50, le=600)] = 280.0
    door: bool = True
    fan: bool = True
    tray_mm: tuple[float, float] = (260.0, 210.0)
    flat: bool = False
    preheat_c: Annotated[float, Meta(ge=0, le=300)] = 0.0
    ring_mm: Annotated[float, Meta(ge=0, le=300)] = 0.0
    foil: bool = False
    curve: tuple[tuple[Seconds, Celsius], ...] = ()
    numbers: dict[str, float] = {}
    fit: OvenFit = OvenFit()

    def __post_init__(self) -> None:
        if faults := self.model.faults():
            raise ValueError("; ".join(faults[:3]))
        size = len(self.fit.names)
        if len(self.fit.z) != size or any(len(row) != size for row in self.fit.covariance):
            raise ValueError("a fit has a z and a row of covariance for each of its names")
        if len(self.fit.covariance) != size:
            raise ValueError("a fit has a z and a row of covariance for each of its names")
        if stray := [name for name in self.fit.names if name not in PARAMETERS]:
            raise ValueError(f"there is no {stray[0]} in an oven")
        if size and not _is_covariance(np.array(self.fit.covariance)):
            raise ValueError("a fit's covariance is symmetric and of no negative variance")
        if any(not abs(z) <= MOST_Z for z in self.fit.z):
            raise ValueError(f"z of a fit lie within {MOST_Z:g}")
        if not all(20 <= side <= 2000 for side in self.tray_mm):
            raise ValueError("a tray is 20 to 2000 mm wide and deep")
        if [t for t, _ in self.curve] != sorted(t for t, _ in self.curve):
            raise ValueError("the times of a curve rise")

    @property
    def proven(self) -> bool:
        """True where logs tell what the twin says: fitted to one at least, with its board known, close to them, and
        with enough of its parameters told by them: a log of a cold oven fits any.
        """
        return self.fit.runs > 0 and self.fit.board and self.fit.residual_c <= GOOD_C and covered([self.fit.coverage])

    @property
    def told(self) -> Schedule | None:
        """The curve of the record, None without one."""
        if not self.curve:
            return None
        times, settings = zip(*self.curve, strict=True)
        return Schedule(times, settings, self.follows)

    @property
    def follows(self) -> bool:
        """True where it follows a curve, not a dial that somebody turns."""
        return self.method == CONTROLLED

    @property
    def opens(self) -> bool:
        """True where a door lets the heat out."""
        return self.door and self.method in OVENS

    def loading(self, copies: int = 1, place_mm: tuple[float, float] = (0.0, 0.0)) -> Loading:
        """How panels go in: so many, the one looked at so far off the middle of the tray."""
        return Loading(place_mm, copies, self.flat, self.preheat_c or None)

    @property
    def model(self) -> OvenModel:
        """The oven as the twin has it, before it was fitted."""
        return OvenModel(self.method, self.numbers, 120.0, self.tray_mm, self.ring_mm, self.foil, self.fan)

    @property
    def fitted(self) -> Fitted:
        """The oven with what its logs told, or as wide as nobody knows."""
        if not self.fit.names:
            return unfitted(self.model)
        z, covariance = np.array(self.fit.z), np.array(self.fit.covariance)
        return Fitted.of(self.model, self.fit.names, z, covariance, self.fit.residual_c, self.fit.memory)


def _is_covariance(matrix: NDArray[np.float64]) -> bool:
    finite = bool(np.isfinite(matrix).all())
    return finite and np.allclose(matrix, matrix.T, atol=1e-6) and float(np.linalg.eigvalsh(matrix).min()) > -1e-6


def parameters_told(names: Sequence[str], variances: Sequence[float]) -> Coverage:
    """Of so many parameters with these variances of their z, those that the logs tell, against half of them."""
    own = [v for name, v in zip(names, variances, strict=False) if name in PARAMETERS]
    if not own:  # all are typed into its record
        return every("parameters told", 1)
    told = sum(math.sqrt(max(v, 0.0)) <= TOLD for v in own)
    return Coverage("parameters told", told, math.ceil(ENOUGH_TOLD * len(own)))


def fit_row(fitted: Fitted, runs: int, board: bool, by_eye: int = 0) -> OvenFit:
    """A fit as a record keeps it, without the places of its probes."""
    own = [k for k, name in enumerate(fitted.names) if not name.startswith("place of")]
    return OvenFit(
        tuple(fitted.names[k] for k in own),
        tuple(round(float(fitted.z[k]), 6) for k in own),
        tuple(tuple(round(float(v), 8) for v in row) for row in fitted.covariance[np.ix_(own, own)]),
        round(fitted.residual_c, 4),
        round(fitted.memory, 4),
        runs,
        board,
        by_eye,
    )
