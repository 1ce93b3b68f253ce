"""Every body of the design: size, height, mass, terminations, and where the numbers come from."""

from __future__ import annotations

from fusilex.bench import typed
from fusilex.core.design.model import Part
from fusilex.core.design.pad_evidence import pattern_of
from fusilex.core.judgement import Level
from fusilex.core.units import show_number
from fusilex.ui.desk import Desk
from fusilex.ui.keys import Key
from fusilex.ui.rows import Column, Rows
from fusilex.ui.view import View

_MASS_FROM = {"typical": "typical", "volume": "estimate", "workshop": "measured here"}


class PartsView(View):
    name = "Bodies"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        columns = [
            Column("package", 2.4),
            Column("parts", 0.6, True),
            Column("mm, height last", 1.7),
            Column("mass mg", 0.9, True),
            Column("mass is", 1.1),
            Column("pads", 2.4),
            Column("mark", 0.95),
        ]
        self.table = Rows("Bodies of this design", columns, "No parts yet.")
        self.table.picked.connect(lambda _: desk.changed.emit())
        self.column.addWidget(self.table, 1)

    def _groups(self) -> list[list[Part]]:
        groups: dict[str, list[Part]] = {}
        for part in self.bench.design.parts:
            if part.populated:
                groups.setdefault(part.package.code, []).append(part)
        return sorted(groups.values(), key=lambda g: (g[0].package.known, -g[0].package.mass_mg))

    def refresh(self) -> None:
        rows, marks = [], []
        for group in self._groups():
            body, part = group[0].package, group[0]
            pads = pattern_of(part.pads, (part.x, part.y), part.rotation_deg, part.side).words if part.pads else "none"
            long, wide = max(body.size_x, body.size_y), min(body.size_x, body.size_y)
            size = f"{show_number(long)} × {show_number(wide)} × {show_number(body.height)}"
            mark = "none"
            if body.polarised:
                mark = {"diode": "cathode", "led": "cathode", "electrolytic": "plus", "holder": "plus"}.get(
                    body.family, "pin 1"
                )
            rows.append(
                (
                    body.code or "no name",
                    str(len(group)),
                    size,
                    f"{body.mass_mg:.4g}",
                    _MASS_FROM[body.mass_from],
                    pads,
                    mark,
                )
            )
            marks.append(Level.CARE if not body.known else None)
        self.table.show_rows(rows, marks)

    @property
    def group(self) -> list[Part] | None:
        groups = self._groups()
        return groups[self.table.chosen] if groups else None

    def keys(self) -> list[Key]:
        return [
            Key("E", "correct size and mass", lambda _: self._edit()),
            Key("Up Down", "choose a body", lambda key: self.table.move(1 if key == "Down" else -1)),
        ]

    def _edit(self) -> None:
        if group := self.group:
            body = group[0].package
            given = f"{body.size_x:.4g} x {body.size_y:.4g} x {body.height:.4g} mm {body.mass_mg:.6g} mg {'marked' if body.polarised else 'unmarked'}"
            self.desk.ask(f"{body.code} measures", lambda text: self._edited(body.code, text), given)

    def _edited(self, code: str, text: str) -> None:
        if command := self.desk.read(lambda: typed.package(code, text)):
            self.desk.do(command, f"{code}: kept for every batch of this workshop.")

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        group = self.group
        if not group:
            return "", []
        refs = ", ".join(p.ref for p in group[:8]) + (" …" if len(group) > 8 else "")
        body = group[0].package
        return body.code, [
            ("for", refs),
            ("in the catalogue", "yes" if body.known else "no, size guessed"),
            ("kind", body.family),
            ("mounted", {"smd": "on pads", "tht": "in holes"}.get(body.mount, body.mount)),
        ]
