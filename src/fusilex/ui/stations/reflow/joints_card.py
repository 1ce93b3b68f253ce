"""What a run left in its joints, part by part, those to look at first in front."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter

from fusilex.bench.boards import Load
from fusilex.bench.common.doubtful import WHY
from fusilex.core.evidence import Level
from fusilex.core.heat.group import WORST, Group
from fusilex.core.quantities import write_celsius, write_give
from fusilex.core.units import clock
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import judgement_mark, plain_text

LEVELS = {"cold": Level.STOP, "short": Level.CARE, "hot": Level.CARE, "open": Level.UNKNOWN, "kept": Level.GO}


class JointsCard(Card):
    """`show_load` gives it a load, or None."""

    def __init__(self) -> None:
        super().__init__()
        self.load: Load | None = None
        self.setMinimumWidth(round(theme.base * 17))
        self.setMaximumWidth(round(theme.base * 26))
        self.setAccessibleName("Joints after the run")

    def show_load(self, load: Load | None) -> None:
        self.load = load
        self.setVisible(load is not None and bool(load.joints))
        self.update()

    def draw(self, painter: QPainter) -> None:
        load, wide = self.load, self.width() - 28.0
        if load is None:
            return
        title = "Joints, part by part" if load.log else "Joints as predicted, the last first"
        plain_text(painter, QRectF(14, 8, wide, theme.base * 2.2), title, "body", "soft")
        y = theme.base * 3.2
        groups = by_part(load.joints)
        line = theme.base * 2.0
        each = 2 * line + theme.base * 0.6
        kept = sum(g.verdict == "kept" for g in load.joints)
        foot = f"{kept} of {len(load.joints)} kept the window" if load.log else "Nobody measured"
        room = max(1, int((self.height() - y - 2 * line - 8) / each))
        for verdict, part, own in groups[:room]:
            judgement_mark(painter, QPointF(22, y + line * 0.5), 6, LEVELS[verdict])
            cells = ", ".join(str(c + 1) for c in sorted(g.cell for g in own))
            name = f"{part}  cell{'s' if len(own) > 1 else ''} {cells}"
            plain_text(painter, QRectF(38, y, wide - 24, line), name, "body", "ink", True)
            plain_text(painter, QRectF(38, y + line, wide - 24, line), _words(verdict, own), "small", "soft")
            y += each
        more = f", {len(groups) - room} more parts" if len(groups) > room else ""
        box = QRectF(14, self.height() - 2 * line - 8, wide, 2 * line)
        plain_text(painter, box, f"{foot}{more}", "body", "ink", False, Qt.AlignmentFlag.AlignLeft)


def by_part(joints: tuple[Group, ...]) -> list[tuple[str, str, list[Group]]]:
    """Verdict, part, and its groups over the boards of a panel, worst first."""
    by: dict[tuple[str, str], list[Group]] = {}
    for group in joints:
        by.setdefault((group.verdict, group.part), []).append(group)
    rows = [(verdict, part, own) for (verdict, part), own in by.items()]
    return sorted(rows, key=lambda row: WORST.index(row[0]))


def _words(verdict: str, own: list[Group]) -> str:
    """The worst of a part's groups in numbers."""
    worst = min(own, key=lambda g: (g.seconds, g.peak_c))
    sure = worst.peak95 == worst.peak95
    peak = write_give(worst.peak_c, worst.peak95, "°C") if sure else write_celsius(worst.peak_c)
    if worst.melts_s != worst.melts_s:
        return f"{WHY['cold']}: {peak}"
    return f"at {clock(worst.melts_s)} for {worst.seconds:.0f} s, {peak}"
