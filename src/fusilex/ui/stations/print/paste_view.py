"""The paste: jars as they stand, with their life, warmth and what is left; the air of the room."""

from __future__ import annotations

import math
from pathlib import Path

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen

from fusilex.bench.now import Now
from fusilex.bench.stations.print.jars import (
    BEAD_MG,
    ChooseJar,
    HandleJar,
    LogJar,
    NoteAir,
    ahead,
    air,
    jar_in_use,
    jars_of,
    per_panel_mg,
    state_of,
)
from fusilex.bench.stations.print.scales import read_room
from fusilex.bench.stations.print.typed_input import air_of
from fusilex.bench.workshop.paste_care import tau_h
from fusilex.bench.workshop.record_kinds import Jar
from fusilex.bench.workshop.records import Records, port_of
from fusilex.core.evidence import Level
from fusilex.core.judgement import worst_first
from fusilex.core.problems import BadInput
from fusilex.core.quantities import CELSIUS, write, write_celsius
from fusilex.core.wet_paste.air import dew_point
from fusilex.core.wet_paste.jar import JarState, judge_jar, warm_up_min
from fusilex.formats.bundle import read_one
from fusilex.ui.desk import Desk
from fusilex.ui.reading import Reading
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import judgement_mark, plain_text, shortened
from fusilex.ui.widgets.keys import Key

CENTRE = Qt.AlignmentFlag.AlignHCenter
FRIDGE_C = 5.0


class JarShelf(Card):
    """Jars of this paste side by side, drawn as jars: filled as far as they are full, the label by its life."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setAccessibleName("Jars of this paste")

    def draw(self, painter: QPainter) -> None:
        batch = self.desk.batch
        jars = jars_of(batch)
        if not jars:
            words = f"No jar of {batch.state.paste} paste is on record. F4 opens the workshop: N under Jars notes one."
            plain_text(painter, QRectF(24, 24, self.width() - 48, 80), words, "lead", "soft")
            return
        wide = min((self.width() - 40) / len(jars), theme.base * 30)
        left = (self.width() - wide * len(jars)) / 2
        in_use = jar_in_use(batch)
        for n, jar in enumerate(jars):
            self._jar(
                painter,
                jar,
                QRectF(left + n * wide, 14, wide, self.height() - 28),
                in_use is not None and jar.id == in_use.id,
            )

    def _jar(self, painter: QPainter, jar: Jar, box: QRectF, in_use: bool) -> None:
        batch = self.desk.batch
        state, (celsius, humidity, lately) = state_of(batch, jar), air(batch)
        level = worst_first(judge_jar(state, celsius, humidity, tau_h(jar), lately))[0].level
        words = theme.base * 10.5
        high = max(box.height() - words - theme.base * 3, theme.base * 8)
        across = min(high * (0.34 if jar.form == "syringe" else 0.82), box.width() - 24)
        glass = QRectF(box.center().x() - across / 2, box.top() + theme.base * 2.6, across, high - theme.base * 2.6)
        self._glass(painter, glass, jar, state, in_use)
        judgement_mark(painter, QPointF(box.center().x(), box.top() + high + theme.base * 1.4), 8, level)
        under = QRectF(box.left() + 4, box.top() + high + theme.base * 2.6, box.width() - 8, theme.base * 2.2)
        plain_text(painter, under, f"{jar.id}{'  in use' if in_use else ''}", "lead", "ink", True, CENTRE)
        for k, line in enumerate(said_of(state, jar, (celsius, humidity), per_panel_mg(batch)), 1):
            at = under.translated(0, theme.base * (0.4 + 2.0 * k))
            plain_text(painter, at, shortened(line, under.width()), "body", "soft", False, CENTRE)

    def _glass(self, painter: QPainter, glass: QRectF, jar: Jar, state: JarState, in_use: bool) -> None:
        lid = QRectF(glass.left() - 4, glass.top() - theme.base * 1.8, glass.width() + 8, theme.base * 1.8)
        painter.setPen(QPen(theme.colour("brass" if in_use else "ink"), 3 if in_use else 1.8))
        painter.setBrush(theme.colour("metal"))
        painter.drawRoundedRect(lid, 4, 4)
        body = QPainterPath()
        body.addRoundedRect(glass, 10, 10)
        painter.save()
        painter.setClipPath(body)
        painter.fillRect(glass, theme.colour("card"))
        share = min(1.0, state.left_g / jar.grams) if jar.grams else 0.0
        level = glass.bottom() - glass.height() * 0.92 * share
        painter.fillRect(QRectF(glass.left(), level, glass.width(), glass.bottom() - level), theme.colour("solder"))
        band = QRectF(glass.left(), glass.center().y() - glass.height() * 0.16, glass.width(), glass.height() * 0.32)
        painter.fillRect(band, theme.colour("ground"))
        text = "life not known"
        if state.life is not None:  # the bar on the label shrinks with the life that is left
            left = max(0.0, 1.0 - state.life)
            token = "stop" if left <= 0 else "care" if left < 0.2 else "go"
            painter.fillRect(QRectF(band.left(), band.bottom() - 7, band.width() * left, 7), theme.colour(token))
            text = f"{100 * left:.0f} % life left"
        words = band.adjusted(2, band.height() / 2 - theme.base * 1.3, -2, 0)
        plain_text(painter, words, shortened(text, words.width()), "body", "ink", True, CENTRE)
        painter.restore()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(body)


def said_of(state: JarState, jar: Jar, air: tuple[float, float | None], each_mg: float) -> list[str]:
    """What stands beneath a jar: what is left and for how many panels, how warm it is, since when it is open."""
    celsius, humidity = air
    panels = max(0, int((1000 * state.left_g - BEAD_MG) / each_mg)) if each_mg else 0
    wait = None if state.now_c is None else warm_up_min(state.now_c, celsius, humidity, tau_h(jar))
    warm = (
        "warmth unknown"
        if state.now_c is None or wait is None
        else f"{write_celsius(state.now_c)} inside"
        + (", may be opened" if wait <= 0 else "" if math.isinf(wait) else f", {wait:.0f} min more")
    )
    opened = (
        "not opened"
        if state.opened_h is None
        else f"opened {state.opened_h:.0f} h ago" + ("" if state.stirred else ", not stirred")
    )
    return [f"{state.left_g:.0f} g left" + (f", {panels} panels" if each_mg else ""), warm, opened]


class PasteView(View):
    name = "Paste"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.port = Reading(self, desk)
        self.shelf = JarShelf(desk)
        self.column.addWidget(self.shelf, 1)

    def refresh(self) -> None:
        self.shelf.update()

    def now(self) -> Now | None:
        jar = jar_in_use(self.batch)
        if jar is None:
            many = jars_of(self.batch)
            if many:
                return Now("Choose a jar", "J takes the next one. Its name goes into every board's record.")
            return Now("Note a jar", f"F4, then N under Jars: what {self.batch.state.paste} paste there is.")
        celsius, humidity, lately = air(self.batch)
        worst = worst_first(judge_jar(state_of(self.batch, jar), celsius, humidity, tau_h(jar), lately))[0]
        if worst.rule == "jar.cold" and worst.level is Level.STOP:
            return Now("Leave it closed", f"{worst.headline}. {worst.do}")
        if not lately:
            return Now("Read the room", "R, then °C and % such as 22 45: the dew point says when a jar may be opened.")
        if worst.level is Level.GO:
            return Now("The paste is fit", ahead(self.batch)[0].headline + ".")
        return Now(worst.headline, worst.do)

    def keys(self) -> list[Key]:
        jars, jar = jars_of(self.batch), jar_in_use(self.batch)
        keys = []
        if len(jars) > 1 or (jars and jar is None):
            keys.append(Key("J", "next jar", lambda _: self._next(jars, jar)))
        if jar is not None:
            keys += [
                Key("O", "opened", lambda _: self._handle(jar, "opened")),
                Key("S", "stirred", lambda _: self._handle(jar, "stirred")),
                Key("I", "into the fridge", lambda _: self._handle(jar, "in", FRIDGE_C)),
                Key("E", "taken out", lambda _: self._handle(jar, "out", air(self.batch)[0])),
                Key("L", "log of its sensor", lambda _: self._choose_log(jar)),
                Key("M", "finished", lambda _: self._handle(jar, "finished")),
            ]
        return [*keys, Key("R", "room", lambda _: self._room())]

    def _room(self) -> None:
        port = port_of(self.bench.workshop[Records], "air")
        if port:
            self.port.ask(lambda: read_room(port), self._room_read)
        else:
            self.desk.ask("Temperature in °C and humidity in %, such as 22 45", self._air)

    def _room_read(self, found: tuple[float, float]) -> None:
        self.desk.do(NoteAir(*found, how="sensor"), f"The sensor says {write(found[0], CELSIUS, 4)}, {found[1]:g} %.")

    def _next(self, jars: list[Jar], jar: Jar | None) -> None:
        ids = [j.id for j in jars]
        chosen = ids[(ids.index(jar.id) + 1) % len(ids)] if jar else ids[0]
        self.desk.do(ChooseJar(chosen), f"Paste comes from {chosen}.")

    def _handle(self, jar: Jar, action: str, celsius: float = 22.0) -> None:
        words = {"in": f"put away at {write_celsius(celsius)}", "out": "taken out, closed"}.get(action, action)
        self.desk.do(HandleJar(jar.id, action, celsius), f"{jar.id} {words}.")

    def _choose_log(self, jar: Jar) -> None:
        self.desk.choose_file(
            f"Log of the sensor beside {jar.id}", "Logs (*.csv *.txt)", lambda path: self._log(jar, path)
        )

    def _log(self, jar: Jar, path: str) -> None:
        try:
            data = read_one(Path(path))
        except BadInput as problem:
            self.desk.say(str(problem))
            return
        self.desk.do(LogJar(jar.id, Path(path).name, data), f"{Path(path).name} tells how {jar.id} was kept until now.")

    def _air(self, text: str) -> None:
        if found := self.desk.read(lambda: air_of(text)):
            told = write(found[0], CELSIUS, 4) + (f", {found[1]:g} %" if found[1] >= 0 else "")
            self.desk.do(NoteAir(*found), f"The room has {told}.")

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        celsius, humidity, lately = air(self.batch)
        _, pace, waiting = ahead(self.batch)
        dew = "unknown" if humidity is None else write_celsius(dew_point(celsius, humidity), 1)
        said = write(celsius, CELSIUS, 4) + ("" if humidity is None else f", {humidity:g} %") if lately else "not said"
        return "Paste", [
            ("room", said),
            ("dew point", dew if lately else "unknown"),
            ("a panel takes", f"{per_panel_mg(self.batch) / 1000:.2f} g"),
            ("parts that wait", str(waiting.parts)),
            ("a part takes", f"{pace.mean_s:.0f} s" + ("" if pace.count else ", usually")),
        ]
