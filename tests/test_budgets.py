"""Each budget of a reader, made small: what is beyond it is refused by a sentence that names it, what is within is read."""

from __future__ import annotations

import io
import os
import random
import zipfile
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import shapely
from conftest import HERON, OpenWindow
from openpyxl import Workbook

from fusilex.app import main
from fusilex.bench.intake.design import read_design
from fusilex.bench.record.bench import Bench
from fusilex.core.design.clusters import candidates
from fusilex.core.overlay import pairs_meeting
from fusilex.core.problems import BadInput
from fusilex.core.progress import Left, asking
from fusilex.core.spelling import spelt
from fusilex.core.values import read_value
from fusilex.formats.bundle import Files, read_one
from fusilex.formats.layers.excellon import read_excellon
from fusilex.formats.layers.gerber import read_gerber
from fusilex.formats.lists.grids import grids_of
from fusilex.formats.lists.opportunities import read_opportunities

HEAD = "%FSLAX46Y46*%\n%MOMM*%\n%ADD10C,0.2*%\nG01*\nD10*\n"
DOTS = "".join(f"X{n}000000Y0D03*\n" for n in range(40))
RING = "G36*\nX0Y0D02*\nX9000000D01*\nX9000000Y9000000D01*\nX4000000Y2000000D01*\nX0Y9000000D01*\nX0Y0D01*\nG37*\n"
CUTS = "X0Y0D02*\nX30000000D01*\n" + "".join(f"%LP{'CD'[n % 2]}*%\nX{n}000000Y0D03*\n" for n in range(30))
ARC = "G75*\nX0Y0D02*\nG03*\nX0Y0I9000000J0D01*\nG01*\n"
LAYERS, OPPORTUNITIES = "fusilex.formats.layers.", "fusilex.formats.lists.opportunities."


def layer(body: str) -> Callable[[], object]:
    return lambda: read_gerber(f"{HEAD}{body}M02*\n".encode(), "x.gbr")


def drill() -> object:
    spots = "".join(f"X{n}.0Y1.0\n" for n in range(30))
    return read_excellon(f"M48\nMETRIC\nT1C0.3\n%\nT1\n{spots}M30\n".encode(), "x.drl")


def sheet() -> object:
    book, out = Workbook(), io.BytesIO()
    for _ in range(20):
        book.active.append(["R1", 1, "10k"])
    book.save(out)
    grids_of.cache_clear()
    return grids_of(out.getvalue(), "x.xlsx")


def table() -> object:
    grids_of.cache_clear()
    return grids_of(b"ref,value\n" + b"R1,10k\n" * 30, "x.csv")


def chances() -> object:
    return read_opportunities(b"fault,who\n" + b"0,K\n" * 30, "x.csv")


def pads() -> object:
    return candidates(shapely.box(np.arange(30) * 0.8, 0, np.arange(30) * 0.8 + 0.4, 0.5))


@pytest.mark.parametrize(
    ("limit", "small", "read", "said"),
    [
        (LAYERS + "stream.MOST_OPERATIONS", 20, layer(DOTS), "at most 20 drawing operations; found more"),
        (LAYERS + "recorder.MOST_OBJECTS", 20, layer(DOTS), "at most 20 drawn objects; found 40"),
        (LAYERS + "shapes.MOST_CORNERS", 3, layer(RING), "a contour of 6 corners, where 3 are the most"),
        (LAYERS + "gerber.MOST_CUTS", 5, layer(CUTS), "more than 5 cuts of clear areas"),
        (LAYERS + "state.MOST_PRIMITIVES", 1, layer("%AMM*1,1,1,0,0*1,1,1,2,0*%\n%ADD11M*%\n"), "at most 1 primitives"),
        (LAYERS + "state.MOST_APERTURES", 9, layer("".join(f"%ADD{n}C,1*%\n" for n in range(11, 25))), "at most 9 apertures"),
        (LAYERS + "shapes.MOST_ARC_CORNERS", 50, layer(ARC), "arcs of more than 50 corners together"),
        (OPPORTUNITIES + "MOST_CELLS", 20, chances, "at most 20 cells; found more"),
        (LAYERS + "stream.MOST_MM", 10, layer(DOTS), "a board within 0.01 m; found something at 39 mm"),
        (LAYERS + "excellon.MOST_LINES", 20, drill, "at most 20 lines; found 36"),
        (LAYERS + "excellon.MOST_MM", 10, drill, "holes within 0.01 m; found one at 10, 1 mm"),
        ("fusilex.formats.lists.grids.MOST_ROWS", 20, table, "at most 20 lines; found 32"),
        ("fusilex.formats.lists.grids.MOST_CELLS", 20, table, "at most 20 cells; found more than 31"),
        ("fusilex.formats.lists.grids.MOST_SHEET_CELLS", 20, sheet, "sheet1.xml: expected at most 20 cells"),
        ("fusilex.core.design.pad_rows.MOST_PADS", 20, pads, "at most 20 pads on a side; found 30"),
        ("fusilex.core.design.pad_rows.MOST_PAIRS", 20, pads, "more than 20 pairs close together"),
        ("fusilex.core.design.pads.MOST_IN_A_MM2", 2, lambda: read_design(HERON), "within a square of 1 mm"),
    ],
)  # fmt: skip
def test_a_budget_that_is_met_is_named(
    limit: str, small: float, read: Callable[[], Any], said: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert read() is not None
    monkeypatch.setattr(limit, small)
    with pytest.raises(BadInput) as problem:
        read()
    assert said in str(problem.value)


def test_blocks_that_draw_themselves_are_refused() -> None:
    own = "%ABD20*%\nD20*\nX1000000Y0D03*\n%AB*%\nD20*\nX0Y0D03*\n"
    pair = "%ABD30*%\n%ABD31*%\nD30*\nX0Y0D03*\n%AB*%\nD31*\nX0Y0D03*\n%AB*%\nD30*\nX0Y0D03*\n"
    for body in (own, pair):
        with pytest.raises(BadInput, match="which draws itself"):
            layer(body)()
    apart = "%ABD20*%\nD10*\nX1000000Y0D03*\n%AB*%\n%ABD21*%\nD20*\nX0Y0D03*\n%AB*%\nD21*\nX0Y0D03*\n"
    assert layer(apart)()


def test_a_scribble_is_found_out_before_it_is_taken_apart(monkeypatch: pytest.MonkeyPatch) -> None:
    dice = random.Random(4)
    lines = "".join(f"X{dice.randrange(50_000_000)}Y{dice.randrange(50_000_000)}D01*\n" for _ in range(4000))
    with pytest.raises(BadInput, match="a contour that crosses itself more than 100,000 times"):
        layer(f"G36*\nX0Y0D02*\n{lines}G37*\n")()


@pytest.mark.parametrize("seed", range(4))
def test_clear_areas_cut_as_one_after_the_other(seed: int) -> None:
    """The order in which clear areas are subtracted does not matter; which dark ones came after them does."""
    dice = random.Random(seed)
    body, want = "", shapely.Polygon()
    for _ in range(60):
        x, y, dark = dice.uniform(0, 4), dice.uniform(0, 4), dice.random() < 0.6
        body += f"%LP{'D' if dark else 'C'}*%\nX{round(x * 1e6)}Y{round(y * 1e6)}D03*\n"
        spot = shapely.Point(x, y).buffer(0.5, quad_segs=64)
        want = want.union(spot) if dark else want.difference(spot)
    made: Any = read_gerber((HEAD.replace("C,0.2", "C,1.0") + body + "M02*\n").encode(), "x")
    assert shapely.union_all(made.polygons).area == pytest.approx(want.area, rel=2e-3)


def test_pairs_are_those_that_meet() -> None:
    boxes = shapely.box(*np.random.default_rng(3).uniform(0, 9, (2, 80)), *[np.full(80, 0)] * 2)
    corners = shapely.bounds(boxes)[:, :2]
    boxes = shapely.box(corners[:, 0], corners[:, 1], corners[:, 0] + 1.2, corners[:, 1] + 0.7)
    want = [(i, j) for i in range(80) for j in range(i + 1, 80) if boxes[i].intersects(boxes[j])]
    assert pairs_meeting(boxes, 10_000) == want and pairs_meeting(boxes, 7) == want[:7]


def test_what_is_no_file_is_refused_before_it_is_opened(tmp_path: Path, heron_files: Files) -> None:
    os.mkfifo(tmp_path / "pipe")
    for place, said in (
        ("pipe", "a pipe or device"),
        ("/dev/zero", "a pipe or device"),
        ("/proc/self/environ", "own tables"),
    ):
        with pytest.raises(BadInput, match=said):
            read_one(tmp_path / place)
        with pytest.raises(BadInput, match=said):
            read_design(tmp_path / place)
    odd = tmp_path / "set.zip"
    with zipfile.ZipFile(odd, "w", zipfile.ZIP_LZMA) as packed:
        packed.writestr("a.gbr", b"x" * 5000)
    with pytest.raises(BadInput, match="another way of packing"):
        read_design(odd)
    raw = bytearray()
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("a.gbr", heron_files["heron-r2-copper-top.gbr"])
    raw = bytearray(out.getvalue())
    raw[60:200] = os.urandom(140)
    odd.write_bytes(raw)
    with pytest.raises(BadInput, match="a whole, readable zip"):
        read_design(odd)


@pytest.mark.parametrize(
    "words",
    [
        ["check", "-rf"],
        ["check", "a\x00b"],
        ["kit", str(HERON), "--boards", "²"],
        ["kit", str(HERON), "--boards", "9" * 5000],
        ["openings", str(HERON), "--foil", "1e999"],
        ["refs", str(HERON), "/dev/null"],
        ["profile", "/dev/zero", "--window", "leaded"],
        ["papers", "-x"],
        ["papers", "²", "--pdf", "/nowhere/x.pdf"],
        ["journal", "check", "/dev/zero"],
        ["journal", "rescue"],
        ["journal", "rescue", str(HERON / "README.txt"), "/tmp/never.sqlite"],
        ["--journal", "postgresql://u@h/db", "papers", "x"],
        ["no-such-verb"],
    ],
    ids=lambda words: " ".join(words)[:40].replace("\x00", "0"),
)
def test_verbs_answer_in_one_sentence(words: list[str], capsys: pytest.CaptureFixture[str]) -> None:
    try:
        code = main(words)
    except SystemExit as ended:
        code = int(str(ended.code))
    out, err = capsys.readouterr()
    assert code == 2 and out == "" and err.count("\n") == 1 and len(err) < 1100 and "Fusilex itself" not in err, err


def test_papers_say_where_they_cannot_be_written(bench: Bench, capsys: pytest.CaptureFixture[str]) -> None:
    for place in ("/nowhere/x.pdf", "/dev/full", "/proc/x.pdf"):
        assert main(["--journal", bench.journal.url, "papers", "H7-05", "--pdf", place]) == 2
        said = capsys.readouterr().err
        assert said.count("\n") == 1 and "cannot be used" in said and "Fusilex itself" not in said


def test_the_chart_of_ratios_is_painted_anew_for_another_foil(bench: Bench, open_window: OpenWindow) -> None:
    station = open_window(bench)._built("Print")
    station.take(1)  # type: ignore[attr-defined]
    chart = station.view.chart  # type: ignore[attr-defined]
    chart.resize(500, 200)
    apertures = bench.derived.apertures("top")
    chart.show_apertures(apertures, 0.12)
    first, again = chart.grab().toImage(), chart.grab().toImage()
    chart.show_apertures(apertures, 0.2)
    assert first == again and chart.grab().toImage() != first


@pytest.mark.parametrize("read", [layer(DOTS * 300), layer(CUTS), drill, table, pads, layer(RING)])
def test_a_reader_is_left_in_the_middle_of_a_file(read: Callable[[], object]) -> None:
    asked: list[int] = []

    def leave() -> None:
        asked.append(1)
        raise Left

    with pytest.raises(Left), asking(leave):
        read()
    assert asked == [1] and read() is not None, "and nothing of it stays"


def test_patterns_meet_no_more_of_a_text_than_a_label_has() -> None:
    """Patterns that try every place of a word take the square of its length: 5,000 digits took seconds."""
    assert len(spelt("9" * 5000)) <= 250
    assert read_value("10k" + " " * 300 + "9" * 5000, "resistor").value == 10_000


LONG = "9" * 5000


@pytest.mark.parametrize(
    "words",
    [
        f"%ADD{LONG}C,1*%\n", f"%ABD{LONG}*%\n%AB*%\n", f"%SRX{LONG}Y2I1J1*%\nX0Y0D03*\n%SR*%\n", f"X{LONG}Y0D03*\n",
        f"D{LONG}*\n", f"G02X1Y1I{LONG}J0D01*\n", f"%ADD11C,{LONG}*%D11*X0Y0D03*\n", f"%FSLAX{LONG}Y46*%\n",
    ],
)  # fmt: skip
def test_a_number_of_thousands_of_digits_is_no_mistake_of_ours(words: str) -> None:
    with suppress(BadInput):
        layer(words)()
    drilled = words.replace("%", "").replace("*", "").replace("D03", "")
    with suppress(BadInput):
        read_excellon(f"M48\nMETRIC\nT1C0.3\n%\nT1\n{drilled}M30\n".encode(), "x.drl")
