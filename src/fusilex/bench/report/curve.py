"""An oven run as a small drawing that a page carries in itself."""

from __future__ import annotations

import base64
from collections.abc import Mapping
from html import escape

import numpy as np
from numpy.typing import NDArray

WIDE, HIGH, LEFT, BELOW = 480.0, 170.0, 34.0, 18.0
MOST_POINTS = 240
SHADES = ("#7a4b12", "#1f5c57", "#8c2f39", "#54546c", "#6b7a3a", "#333333")


def curve_svg(time_s: NDArray[np.float64], probes_c: Mapping[str, NDArray[np.float64]], melting_c: float) -> str:
    """Temperatures of an oven run over time (s, °C), the paste's melting dashed, as SVG. Readings that are missing
    break their line.
    """
    values = np.concatenate([c[np.isfinite(c)] for c in probes_c.values()] or [np.zeros(1)])
    top = max(float(values.max(initial=0.0)), melting_c) * 1.06
    end = float(time_s[-1]) if len(time_s) and time_s[-1] > 0 else 1.0

    def x(s: float) -> float:
        return LEFT + (WIDE - LEFT - 4) * s / end

    def y(c: float) -> float:
        return (HIGH - BELOW) * (1 - c / top) + 4

    lines = []
    step = max(1, len(time_s) // MOST_POINTS)
    for n, (name, celsius) in enumerate(probes_c.items()):
        colour = SHADES[n % len(SHADES)]
        for run in _runs(time_s[::step], celsius[::step]):
            points = " ".join(f"{x(s):.1f},{y(c):.1f}" for s, c in run)
            lines.append(f'<polyline fill="none" stroke="{colour}" stroke-width="1.4" points="{points}"/>')
        lines.append(_words(WIDE - 80, 14 + 11 * n, escape(name[:14]), colour))
    for c in range(0, int(top), 50):
        lines.append(_level(y(c), 'stroke="#d8d2c6" stroke-width="0.6"'))
        lines.append(_words(2, y(c) + 3, f"{c}", "#5c6664"))
    lines.append(_level(y(melting_c), 'stroke="#5c6664" stroke-width="0.9" stroke-dasharray="5 3"'))
    for minute in range(0, int(end // 60) + 1):
        if x(60.0 * minute) < WIDE - 30:
            lines.append(_words(x(60.0 * minute), HIGH - 4, f"{minute} min", "#5c6664"))
    size = f'width="{WIDE:g}" height="{HIGH:g}" viewBox="0 0 {WIDE:g} {HIGH:g}"'
    return f'<svg xmlns="http://www.w3.org/2000/svg" {size}>{"".join(lines)}</svg>'


def as_image(svg: str) -> str:
    """A drawing as the address of an image, in itself."""
    return "data:image/svg+xml;base64," + base64.b64encode(svg.encode()).decode("ascii")


def _level(y: float, stroke: str) -> str:
    return f'<line x1="{LEFT}" x2="{WIDE - 4}" y1="{y:.1f}" y2="{y:.1f}" {stroke}/>'


def _words(x: float, y: float, text: str, colour: str) -> str:
    return f'<text x="{x:.1f}" y="{y:.1f}" font-size="9" font-family="sans-serif" fill="{colour}">{text}</text>'


def _runs(time_s: NDArray[np.float64], celsius: NDArray[np.float64]) -> list[list[tuple[float, float]]]:
    """Points of a line, broken where readings are missing."""
    runs: list[list[tuple[float, float]]] = [[]]
    for s, c in zip(time_s.tolist(), celsius.tolist(), strict=True):
        if c == c:
            runs[-1].append((s, c))
        elif runs[-1]:
            runs.append([])
    return [run for run in runs if len(run) > 1]
