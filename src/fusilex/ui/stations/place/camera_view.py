"""The bed under the camera: drive to a reference point, bring it under the crosshair by keys, take it."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QTransform

from fusilex.bench.now import Now
from fusilex.bench.stations.place.commands import BadPrint, HidePoint, TeachPoint
from fusilex.bench.stations.place.events import Placing
from fusilex.bench.stations.place.machine import place_step
from fusilex.bench.stations.place.programmed import lying, machine_of, placer_of
from fusilex.bench.stations.place.references import cell_in_hand, fit, per_board, points_to_teach
from fusilex.bench.workshop.placer import STAND_IN
from fusilex.core.placing.points import cell_of
from fusilex.core.placing.suggest import Candidate
from fusilex.core.quantities import MM, write, write_length
from fusilex.devices.bed_camera import TrueLie, covered, lie_of
from fusilex.devices.placer_world import Chances
from fusilex.ui.canvas.picture import BoardPictures
from fusilex.ui.desk import Desk
from fusilex.ui.stations.place.points import teach_other
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import plain_text
from fusilex.ui.widgets.keys import Key

FIELD_MM, STEP_MM, FINE_MM = 7.0, 0.5, 0.02
FIDUCIAL_MM, BARE_MM = 0.5, 1.0
BESIDE_MM = 0.3
"""The camera comes to lie this much left of and below where a point should be: it is brought there by what is seen,
always from the same side, and not taken from what was reckoned.
"""
WAYS = {"Left": (-1, 0), "Right": (1, 0), "Up": (0, 1), "Down": (0, -1)}


class CameraPicture(Card):
    """What the camera sees around its crosshair; `at` is where it looks (mm, bed)."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.pictures = BoardPictures(desk.art)
        self.at = (0.0, 0.0)
        self.lie = TrueLie(0.0, 0.0, 0.0, 1.0)
        self.hidden: set[str] = set()
        self.words = ""
        self.setAccessibleName("The bed under the camera")

    def draw(self, painter: QPainter) -> None:
        batch = self.desk.batch
        panel, side = batch.panel, place_step(batch).side
        room = QRectF(self.rect()).adjusted(4, 4, -4, -4)
        scale = min(room.width(), room.height()) / FIELD_MM
        middle = room.center()
        painter.save()
        painter.setClipRect(room)
        painter.fillRect(room, theme.colour("body"))
        painter.translate(middle)
        painter.scale(scale, -scale)
        painter.translate(-self.at[0], -self.at[1])
        angle = math.radians(self.lie.turn)
        cos, sin = self.lie.scale * math.cos(angle), self.lie.scale * math.sin(angle)
        painter.setTransform(QTransform(cos, sin, -sin, cos, self.lie.dx, self.lie.dy), True)
        if side == "bottom":
            painter.setTransform(QTransform(-1, 0, 0, 1, panel.width, 0), True)
        painter.fillRect(QRectF(0, 0, panel.width, panel.height), theme.colour("board"))
        x0, y0, *_ = self.desk.bench.design.outline.bounds
        sees = self.lie.on_panel(*self.at)
        sees = (panel.width - sees[0], sees[1]) if side == "bottom" else sees
        reach = FIELD_MM * max(room.width(), room.height()) / min(room.width(), room.height())
        for cell in panel.cells:
            turn, shift = panel.place(cell)
            dx, dy = shift - turn @ (x0, y0)
            left, low, right, high = panel.box(cell)
            if not (left - reach < sees[0] < right + reach and low - reach < sees[1] < high + reach):
                continue  # out of the field
            painter.save()
            way = QTransform(turn[0, 0], turn[1, 0], turn[0, 1], turn[1, 1], float(dx), float(dy))
            painter.setTransform(way, True)
            self.pictures.paint_layers(painter, side, ("copper", "exposed", "silk", "paste"))
            painter.restore()
        painter.setPen(Qt.PenStyle.NoPen)
        for name, x, y in panel.fiducials:
            painter.setBrush(theme.colour("track"))
            painter.drawEllipse(QPointF(x, y), BARE_MM, BARE_MM)
            painter.setBrush(theme.colour("body_light" if name in self.hidden else "gold"))
            size = BARE_MM * 1.2 if name in self.hidden else FIDUCIAL_MM
            painter.drawEllipse(QPointF(x, y), size, size)
        painter.restore()
        painter.setPen(QPen(theme.colour("lit"), 1.5))
        painter.drawLine(QPointF(room.left(), middle.y()), QPointF(room.right(), middle.y()))
        painter.drawLine(QPointF(middle.x(), room.top()), QPointF(middle.x(), room.bottom()))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(middle, FIDUCIAL_MM * scale, FIDUCIAL_MM * scale)
        foot = QRectF(room.left(), room.bottom() - theme.base * 2.6, room.width(), theme.base * 2.6)
        painter.fillRect(foot, theme.colour("card", 225))
        plain_text(painter, foot.adjusted(10, 3, -10, 0), self.words, "body", "ink")


class CameraView(View):
    name = "Camera"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.picture, self.chances = CameraPicture(desk), Chances()
        self.column.addWidget(self.picture, 1)
        self._for: object = None
        self._came_to = (0.0, 0.0)
        self._jogged: dict[str, float] = {}

    @property
    def panel(self) -> int:
        return self.bench.board.panel

    @property
    def simulated(self) -> bool:
        """True where the machine is simulated, and its camera with it: no other has a picture here."""
        return placer_of(self.batch).port == STAND_IN

    def wanted(self) -> list[Candidate]:
        """Points still to be taught, those first without which nothing is known."""
        known = self.batch.state[Placing].taught.get((self.panel, place_step(self.batch).id), {})
        return [c for c in points_to_teach(self.batch, self.panel)[0] if c.name not in known]

    def refresh(self) -> None:
        machine = machine_of(self.batch)
        self.picture.lie = lie_of(machine.board, self.panel)
        step = place_step(self.batch).id
        names = [name for name, _, _ in self.batch.panel.fiducials]
        said = self.batch.state[Placing].hidden.get((self.panel, step), ())
        self.picture.hidden = {*said, *covered(names, self.panel, self.chances.hidden)}
        following = next(iter(self.wanted()), None)
        key = self.panel, step, following.name if following else ""
        if key != self._for:
            self._for = key
            self._drive(following)
        x, y = self.picture.at
        self.picture.setVisible(self.simulated)
        self.picture.words = f"SIMULATED   x {write_length(x)}  y {write_length(y)}" + (
            f"   looking for {following.name}" if following else ""
        )
        self.picture.update()

    def _drive(self, point: Candidate | None) -> None:
        """To where a point should be, by what is known."""
        machine = machine_of(self.batch)
        if point is not None:
            way = lying(self.batch, self.panel, machine, place_step(self.batch).side)
            x, y = way.lay(np.array([[point.x, point.y]]))[0]
            self._came_to = self.picture.at = round(float(x) - BESIDE_MM, 4), round(float(y) - BESIDE_MM, 4)
            self._jogged = {}
        elif self.picture.at == (0.0, 0.0):
            self.picture.at = machine.board

    def now(self) -> Now | None:
        if not self.simulated:
            return Now(
                "No picture from this camera", "Jog on the machine itself, and type what it reads, with T at Place."
            )
        following = next(iter(self.wanted()), None)
        if following is None:
            return Now(
                "All points are taught", "Look at the print with the arrows; W sends the panel back to Print.", 1.0
            )
        cell = cell_of(self.batch.panel, following.name) if per_board(self.batch) else None
        told = "" if fit(self.batch, self.panel, cell) is None else " This one finds a wrong one among the others."
        step, fine = write(STEP_MM, MM, 4), write(FINE_MM, MM, 4)
        return Now(
            f"Bring {following.name} under the cross",
            f"Arrows move {step}, with Shift {fine}. Enter takes it, H where it is hidden.{told}",
        )

    def keys(self) -> list[Key]:
        if not self.simulated:
            return [Key("W", "bad print: back", lambda _: self._bad(), True), Key("G", *teach_other(self.desk))]
        return [
            Key("Left Right Up Down", write(STEP_MM, MM, 4), lambda key: self._jog(key, STEP_MM)),
            Key(
                "Shift+Left Shift+Right Shift+Up Shift+Down",
                write(FINE_MM, MM, 4),
                lambda key: self._jog(key, FINE_MM),
            ),
            Key("Enter", "take the point", lambda _: self._take(), True),
            Key("H", "hidden: another", lambda _: self._hide(), True),
            Key("G", *teach_other(self.desk)),
            Key("W", "bad print: back", lambda _: self._bad(), True),
        ]

    def _jog(self, key: str, step: float) -> None:
        dx, dy = WAYS[key.removeprefix("Shift+")]
        self._jogged["x" if dx else "y"] = min(step, self._jogged.get("x" if dx else "y", step))
        machine, (x, y) = machine_of(self.batch), self.picture.at
        x, y = min(max(x + dx * step, 0.0), machine.width), min(max(y + dy * step, 0.0), machine.depth)
        self.picture.at = round(x, 4), round(y, 4)
        self.desk.say("")

    def _take(self) -> None:
        following = next(iter(self.wanted()), None)
        if following is None:
            self.desk.say("Every point that helps is taught.")
        elif any(now == before for now, before in zip(self.picture.at, self._came_to, strict=True)):
            self.desk.say(f"Bring {following.name} under the cross with the arrows, along x and along y.")
        else:
            read = max(self._jogged.values())
            self.desk.do(TeachPoint(self.panel, following.name, *self.picture.at, read), f"{following.name} taught.")

    def _hide(self) -> None:
        if following := next(iter(self.wanted()), None):
            self.desk.do(
                HidePoint(self.panel, following.name), f"{following.name} is hidden: another stands in for it."
            )

    def _bad(self) -> None:
        panel = self.panel
        self.desk.do(BadPrint(panel), f"Panel {panel} goes back to Print: wash it, print it again.")

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        known = self.batch.state[Placing].taught.get((self.panel, place_step(self.batch).id), {})
        rows = [("taught", ", ".join(known) or "nothing yet"), ("field", f"{write(FIELD_MM, MM, 4)}, simulated")]
        if (found := fit(self.batch, self.panel, cell_in_hand(self.batch))) is not None:
            rows += [("turn", f"{found.rotation_deg:.3f}°"), ("RMS", write_length(found.rms_mm, 3))]
        return f"Panel {self.panel}", rows
