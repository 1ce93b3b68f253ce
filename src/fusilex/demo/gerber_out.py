"""Writing the demo's layers as Gerber X2, drill files and netlist: plain statements, 4.6 format, millimetres."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from msgspec import Struct, field
from shapely import Polygon

from fusilex.demo.described import Described

STAMP = "2026-09-14T08:00:00+00:00"


def _n(value: float) -> str:
    return str(round(value * 1_000_000))


class GerberWriter(Struct):
    """Collects drawing statements of one layer; `text()` gives the whole file."""

    function: str
    polarity: str = "Positive"
    board: Described | None = None
    body: list[str] = field(default_factory=list)
    apertures: dict[tuple[str, str], int] = field(default_factory=dict)
    object_attributes: dict[str, str] = field(default_factory=dict)
    selected: int | None = None

    def _select(self, shape: str, function: str) -> None:
        code = self.apertures.setdefault((shape, function), 10 + len(self.apertures))
        if code != self.selected:
            self.body.append(f"D{code}*")
            self.selected = code

    @property
    def x2(self) -> bool:
        return self.board is None or self.board.x2

    def _attributes(self, wanted: dict[str, str]) -> None:
        if self.x2 and wanted != self.object_attributes:
            if self.object_attributes:
                self.body.append("%TD*%")
            self.body += [f"%TO{name},{value}*%" for name, value in wanted.items()]
            self.object_attributes = wanted

    def flash(
        self, x: float, y: float, shape: str, function: str = "", attributes: dict[str, str] | None = None
    ) -> None:
        self._attributes(attributes or {})
        self._select(shape, function)
        self.body.append(f"X{_n(x)}Y{_n(y)}D03*")

    def stroke(
        self,
        points: Sequence[tuple[float, float]],
        width: float,
        function: str = "",
        attributes: dict[str, str] | None = None,
    ) -> None:
        self._attributes(attributes or {})
        self._select(f"C,{width:.6f}", function)
        self.body.append(f"X{_n(points[0][0])}Y{_n(points[0][1])}D02*")
        self.body += [f"X{_n(x)}Y{_n(y)}D01*" for x, y in points[1:]]

    def regions(self, polygons: Iterable[Polygon], attributes: dict[str, str] | None = None) -> None:
        """Polygons with holes: dark outline, then clear holes; largest first so that islands in holes survive."""
        self._attributes(attributes or {})
        for polygon in sorted(polygons, key=lambda p: -Polygon(p.exterior).area):
            self._ring(polygon.exterior.coords)
            if polygon.interiors:
                self.body.append("%LPC*%")
                for ring in polygon.interiors:
                    self._ring(ring.coords)
                self.body.append("%LPD*%")

    def _ring(self, coords: Iterable[tuple[float, float]]) -> None:
        points = list(coords)
        self.body += ["G36*", f"X{_n(points[0][0])}Y{_n(points[0][1])}D02*"]
        self.body += [f"X{_n(x)}Y{_n(y)}D01*" for x, y in points[1:]]
        self.body.append("G37*")

    def text(self) -> str:
        attributes = [
            "%TF.GenerationSoftware,Fusilex,demo*%",
            f"%TF.CreationDate,{STAMP}*%",
            "%TF.ProjectId,Heron,4865726f6e2d5232,R2*%",
            "%TF.SameCoordinates,Original*%",
            f"%TF.FileFunction,{self.function}*%",
            f"%TF.FilePolarity,{self.polarity}*%",
        ]
        head = [*(attributes if self.x2 else []), "%FSLAX46Y46*%", "%MOMM*%", "%LPD*%", "G01*"]
        for (shape, function), code in self.apertures.items():
            function = function if self.x2 else ""
            if function:
                head.append(f"%TA.AperFunction,{function}*%")
            head.append(f"%ADD{code}{shape}*%")
            if function:
                head.append("%TD*%")
        return "\n".join([*head, *self.body, *(["%TD*%"] if self.object_attributes else []), "M02*", ""])


def excellon(holes: Sequence[tuple[float, float, float]], plated: bool) -> str:
    """Drill file of (x, y, diameter) holes, mm with decimal point."""
    kind = "Plated,1,2,PTH" if plated else "NonPlated,1,2,NPTH"
    sizes = sorted({d for _, _, d in holes})
    lines = ["M48", f"; #@! TF.FileFunction,{kind}", "FMAT,2", "METRIC,TZ"]
    lines += [f"T{i}C{d:.3f}" for i, d in enumerate(sizes, 1)] + ["%", "G90", "G05"]
    for i, size in enumerate(sizes, 1):
        lines.append(f"T{i}")
        lines += [f"X{x:.3f}Y{y:.3f}" for x, y, d in holes if d == size]
    return "\n".join([*lines, "M30", ""])


def ipc356(
    records: Sequence[tuple[str, str, str, float, float, float, float, float, str | None]], title: str = "Heron R2"
) -> str:
    """Netlist of (net, ref, pin, x, y, w, h, drill, side) records in IPC-D-356A columns, metric. Ref '' marks a via."""
    job = title.upper().replace(" ", "-")
    lines = [f"C  {title} netlist", f"P  JOB   {job}", "P  CODE  00", "P  UNITS CUST 1", "P  VER   IPC-D-356A"]
    for net, ref, pin, x, y, w, h, drill, side in records:
        kind = "317" if drill else "327"
        hole = f"D{round(drill * 1000):04d}P" if drill else "      "
        access = {"top": "01", "bottom": "02"}.get(side or "", "00")
        refpin = f"{(ref or 'VIA'):<6}-{pin:<4}" if ref else "VIA        "
        line = f"{kind}{net:<14}   {refpin} {hole}A{access}X{round(x * 1000):+07d}Y{round(y * 1000):+07d}"
        lines.append(
            f"{line}X{round(w * 1000):04d}Y{round(h * 1000):04d}R000"
            f" S{0 if side is None else 1 if side == 'bottom' else 2}"
        )
    return "\n".join([*lines, "999", ""])
