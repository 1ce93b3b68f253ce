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


WINDOWS = {
    "lead-free": ProcessWindow("lead-free", 217, (150, 200), (0, 3), (60, 120), (40, 90), (235, 250), (0, 4), 480),
    "leaded": ProcessWindow("leaded", 183, (100, 150), (0, 3), (60, 120), (40, 90), (205, 225), (0, 4), 360),
    "bismuth": ProcessWindow("bismuth", 138, (90, 120), (0, 3), (60, 120), (40, 90), (155, 175), (0, 4), 360),
}
