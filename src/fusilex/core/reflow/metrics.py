"""What a run measures: its metrics, and what a record leaves open of them."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from msgspec import Struct, field

from fusilex.core.quantities import METRIC, Quantity
from fusilex.core.reflow.windows import ProcessWindow
from fusilex.core.wording import Said, say, worded

FOREVER = math.inf


class Doubt(Struct, frozen=True):
    """The range in which a value may lie, and why the record cannot tell it closer."""

    low: float
    high: float
    why: Said | None = None

    @property
    def words(self) -> str:
        """Why, in °C."""
        return worded("reflow.log", self.why, units=METRIC) if self.why else ""

    def as_list(self) -> list[Any]:
        """Plain JSON: from, to (None for no end), why in words, and as a message with its slots."""
        case, slots = (self.why.case, self.why.slots) if self.why else ("", ())
        kept = {name: [q.value, q.unit] if isinstance(q, Quantity) else q for name, q in slots}
        return [_plain(self.low), _plain(self.high), self.words, [case, kept]]

    @classmethod
    def from_list(cls, kept: Sequence[Any]) -> Doubt:
        """A doubt as it was kept. Its sentence stands where the message is missing, or is none that we have."""
        low, high, words, *more = kept
        ends = (-FOREVER if low is None else low, FOREVER if high is None else high)
        try:
            case, slots = more[0]
            why = say(case, **{name: Quantity("", *v) if isinstance(v, list) else v for name, v in slots.items()})
            worded("reflow.log", why, units=METRIC)
        except (LookupError, TypeError, ValueError, AttributeError):
            why = say("as kept", why=str(words))
        return cls(*ends, why if words else None)


class Metrics(Struct, frozen=True):
    """What a run did at one probe, as far as the record tells. NaN where the run never got there, or nothing says when.

    `doubts` holds, by field name, what the record leaves open. `wild` samples were left out as no board's.
    """

    max_heating_c_per_s: float
    soak_s: float
    above_melting_s: float
    peak_c: float
    max_cooling_c_per_s: float
    to_peak_s: float
    doubts: Mapping[str, Doubt] = field(default_factory=dict)
    wild: int = 0

    def ranged(self, window: ProcessWindow) -> list[tuple[str, float, tuple[float, float], str]]:
        """(name, value, allowed range, unit) of the five metrics that make the window index."""
        return [
            ("heating", self.max_heating_c_per_s, window.heating, "°C/s"),
            ("soak", self.soak_s, window.soak, "s"),
            ("above melting", self.above_melting_s, window.above_melting, "s"),
            ("peak", self.peak_c, window.peak, "°C"),
            ("cooling", self.max_cooling_c_per_s, window.cooling, "°C/s"),
        ]

    def as_dict(self) -> dict[str, Any]:
        """Plain JSON: None for what is not finite."""
        values = {k: _plain(getattr(self, k)) for k in FIELDS}
        doubts = {k: d.as_list() for k, d in self.doubts.items()}
        return {**values, "doubts": doubts, "wild": self.wild}

    @classmethod
    def from_dict(cls, data: Mapping[str, Any]) -> Metrics:
        """Metrics as they were kept, by this version or before there were doubts."""
        values = [math.nan if data[k] is None else float(data[k]) for k in FIELDS]
        doubts = {k: Doubt.from_list(kept) for k, kept in data.get("doubts", {}).items()}
        return cls(**dict(zip(FIELDS, values, strict=True)), doubts=doubts, wild=int(data.get("wild", 0)))


FIELDS = ("max_heating_c_per_s", "soak_s", "above_melting_s", "peak_c", "max_cooling_c_per_s", "to_peak_s")


FIELD_OF = dict(zip(("heating", "soak", "above melting", "peak", "cooling", "to peak"), FIELDS, strict=True))


def _plain(value: float) -> float | None:
    return round(value, 4) if math.isfinite(value) else None


def window_index(metrics: Metrics, window: ProcessWindow) -> float:
    """Process window index: 100 × the worst of |x − mid| / half-range over the five metrics; up to 100 is inside,
    limits included.

    A metric the run never reached counts as outside (infinite). What the record leaves open is not in it: see
    `Metrics.doubts`.

    >>> limits = (183, (100, 150), (0, 3), (60, 120), (40, 90), (205, 225), (0, 4), 360)
    >>> window_index(Metrics(1.5, 90, 90, 215, 2, 200), ProcessWindow("leaded", *limits))
    100.0
    """
    scores = [
        100.0 * abs(x - (lo + hi) / 2) / ((hi - lo) / 2) if np.isfinite(x) else float("inf")
        for _, x, (lo, hi), _ in metrics.ranged(window)
    ]
    return float(max(scores))
