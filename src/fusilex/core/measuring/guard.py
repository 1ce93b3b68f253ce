"""What a reading says against a limit when the instrument leaves something open."""

from __future__ import annotations

import math

from msgspec import Struct

from fusilex.core.judgement import Level


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
        if math.isnan(reading):
            return Level.UNKNOWN
        room = self.of(reading)
        if reading - room > limit or (reading == math.inf and limit == math.inf):
            return Level.GO
        return Level.STOP if reading + room <= limit else Level.UNKNOWN

    def below(self, reading: float, limit: float) -> Level:
        """Is it below a limit?"""
        if math.isnan(reading):
            return Level.UNKNOWN
        room = self.of(reading)
        if reading + room < limit or limit == math.inf:
            return Level.GO
        return Level.STOP if reading - room >= limit else Level.UNKNOWN

    def within(self, reading: float, low: float, high: float) -> Level:
        """Is it within two limits, both of which are good readings? A limit that is not there is infinite.

        >>> [Uncertainty(0.0, 0.1).within(x, 1.0, 2.0).words for x in (1.5, 1.05, 0.8, 2.1)]
        ['go', "can't tell", 'stop', "can't tell"]
        """
        if math.isnan(reading) or low > high:
            return Level.UNKNOWN
        room = self.of(reading)
        if low + room <= reading <= high - room:
            return Level.GO
        return Level.STOP if reading + room < low or reading - room > high else Level.UNKNOWN


EXACT = Uncertainty()
