"""What a reading says against a limit when the instrument leaves something open."""

from __future__ import annotations

import math

from msgspec import Struct

from fusilex.core.evidence import Level, Span, every, weigh


class Uncertainty(Struct, frozen=True):
    """Expanded uncertainty (k = 2) of an instrument: a share of the reading, and a fixed part in its unit (half a digit
    and what the leads add).

    Limits are drawn in by it before a reading passes and pushed out before it fails; between the two nobody can tell
    (the guard bands of JCGM 106:2012).

    >>> meter = Uncertainty(0.01, 0.5)
    >>> meter.of(100.0), meter.above(102.0, 100.0).words, meter.above(101.0, 100.0).words
    (1.5, 'go', "can't tell")
    """

    share: float = 0.0
    fixed: float = 0.0

    def of(self, reading: float) -> float:
        """Expanded uncertainty of a reading, in its unit."""
        return self.share * abs(reading) + self.fixed if math.isfinite(reading) else 0.0

    def above(self, reading: float, limit: float) -> Level:
        """Is it above a limit? A reading that is no number tells nothing."""
        return weigh(self.span(reading), (math.nextafter(limit, math.inf), math.inf), [every("readings", 1)])

    def below(self, reading: float, limit: float) -> Level:
        """Is it below a limit? Where there is none, anything is."""
        most = limit if limit == math.inf else math.nextafter(limit, -math.inf)
        return weigh(self.span(reading), (-math.inf, most), [every("readings", 1)])

    def within(self, reading: float, low: float, high: float) -> Level:
        """Is it within two limits, both of which are good readings? A limit that is not there is infinite.

        >>> [Uncertainty(0.0, 0.1).within(x, 1.0, 2.0).words for x in (1.5, 1.05, 0.8, 2.1)]
        ['go', "can't tell", 'stop', "can't tell"]
        """
        return Level.UNKNOWN if low > high else weigh(self.span(reading), (low, high), [every("readings", 1)])

    def span(self, reading: float) -> Span:
        """Where what was read lies (95 %)."""
        room = self.of(reading)
        return reading - room, reading + room


EXACT = Uncertainty()
