"""Kit: values in every writing, the right bag, stock, moisture, and Heron's batch kitted with everything going
wrong.
"""

from __future__ import annotations

import math
from datetime import UTC, datetime, timedelta

import asked as c
import pytest
from asked import project
from hypothesis import given
from hypothesis import strategies as st

from fusilex.bench.common.bins import Bins
from fusilex.bench.record.bench import Bench
from fusilex.bench.stations.kit.fitting import have, lines_to_pull, lots_for
from fusilex.bench.stations.kit.now import at_bin
from fusilex.bench.stations.kit.weighing import weigh
from fusilex.bench.workshop.losses import Losses
from fusilex.bench.workshop.stock import Lots
from fusilex.core.evidence import Level
from fusilex.core.judgement import Facts
from fusilex.core.kit.bag import check_bag
from fusilex.core.kit.counting import by_reel, by_strip, by_weight
from fusilex.core.kit.moisture import FLOOR_LIFE_H, exposure, hours_left, judge_moisture, share_left
from fusilex.core.kit.quantities import PullLine
from fusilex.core.kit.stock import buy_list, fits
from fusilex.core.kit.trays import TrayPlan
from fusilex.core.machine.tapes import over_legs, tape_of
from fusilex.core.packages.catalogue import package_of
from fusilex.core.units import show_value
from fusilex.core.values import read_value
from fusilex.devices.scale import NoReading, parse_line, settled
from fusilex.formats.written.csv_lists import buy_csv


@pytest.mark.parametrize(
    ("family", "same", "value"),
    [
        (
            "capacitor",
            (
                "100n",
                "0.1uF",
                "104",
                "100 nF",
                "0,1 µF",
                "100NF",
                "CAP CER 0.1UF 16V 0402",
                "104K",
                "0.1 MFD",
                "100 nf 0402",
            ),
            1e-7,
        ),
        ("capacitor", ("4.7 uF", "4u7", "475", "4700n", "4.7µF 6V3 X5R 0603"), 4.7e-6),
        (
            "resistor",
            ("4k7", "4.7 k", "4.7kΩ", "4700", "RES 4.7K OHM 1% 1/16W 0402", "4,7k", "4,7 kOhm"),
            4700,
        ),
        ("resistor", ("R10", "0.1", "0R1", "100 mΩ", "0.1 ohm"), 0.1),
        ("resistor", ("2M2", "2.2M", "2.2 MΩ 5 %"), 2.2e6),
        ("inductor", ("4.7 uH", "4u7", "4.7µH", "4R7"), 4.7e-6),
        ("crystal", ("32.768 kHz", "32.768kHz", "32768 Hz", "32.768 khz"), 32768),
        ("crystal", ("12 MHz", "12mhz", "12M"), 12e6),
    ],
)
def test_one_value_in_many_writings(family: str, same: tuple[str, ...], value: float) -> None:
    for text in same:
        assert read_value(text, family).value == pytest.approx(value, rel=1e-9), text
    assert read_value("104K", "capacitor").tolerance_percent == 10
    assert read_value("10 uF 6V3", "capacitor").volts == 6.3 and read_value("2.2M", "capacitor").unit != "Ω"


@given(st.sampled_from(("resistor", "capacitor", "inductor")), st.integers(100, 999), st.integers(-11, 5))
def test_what_is_shown_is_read_back(family: str, digits: int, power: int) -> None:
    unit, low = {"resistor": ("Ω", -2), "capacitor": ("F", -11), "inductor": ("H", -9)}[family]
    value = float(f"{digits}e{max(power, low) - 2}")
    assert read_value(show_value(value, unit), family).value == pytest.approx(value, rel=1e-9)


def bin_of(value: str, body: str, ref: str, part_number: str = "") -> PullLine:
    return PullLine(value, package_of(body, ref), part_number, (ref,), 18, 20, 0.0, 1)


@pytest.mark.parametrize(
    ("line", "label", "level", "what", "near"),
    [
        (("100 nF", "0402 (1005)", "C1"), "CAP CER 0.1UF 50V 0402", Level.GO, "", False),
        (("100 nF", "0402 (1005)", "C1"), "103 0402", Level.STOP, "value", True),
        (("100 nF", "0402 (1005)", "C1"), "100nF 0603", Level.STOP, "package", True),
        (("10 uF 10V", "0603 (1608)", "C1"), "10uF 6.3V 0603", Level.STOP, "voltage", True),
        (("10 uF 10V", "0603 (1608)", "C1"), "10uF 25V 0603", Level.GO, "", False),
        (("10 k 1%", "0402", "R1"), "10k 5% 0402", Level.STOP, "tolerance", True),
        (("22", "0402", "R1"), "220", Level.STOP, "value", True),
        (("4.7 k", "0402", "R1"), "4k7 1% 0402", Level.GO, "", False),
        (("100 k", "0402", "R1"), "104 0402", Level.GO, "", False),
        (("1 k", "0402", "R1"), "33 k", Level.STOP, "value", False),
        (("32.768 kHz", "Crystal 3215", "Y1"), "32.000 kHz", Level.STOP, "frequency", True),
        (("buck 3.3 V", "SOT-23-5", "U2", "SR-0305"), "SR-0305 reel 3000", Level.GO, "", False),
        (("buck 3.3 V", "SOT-23-5", "U2", "SR-0305"), "SR-0306", Level.STOP, "part number", True),
        (("memory 32 Mbit", "SOIC-8", "U3"), "something else", Level.STOP, "value", False),
        (("100 nF", "0402", "C1"), "made in 2026", Level.UNKNOWN, "", False),
    ],
)
def test_the_right_bag(line: tuple[str, ...], label: str, level: Level, what: str, near: bool) -> None:
    found = check_bag(bin_of(*line), label)
    assert found.level is level
    if what:
        assert (found.differs[0].what, found.differs[0].near) == (what, near)


def over(name: str, turn: float) -> tuple[float, float]:
    """Along and across its tape, legs included."""
    x, y = over_legs(package_of(name, "U1"))
    return (y, x) if turn else (x, y)


def test_counting_against_closed_forms() -> None:
    assert (
        by_strip(403, 4).pieces == 100
        and tape_of(package_of("0402")).pitch == 2
        and tape_of(package_of("QFN-32 5x5")).pitch == 8
    )
    assert by_weight(52.5, 12.5, 80, 0.01).pieces == 500
    turns, hub, thick = 150, 60.0, 1.2
    outer = hub + 2 * turns * thick
    wound = sum(math.pi * (hub + (2 * n + 1) * thick) for n in range(turns))  # turn by turn at its middle
    assert by_reel(outer, hub, thick, 4).pieces == math.floor(wound / 4)
    for name, pitch in (
        ("0603", 4),
        ("SMA", 4),
        ("SMB", 8),
        ("SOT-23", 4),
        ("SOIC-8", 8),
        ("SOIC-14", 8),
        ("SOIC-16", 8),
        ("TSSOP-16", 8),
    ):
        assert tape_of(package_of(name, "D1")).pitch == pitch, name
    for name, pitch in (("LQFP-48 7x7", 12), ("LQFP-64 10x10", 16), ("QFN-48 7x7", 12), ("SOIC-16W", 12), ("DPAK", 8)):
        assert tape_of(package_of(name, "U1")).pitch == pitch, name
    for name, width in (
        ("LQFP-48 7x7", 16),
        ("MSOP-8", 12),
        ("DPAK", 16),
        ("TSSOP-16", 12),
        ("TSSOP-20", 16),
        ("SMA", 12),
        ("SOIC-8", 12),
        ("SOIC-16", 16),
        ("SOT-23", 8),
        ("SOT-89", 12),
        ("SOT-223", 12),
        ("QFN-32 5x5", 12),
        ("QFN-48 7x7", 16),
        ("LQFP-64 10x10", 24),
        ("0805", 8),
    ):
        tape = tape_of(package_of(name, "U1"))
        assert tape.width == width and (tape.width > 8 or tape.pitch <= 4), name
        assert all(pocket > side for pocket, side in zip(tape.pocket, over(name, tape.turn), strict=True)), name
    for bad in (lambda: by_weight(1, 2, 3, 0.1), lambda: by_reel(50, 60, 1, 4), lambda: by_strip(10, 0)):
        with pytest.raises(ValueError):
            bad()
    plan = TrayPlan(4, 6, 30)
    assert (plan.trays, plan.label(0), plan.label(23), plan.label(30)) == (2, "1A1", "1D6", "2B1")
    assert len({plan.place(i) for i in range(31)}) == 31


@given(st.lists(st.floats(0.01, 30), min_size=1, max_size=12), st.floats(0, 50))
def test_open_hours_add_up_however_often_a_bag_is_opened(spans: list[float], wait: float) -> None:
    at, happened, total = 0.0, [], 0.0
    for hours in spans:
        happened += [(at, "out"), (at + hours, "dry")]
        at, total = at + hours + wait, total + hours
    spent = exposure(happened, at + 1000)
    assert spent.hours == pytest.approx(total) and not spent.running
    assert exposure([*happened, (at, "baked")], at + 5).hours == 0
    assert exposure([*happened, (at, "opened")], at + 5).hours == pytest.approx(total + 5)
    for level, life in FLOOR_LIFE_H.items():
        assert hours_left(level, spent) == max(0, life - spent.hours)
        judged = judge_moisture("R1", level, spent).level
        assert (judged is Level.STOP) == (spent.hours >= life)


def test_level_six_lives_by_its_label_after_a_bake_and_the_future_does_not_count() -> None:
    baked = exposure([(0.0, "opened"), (5.0, "baked")], 6.0)
    assert judge_moisture("R1", "6", exposure([(0.0, "opened")], 1.0)).level is Level.STOP
    assert (
        judge_moisture("R1", "6", baked).level is Level.GO
        and math.isnan(hours_left("6", baked))
        and share_left("6", baked) == 1
    )
    out = exposure([(0.0, "opened"), (5.0, "baked"), (6.0, "out")], 8.0)
    assert out.hours == 2 and judge_moisture("R1", "6", out).level is Level.UNKNOWN
    assert exposure([(0.0, "opened"), (10.0, "dry"), (20.0, "baked")], 4.0).hours == 4, (
        "what is still to come has not happened"
    )


def test_herons_batch_with_a_wrong_bag_a_shortage_and_an_expired_reel(bench: Bench) -> None:
    for station in ("Kit",):
        bench.do(c.Acknowledge(station))
    bench.do(c.AcceptFiles())
    level = lambda rule: [j.level for j in bench.judgements("Kit") if j.rule == rule]  # noqa: E731
    assert level("kit.strap") == [Level.UNKNOWN]
    bench.do(c.StrapTest("120k"))
    assert level("kit.strap") == [Level.STOP]
    bench.do(c.StrapTest("1.1M"))
    assert level("kit.strap") == [Level.GO]

    long_ago = (datetime.now(UTC) - timedelta(hours=200)).isoformat()
    u1, c5 = bench.batch.line_of["U1"], bench.batch.line_of["C5"]
    bench.do(c.ReceiveLot("tray", u1.part_number, u1.value, u1.package.code, 60, "shelf 2", "2624", "K7", "3"))
    bench.do(c.ReceiveLot("reel", c5.part_number, c5.value, c5.package.code, 50))
    assert level("kit.cover") == [Level.STOP]
    needed = buy_list(bench.batch.lines, {x.key: have(bench.batch, x) for x in bench.batch.lines})
    assert {b.line.key: b.buy for b in needed}[c5.key] == c5.pull - 50 and u1.key not in {b.line.key for b in needed}
    assert f"{c5.part_number},{c5.value}" in buy_csv(needed) and buy_csv(needed).count("\n") == len(needed) + 1
    bench.do(c.ReserveStock())
    assert bench.workshop[Lots].lots["T1"].reserved == {(bench.batch.name, u1.key): u1.pull}

    with pytest.raises(c.Refused, match="still to come"):
        bench.do(c.NoteMoisture("T1", "opened", (datetime.now(UTC) + timedelta(hours=1)).isoformat()))
    bench.do(c.NoteMoisture("T1", "opened", long_ago))
    assert level("kit.moisture") == [Level.STOP]
    with pytest.raises(c.Refused, match="floor life exceeded"):
        bench.do(c.FillBin(u1.key, u1.pull, "T1"))
    bench.do(c.NoteMoisture("T1", "baked"))
    assert level("kit.moisture") == [Level.GO]
    bench.do(c.WantProgramme(u1.key))
    with pytest.raises(c.Refused, match="programmed first"):
        bench.do(c.FillBin(u1.key, u1.pull, "T1"))
    bench.do(c.RecordProgramme(u1.key, "heron.hex", b":00000001FF", "2.1"))
    bench.do(c.FillBin(u1.key, u1.pull, "T1"))
    assert bench.workshop[Lots].lots["T1"].count == 60 - u1.pull

    bench.do(c.CheckBag(c5.key, "10nF 0402"))
    assert level("kit.bag") == [Level.STOP]
    with pytest.raises(c.Refused, match="does not match"):
        bench.do(c.FillBin(c5.key, c5.pull))
    bench.do(c.CheckBag(c5.key, "0.1uF 0402 16V"))
    with pytest.raises(c.Refused, match="holds 50 pieces"):
        bench.do(c.FillBin(c5.key, c5.pull, "R2"))
    bench.do(c.FillBin(c5.key, 50, "R2"))
    r4 = bench.batch.line_of["R4"]
    bench.do(c.CheckBag(r4.key, "33k 0402", "measured, it is right"))
    assert level("kit.bag") == [Level.CARE]
    bench.do(c.ApproveSubstitute(r4.key, "33k", "designer agreed"))
    assert level("kit.bag") == [Level.GO] or level("kit.bag") == []

    for line in bench.batch.lines:
        if line.key not in bench.state[Bins].filled:
            bench.do(c.FillBin(line.key, line.pull if line.refs != ("Y1",) else 0))
    stops = [j.subject for j in bench.judgements("Kit") if j.level is Level.STOP]
    assert len(stops) == 2, "C5's bin and Y1's are short"
    for stop in bench.route.open_stops(bench.batch, "Kit"):
        bench.do(c.Overrule(stop.key, "fitted later", Facts.of(stop)))
    bench.do(c.CloseKit())
    assert set(bench.state[Bins].without) == {*c5.refs, "Y1"}
    assert project(bench.journal.since(bench.id)) == bench.state
    assert bench.workshop[Lots].lots["R2"].reserved == {}
    bench.do(c.Undo())
    assert bench.state.at("Kit") and bench.workshop[Lots].lots["R2"].count == 0


def test_a_side_left_out_wants_no_bins_and_its_parts_are_marked(bench: Bench) -> None:
    bench.do(c.Acknowledge("Kit"))
    bench.do(c.AcceptFiles())
    bench.do(c.SkipSide("bottom"))
    left_out = [x for x in bench.batch.lines if x.side == "bottom"]
    assert left_out and not set(lines_to_pull(bench.batch)) & set(left_out)
    for line in lines_to_pull(bench.batch):
        assert f"bin {bench.batch.bin_number[line.key]}:" in bench.now("Kit").title
        bench.do(c.FillBin(line.key, line.pull))
    assert bench.now("Kit").title == "Close the kit" and not bench.route.open_stops(bench.batch, "Kit")
    bench.do(c.CloseKit())
    assert set(bench.state[Bins].without) == {ref for line in left_out for ref in line.refs}
    assert not {p.ref for p in bench.batch.parts_of("Hand")} & set(bench.state[Bins].without)


def test_the_bin_in_hand_says_what_stands_in_its_way(bench: Bench) -> None:
    bench.do(c.Acknowledge("Kit"))
    bench.do(c.AcceptFiles())
    line = bench.batch.line_of["U3"]
    bench.do(c.WantProgramme(line.key))
    assert "Programme bin" in at_bin(bench.batch, line).title
    bench.do(c.RecordProgramme(line.key, "flash.bin", b"\x01", "1.4"))
    bench.do(c.CheckBag(line.key, "SR-0423"))
    assert "Wrong bag" in at_bin(bench.batch, line).title and "SR-0423" in at_bin(bench.batch, line).detail
    with pytest.raises(c.Refused, match="does not match"):
        bench.do(c.FillBin(line.key, line.pull))
    bench.do(c.CheckBag(line.key, "SR-0423", "the maker's new number"))
    assert at_bin(bench.batch, line).title.startswith("Fill bin")


def test_stock_is_corrected_by_events_and_undo_reaches_it(bench: Bench) -> None:
    bench.do(c.ReceiveLot("reel", "", "4k7", "0402", 1000, id="A"))
    bench.do(c.CountLot("A", 940, "weight"))
    bench.do(c.MoveLot("A", "drawer 3"))
    lot = bench.workshop[Lots].lots["A"]
    assert (lot.count, lot.place, lot.counted[-1][1:]) == (940, "drawer 3", (940, "weight"))
    assert lots_for(bench.batch, bench.batch.line_of["R10"]) == [lot], "4k7 in stock serves 4.7 k"
    for _ in range(2):
        bench.do(c.Undo())
    assert (bench.workshop[Lots].lots["A"].count, bench.workshop[Lots].lots["A"].place) == (1000, "")
    bench.do(c.Redo())
    assert bench.workshop[Lots].lots["A"].count == 940
    for bad, words in (
        (c.ReceiveLot("crate", "x", "", "", 1), "A lot is a reel"),
        (c.ReceiveLot("reel", "", "", "", 1), "Say what it is"),
        (c.ReceiveLot("reel", "x", "", "", 1, level="9"), "Moisture levels"),
        (c.ReceiveLot("reel", "x", "", "", 1, id="A"), "already"),
        (c.CountLot("B", 3), "no lot B"),
        (c.NoteMoisture("A", "opened", "yesterday"), "no time"),
        (c.ChooseOrder("alphabet"), "no order"),
    ):
        with pytest.raises(c.Refused, match=words):
            bench.do(bad)


def test_a_lot_fits_by_number_or_by_value_and_body() -> None:
    line = bin_of("100 nF", "0402 (1005)", "C1", "SR-1866")
    assert fits(line, "sr 1866", "", "") and not fits(line, "SR-1867", "100n", "0402")
    assert fits(line, "", "0.1uF", "0402") and not fits(line, "", "0.1uF", "0603") and not fits(line, "", "10n", "0402")


def test_losses_logged_here_replace_the_default(bench: Bench) -> None:
    for station in ("Kit", "Print", "Place"):
        bench.do(c.Acknowledge(station))
    bench.do(c.AcceptFiles())
    for line in bench.batch.lines:
        bench.do(c.FillBin(line.key, line.pull))
    bench.do(c.CloseKit())
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    board = bench.state.at("Place")[0].serial
    for _ in range(3):
        bench.do(c.DropPart(board, "C5"))
    for n, board in enumerate(b.serial for b in bench.state.at("Place")):
        while part := bench.batch.next_part(bench.state.boards[board], "Place"):
            bench.do(c.PlacePart(board, part.ref))
        assert n or bench.workshop[Losses].logged["0402"].lost == 3
    logged = bench.workshop[Losses].logged["0402"]
    again = Bench.open_batch(bench.journal, bench.source.files, "Heron", 18, number=8)
    line = again.batch.line_of["C5"]
    assert line.behind == logged.placed + 3 and line.loss == pytest.approx(4 / (line.behind + 2))
    assert line.loss != 0.03 and bench.batch.line_of["C5"].loss == 0.03, "a batch keeps the losses it started with"


def test_a_scale_is_read_at_rest_whatever_it_prints() -> None:
    for line, grams, step, rest in (
        ("S +    12.34 g", 12.34, 0.01, True),
        ("ST,-  0.5 g", -0.5, 0.1, True),
        ("D   1.2345 kg", 1234.5, 0.1, False),
        ("  250 mg", 0.25, 0.001, True),
        ("12,5 g", 12.5, 0.1, True),
    ):
        read = parse_line(line)
        assert read is not None and read[0].grams == pytest.approx(grams) and read[1] is rest
        assert read[0].step == pytest.approx(step)
    assert parse_line("Err 04") is None

    class Dead:
        def __init__(self, *lines: str) -> None:
            self.lines = list(lines)

        def line(self) -> str:
            return self.lines.pop(0) if self.lines else ""

    for scale, words in (
        (Dead(), "does not answer"),
        (Dead(*["D 1.0 g"] * 50), "come to rest"),
        (Dead("hm"), "answer"),
    ):
        with pytest.raises(NoReading, match=words):
            settled(scale)


def test_a_lot_is_counted_on_the_scale(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    bench.do(c.ReceiveLot("reel", "", "4k7", "0402", 5000, id="A"))
    bench.do(c.ReceiveLot("tube", "", "driver", "SOIC-8", 40, id="B"))
    lots = bench.workshop[Lots].lots
    with pytest.raises(c.Refused, match="No scale is attached"):
        weigh(lots["A"], package_of("0402", "R1"), 55.0)
    monkeypatch.setenv("FUSILEX_SCALE", "stand-in")
    for lot, body, tare in ((lots["A"], package_of("0402", "R1"), 55.0), (lots["B"], package_of("SOIC-8", "U1"), 9.3)):
        count, how = weigh(lot, body, tare)
        assert abs(count.pieces - lot.count) <= count.plus_minus + 1 and "stand-in" in how
    with pytest.raises(c.Refused, match="mass of one"):
        weigh(lots["A"], package_of("fiducial", "FID1"), 1.0)
    monkeypatch.setenv("FUSILEX_SCALE", "/dev/no-such-port")
    with pytest.raises(c.Refused, match=r"No scale: /dev/no-such-port cannot be opened \(No such file or directory\)"):
        weigh(lots["A"], package_of("0402", "R1"), 1.0)
