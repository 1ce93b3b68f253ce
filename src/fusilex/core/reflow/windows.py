"""Windows of pastes: what a run must keep to."""

from __future__ import annotations

from msgspec import Struct


class ProcessWindow(Struct, frozen=True):
    """A paste's window. Temperatures °C, slopes °C/s, times s; each range is (low, high), both ends inside."""

    name: str
    melting: float
    soak_band: tuple[float, float]
    heating: tuple[float, float]
    soak: tuple[float, float]
    above_melting: tuple[float, float]
    peak: tuple[float, float]
    cooling: tuple[float, float]
    to_peak_s: float
    above_melting_hard_s: float = 150.0
    cooling_hard: float = 6.0

    @property
    def leaded(self) -> bool:
        """True for alloys that melt like leaded or bismuth solder: parts' limits with them are lower."""
        return self.melting < 200.0
