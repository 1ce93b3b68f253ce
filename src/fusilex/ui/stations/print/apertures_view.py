"""Apertures: each by its risk, and what another foil, a coating or a finer powder would change, before it is chosen."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PyQt6.QtGui import QPainter

from fusilex.bench.stations.print.commands import ChooseFoil
from fusilex.bench.stations.print.dots import ChooseNeedle, bore
from fusilex.bench.stations.print.judging import BY_NEEDLE, coated, foil_and_paste, ground_here
from fusilex.bench.workshop.records import Records
from fusilex.core.evidence import Level
from fusilex.core.printing.apertures import Apertures
from fusilex.core.printing.dots import BORES, dot_levels, dot_volume
from fusilex.core.printing.paste import POWDER_TYPES, paste_mass_mg
from fusilex.core.printing.reduce import Reduction, reduced, reductions
from fusilex.core.printing.release import worst_parts
from fusilex.core.printing.risks import WHYS, Risks, changed, risks
from fusilex.core.quantities import MM, write, write_fixed
from fusilex.formats.written.paste_layer import paste_gerber
from fusilex.ui.canvas.paths import paths_of
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.stations.print.art import name_part, wrong_side
from fusilex.ui.stations.print.board_view import BoardView
from fusilex.ui.stations.print.mid_batch import in_mid_batch
from fusilex.ui.stations.print.ratio_chart import RatioChart
from fusilex.ui.theme import theme
from fusilex.ui.widgets.keys import Key

LEAST, MOST, STEP = 0.08, 0.20, 0.01
LEFT = ("taken", "left as drawn")
WORDS = {
    "dot": "a dot is too much",
    "release": "release",
    "powder": "powder too coarse",
    "land": "over its land",
    "web": "thin web",
}


class AperturesView(BoardView[RatioChart]):
    name = "Openings"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk, RatioChart())
        self._foil: float | None = None
        self._coated: bool | None = None
        self._powder: int | None = None
        self._bore: float | None = None
        self._suggested: list[Reduction] | None = None
        self._in_hand, self._left_out = 0, set[int]()
        self._of: Apertures | None = None

    @property
    def foil(self) -> float:
        """The foil looked at: another one than the batch's while somebody tries one."""
        return self._foil if self._foil is not None else foil_and_paste(self.batch, self.bench.board)[0]

    @property
    def powder(self) -> int | None:
        if self._powder is not None:
            return self._powder
        return self.bench.workshop[Records].paste(foil_and_paste(self.batch, self.bench.board)[1]).powder or None

    @property
    def coat(self) -> bool:
        return coated(self.batch) if self._coated is None else self._coated

    @property
    def by_needle(self) -> bool:
        return self.batch.step.method in BY_NEEDLE

    @property
    def bore(self) -> float:
        return self._bore if self._bore is not None else bore(self.batch)

    @property
    def trying(self) -> bool:
        return (self._foil, self._coated, self._powder, self._bore) != (None, None, None, None)

    def found(self) -> Risks:
        """Risks as looked at; by syringe, whether a dot suits the pad."""
        if self.by_needle:
            return self._dotted(self.bore)
        return risks(ground_here(self.batch), self.foil, self.powder, self.coat)

    def _dotted(self, bore_mm: float) -> Risks:
        levels = dot_levels(self.apertures, self.batch.state.foil_mm, dot_volume(bore_mm))
        here = ground_here(self.batch)
        return Risks(
            self.apertures, levels, np.where(levels > 0, WHYS.index("dot"), 0), here.beyond, here.web, here.web
        )

    def differences(self) -> dict[str, tuple[Level, Level]]:
        """Parts that what is tried would change."""
        foil, paste = foil_and_paste(self.batch, self.bench.board)
        powder = self.bench.workshop[Records].paste(paste).powder or None
        if self.by_needle:
            return changed(self._dotted(bore(self.batch)), self.found())
        now = risks(ground_here(self.batch), foil, powder, coated(self.batch))
        return changed(now, self.found())

    def refresh(self) -> None:
        if self.apertures is not self._of:  # another side, or another design: nothing tried here counts there
            self._of, self._suggested = self.apertures, None
            self._foil = self._coated = self._powder = self._bore = None
        what = f"{write_fixed(self.foil, 'mm', 2)} foil{', coated' if self.coat else ''}"
        if self.by_needle:
            what = f"needle of {write(self.bore, MM, 4)}"
        self.chart.setVisible(not self.by_needle)
        if self._suggested is not None:
            count = len(self._suggested)
            taken = count - len(self._left_out)
            self.board.caption = f"{taken} of {count} suggestions: as drawn in red, better in paste"
        else:
            self.board.caption = f"{'What if: ' if self.trying else ''}{what}, powder {self.powder or 'unknown'}"
        changes = self.differences() if self.trying else {}
        told = ", ".join(f"{ref} {was.words} to {now.words}" for ref, (was, now) in list(changes.items())[:6])
        self.board.footer = (told or "nothing changes") if self.trying else self._worst()
        if self._suggested:
            self.board.footer = self._told(self._suggested[self._in_hand])
        self.board.update()
        self.chart.show_apertures(self.apertures, self.foil, self.coat)

    def _told(self, reduction: Reduction) -> str:
        """The suggestion in hand, and whether it is taken."""
        share = f"{100 * reduction.share(self.apertures):.0f} % of its area"
        return f"{reduction.ref}: {reduction.words}, {share}, {LEFT[self._in_hand in self._left_out]}"

    def taken(self) -> list[Reduction]:
        """The suggestions that are not left out."""
        return [r for n, r in enumerate(self._suggested or []) if n not in self._left_out]

    def _worst(self) -> str:
        found = self.found()
        bad = np.flatnonzero(found.levels > 0)
        refs = list(dict.fromkeys(f"{found.apertures.refs[i]}: {WORDS[WHYS[found.why[i]]]}" for i in bad.tolist()))
        return ", ".join(refs[:5]) + (" …" if len(refs) > 5 else "")

    def paint_over(self, painter: QPainter, canvas: BoardCanvas) -> None:
        side = self.batch.step.side
        if wrong_side(painter, canvas, side):
            return
        found = self.found()
        if self._suggested is not None:
            self._paint_suggested(painter, canvas)
            return
        key = (self.apertures, self.foil, self.powder, self.coat, self.bore if self.by_needle else 0)
        self.art.paint(painter, canvas, key, self.apertures.polygons, found.levels)
        if self.trying:
            for ref, (_, now) in list(self.differences().items())[:12]:
                name_part(painter, canvas, ref, f"{ref} {now.words}")
            return
        for worst in () if self.by_needle else worst_parts(self.apertures, self.foil, self.coat)[:1]:
            name_part(painter, canvas, worst.ref, f"{worst.ref} {worst.area_ratio:.2f}")

    def _paint_suggested(self, painter: QPainter, canvas: BoardCanvas) -> None:
        """Before and after: what goes in red, what comes in paste, the rest as it is."""
        found = self.taken()
        gone = {i for r in found for i in r.drop}
        kept = [p for i, p in enumerate(self.apertures.polygons) if i not in gone]
        painter.setTransform(canvas.transform(), True)
        for polygons, token in (
            (kept, "paste"),
            ([self.apertures.polygons[i] for i in sorted(gone)], "stop"),
            ([p for r in found for p in r.polygons], "paste"),
        ):
            painter.setBrush(theme.colour(token))
            painter.setPen(theme.colour(token))
            for path in paths_of(np.array(polygons, dtype=object)):
                painter.fillPath(path, theme.colour(token))
        painter.resetTransform()
        if self._suggested:
            here = self._suggested[self._in_hand]
            name_part(painter, canvas, here.ref, here.ref)

    def keys(self) -> list[Key]:
        if self._suggested is not None:
            word = "leave as drawn" if self._in_hand not in self._left_out else "take it"
            return [
                Key("Space", word, lambda _: self._leave()),
                Key("Left Right", "suggestion", lambda k: self._next(1 if k == "Right" else -1)),
                Key("X", "write the paste layer", lambda _: self._ask_file()),
                Key("R Esc", "as drawn", lambda _: self._suggest(False)),
            ]
        if self.by_needle:
            tried = [
                Key("Enter", f"take {write(self.bore, MM, 4)}", lambda _: self._take_needle()),
                Key("Esc", "as it is", lambda _: self._back()),
            ]
            return [*(tried if self.trying else ()), Key("+ -", "wider, finer needle", self._wider)]
        keys = [
            Key("+ -", "thicker, thinner foil", self._thicker),
            Key("C", "coated or not", lambda _: self._try(coat=not self.coat)),
            Key("Q", "powder", lambda _: self._try(powder=self._next_powder())),
            Key("R", "suggestions", lambda _: self._suggest(True)),
        ]
        if self.trying:
            take = Key("Enter", f"take {write_fixed(self.foil, 'mm', 2)}", lambda _: self._take())
            keys = [*([take] if self._foil is not None else []), Key("Esc", "as it is", lambda _: self._back()), *keys]
        return keys

    def _thicker(self, key: str) -> None:
        wanted = round(self.foil + (STEP if key == "+" else -STEP), 3)
        self._try(foil=min(max(wanted, LEAST), MOST))

    def _wider(self, key: str) -> None:
        """The next needle there is, wider or finer."""
        there = sorted(BORES.values())
        beyond = (
            [b for b in there if b > self.bore + 1e-9]
            if key == "+"
            else [b for b in there[::-1] if b < self.bore - 1e-9]
        )
        if beyond:
            self._bore = beyond[0]
            self.desk.say("Nothing is chosen by trying.")

    def _take_needle(self) -> None:
        chosen = self.bore
        self._back()
        self.desk.do(ChooseNeedle(chosen), f"Needle of {write(chosen, MM, 4)}.")

    def _next_powder(self) -> int:
        types = [number for number, _ in POWDER_TYPES]
        return types[(types.index(self.powder) + 1) % len(types)] if self.powder in types else types[0]

    def _try(self, foil: float | None = None, coat: bool | None = None, powder: int | None = None) -> None:
        self._foil = foil if foil is not None else self._foil
        self._coated = coat if coat is not None else self._coated
        self._powder = powder if powder is not None else self._powder
        self.desk.say("Nothing is chosen by trying." if self.trying else "")

    def _back(self) -> None:
        self._foil = self._coated = self._powder = self._bore = None
        self.desk.say("")

    def _take(self) -> None:
        foil, done = self.foil, f"Foil {write_fixed(self.foil, 'mm', 2)}."
        self._back()
        in_mid_batch(self.desk, done, lambda reason: self.desk.do(ChooseFoil(foil, reason), done))

    def _suggest(self, show: bool) -> None:
        found = reductions(ground_here(self.batch), self.foil) if show else None
        if found == []:
            self.desk.say("Nothing to better: every opening fits its land, its neighbours and its pad.")
            return
        self._suggested, self._in_hand, self._left_out = found, 0, set()
        self.desk.say("")

    def _next(self, by: int) -> None:
        self._in_hand = (self._in_hand + by) % max(1, len(self._suggested or []))
        self.desk.say("")

    def _leave(self) -> None:
        self._left_out ^= {self._in_hand}
        self._next(1)

    def _ask_file(self) -> None:
        self.desk.ask("Write the paste layer as", self._write, f"paste-{self.batch.step.side}-reduced.gbr")

    def _write(self, name: str) -> None:
        if not name.strip():
            return
        polygons, names = reduced(self.apertures, self.taken())
        text = paste_gerber(polygons, names, self.batch.step.side, self.batch.design.name)
        self.desk.write(Path(name.strip()), text.encode(), f"{name.strip()} is written: {len(names)} openings.")

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        batch = self.batch
        sheet = batch.workshop[Records].paste(foil_and_paste(batch, batch.board)[1])
        per_board = paste_mass_mg(self.apertures, self.foil, sheet.paste)
        return "Paste", [
            ("per board", f"{per_board:.0f} mg"),
            ("per panel", f"{per_board * batch.panel.count / 1000:.2f} g"),
            ("alloy", sheet.alloy),
            ("foil", write(self.foil, MM)),
            ("openings", str(len(self.apertures))),
        ]
