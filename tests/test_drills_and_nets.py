"""Drill programmes and netlists against another reader, written anew in every format, and by hand-made statements."""

from __future__ import annotations

import warnings
from pathlib import Path

import pytest
from conftest import HERON
from gerbonara.cam import FileSettings
from gerbonara.excellon import ExcellonFile
from gerbonara.ipc356 import Netlist
from gerbonara.utils import MM, Inch
from hypothesis import given
from hypothesis import strategies as st

from fusilex.core.problems import BadInput
from fusilex.formats.layers.drill_program import obeyed
from fusilex.formats.layers.excellon import read_excellon
from fusilex.formats.lists.netlist import read_netlist

WREN = HERON.parent / "wren"
Plain = list[tuple[float, float, float]]


def by_the_other(text: str) -> Plain:
    """Both ends of whatever it reads, mm."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        found = []
        for item in ExcellonFile.from_string(text, filename="x.drl").objects:
            scale, size = item.unit.convert_to(MM, 1.0), item.aperture.unit.convert_to(MM, item.aperture.diameter)
            ends = [(item.x, item.y)] if hasattr(item, "x") else [(item.x1, item.y1), (item.x2, item.y2)]
            found += [(x * scale, y * scale, size) for x, y in ends]
    return found


def by_us(text: str) -> Plain:
    return [(h.x, h.y, h.diameter) for h in obeyed(text, "x.drl", True, False)]


def alike(a: Plain, b: Plain, step: float = 1e-6) -> None:
    assert len(a) == len(b) > 0
    for one, other in zip(a, b, strict=True):
        assert one == pytest.approx(other, abs=step)


@pytest.mark.parametrize("path", sorted(HERON.glob("*.drl")), ids=lambda p: p.name)
@pytest.mark.parametrize("unit", [MM, Inch])
@pytest.mark.parametrize("digits", [(3, 3), (2, 4), (4, 2)])
@pytest.mark.parametrize("zeros", ["leading", "trailing", None])
def test_a_drill_file_written_in_any_format_has_the_same_holes(
    path: Path, unit: object, digits: tuple[int, int], zeros: str | None
) -> None:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        written = ExcellonFile.from_string(path.read_text(), filename=path.name).write_to_bytes(
            FileSettings(unit=unit, number_format=digits, zeros=zeros)
        )
    alike(by_us(written.decode()), by_the_other(written.decode()))


HEAD = "M48\nMETRIC,TZ,000.000\nT01F000S00C0.8\nT2C1.2\n%\n"


@pytest.mark.parametrize(
    "body",
    [
        "T01\nX1.5Y2.0\nX3.0\nY4\nM30",
        "T2\nX1Y1\nR3X2.54Y0.5\nM30",
        "T01\nG00X1.0Y1.0\nM15\nG01X4.0Y1.0\nG01Y3.0\nM16\nG05\nX9.0Y9.0\nM30",
        "T2\nG00\nX1.0Y1.0\nM15\nG01\nX4.0\nM17\nG05\nX0.5Y0.5\nM30",
        "ICI,ON\nT2\nX1.0Y1.0\nX1.0\nX-0.5Y2.0\nICI,OFF\nX5.0Y5.0\nM30",
        "T2\nX001500Y-02500\nX+0004Y12\nG40\nF200\nM06\nM30",
    ],
)
def test_statements_are_obeyed_alike(body: str) -> None:
    alike(by_us(HEAD + body), by_the_other(HEAD + body))


def test_comments_that_define_are_read_alike() -> None:
    sized = (
        ";   Holesize 1. = 12.0 Tolerance = +0.0/-0.0 PLATED MILS Quantity = 2\n"
        ";   Holesize 2. = 40.0 Tolerance = +0.0/-0.0 NON_PLATED MILS Quantity = 1\n"
        ";FILE_FORMAT=2:4\nINCH,TZ\n%\nX010000Y020000\nX015000Y020000\nM00\nX030000Y001000\nM30\n"
    )
    alike(by_us(sized), by_the_other(sized))
    assert [h.plated for h in obeyed(sized, "x", True, False)] == [True, True, False]
    typed = "M48\nMETRIC\n;TYPE=PLATED\nT1C0.3\n;TYPE=NON_PLATED\nT2C3.0\n%\nT1\nX1.0Y1.0\nT2\nX2.0Y2.0\nM30"
    assert [h.plated for h in obeyed(typed, "x", False, False)] == [True, False]
    assert [h.plated for h in obeyed(typed, "x", False, True)] == [False, False], (
        "what the file states of itself counts"
    )
    listed = "; Format  : 2.4 / Absolute / Inch / Leading\nT1C0.02\n%\nT1\nX01Y005\nM30"
    alike(by_us("M48\n" + listed), [(25.4, 12.7, 0.508)])


def test_a_file_without_a_unit_is_not_taken_for_millimetres() -> None:
    with pytest.raises(BadInput, match="inch or mm"):
        obeyed(HEAD.replace("METRIC,TZ,000.000\n", "") + "T2\nX1.0Y2.0\nM30", "x", True, True)


def test_slots_give_both_ends() -> None:
    alike(by_us(HEAD + "T2\nX1.0Y2.0G85X4.0Y2.0\nM30"), [(1, 2, 1.2), (4, 2, 1.2)])
    for slots in ("X1.0Y2.0G85X4.0Y2.0", "G00X1.0Y2.0\nM15\nG01X4.0\nG01Y5.0\nM16"):
        made = read_excellon(f"{HEAD}T2\n{slots}\nG05\nX9.0Y9.0\nM30".encode(), "x.drl")
        assert sum(not h.goes_on for h in made) == 2, "a slot, or a routed path, is one; then a hole"


@pytest.mark.parametrize(
    ("body", "line"), [("T7\nX1Y1\nM30", 6), ("T2\nX1Y1\nHELLO\nM30", 8), ("R99999999X1\nM30", 6), ("G93X1\nM30", 6)]
)
def test_what_is_no_statement_is_named_with_its_line(body: str, line: int) -> None:
    with pytest.raises(BadInput, match=rf"line {line}\b"):
        obeyed(HEAD + body, "x.drl", True, False)


@given(
    st.lists(st.sampled_from([*HEAD.split("\n"), "X1Y2", "R2X1", "M15", "G01X1", "ICI,ON", "T1", "M30", "G85", "X.Y."]))
)
def test_no_order_of_statements_crashes(lines: list[str]) -> None:
    try:
        obeyed("\n".join(lines), "x.drl", True, False)
    except BadInput as problem:
        assert "line" in str(problem)


# netlists


@pytest.mark.parametrize("path", [*HERON.glob("*.ipc*"), *WREN.glob("*.ipc*")], ids=lambda p: p.name)
@pytest.mark.parametrize("unit", [None, MM, Inch])
def test_netlists_are_read_alike(path: Path, unit: object) -> None:
    text = path.read_text()
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        theirs = Netlist.from_string(text, filename=path.name)
        if unit is not None:
            text = theirs.write_to_bytes(FileSettings(unit=unit)).decode() + "\n999\n"
            theirs = Netlist.from_string(text, filename=path.name)
    ours = read_netlist(text.encode(), path.name)
    assert len(ours) == len(theirs.test_records) > 20
    for a, b in zip(ours, theirs.test_records, strict=True):
        scale = b.unit.convert_to(MM, 1.0)
        assert (a.x, a.y) == pytest.approx((b.x * scale, b.y * scale))
        assert (a.net, a.ref, a.pin) == (b.net_name, "" if b.is_via else b.ref_des or "", b.pin or "")


def test_long_names_records_in_two_lines_and_what_is_wrong() -> None:
    record = f"327{'NNAME1':<14}   {'U1':<6}-{'7':<4} D0120PA01X+010000Y+020000"
    text = f"P  UNITS CUST 1\nP  NNAME1 A_VERY_LONG_NAME_OF_A_NET\n{record[:49]}\n017{record[49:]}\n999\n"
    (point,) = read_netlist(text.encode(), "n")
    assert (point.net, point.x, point.y) == ("A_VERY_LONG_NAME_OF_A_NET", 10.0, 20.0)
    for bad, where in (
        (text.replace("P  UNITS CUST 1\n", ""), "line 2"),
        (text.replace("X+0100", "X+01z0"), "line 3"),
        (text.replace("999", ""), "999"),
        (text.replace("CUST 1", "CUST 7"), "line 1"),
    ):
        with pytest.raises(BadInput, match=where):
            read_netlist(bad.encode(), "n")
