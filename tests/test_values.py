"""Values, size codes and labels in anybody's writing; what cannot be read says so and passes no bag."""

from __future__ import annotations

import doctest
import importlib
import math
import pkgutil

import asked as c
import pytest
from conftest import HERON
from designs import two_pad_design
from hypothesis import example, given
from hypothesis import strategies as st

import fusilex.core
from fusilex.bench.intake.design import read_design
from fusilex.bench.record.bench import Bench
from fusilex.bench.stations.kit.events import bin_open
from fusilex.core.design.model import BomLine, Placement
from fusilex.core.electrical.judge import judge_plan, judge_readings
from fusilex.core.electrical.network import resistor_network
from fusilex.core.electrical.probes import ProbePair, probe_plan
from fusilex.core.evidence import Level
from fusilex.core.kit.bag import check_bag
from fusilex.core.kit.quantities import PullLine, pull_list
from fusilex.core.packages.catalogue import package_of
from fusilex.core.packages.chips import ambiguous_code, chip_code
from fusilex.core.quantities import Quantity
from fusilex.core.units import show_number, show_resistance
from fusilex.core.values import FORMS, parse_reading, read_value


@pytest.mark.parametrize("name", [m.name for m in pkgutil.walk_packages(fusilex.core.__path__, "fusilex.core.")])
def test_examples_in_the_docstrings_run(name: str) -> None:
    assert doctest.testmod(importlib.import_module(name)).failed == 0


@pytest.mark.parametrize(
    ("ohm", "texts"),
    [
        (1e6, "1 MEG|1Meg|1 MegΩ|1MEGOHM|1 Mohm|1M|1000k|1M0|1,000,000|1.000.000|1000000|1 000 000"),
        (100, "100E|100R|100 Ω|100 \u2126|100 ohms|100R 0402|100R 1%|0.1k|1e+2|100R0"),
        (4.7, "4E7|4R7|4,7|4.7 Ω|4R70 0603 5%"),
        (10e3, "10k 1%|10,000|10 kΩ|10k\u2126|10 000 Ω|10K0|1002|10'000|10k 100ppm|RES 10K OHM 1% 1/16W 0402|10.000,0"),
        (100e3, "104|100k|0.1M|100 kilohm"),
        (0.1, "R10|0R1|100m|0,1|0,100 Ω"),
        (0.0, "0|0R|0 ohm|0R0"),
        (None, "4e7|1O0k|n/a|R|10k 22k|tbd|10k or 12k|±5 %"),
    ],
)
def test_resistances_in_every_writing(ohm: float | None, texts: str) -> None:
    for text in texts.split("|"):
        read = read_value(text, "resistor")
        assert (read.value is None) if ohm is None else read.value == pytest.approx(ohm), text
        assert bool(read.unread) == (ohm is None), text


def test_drift_is_no_tolerance_and_either_micro_is_micro() -> None:
    assert read_value("10k 100ppm 5%", "resistor").tolerance_percent == 5
    assert read_value("10k 100ppm", "resistor").tolerance_percent is None
    assert read_value("12 MHz 20ppm", "crystal").tolerance_percent == pytest.approx(0.002)
    for micro in "uµμ":
        assert read_value(f"4.7 {micro}F", "capacitor").value == pytest.approx(4.7e-6)
    assert all(form.example for form in FORMS)


@pytest.mark.parametrize("text", ["1,000", "1.", "1,", "12,345k", "4e7", "1..2", "--", "1,000,0"])
def test_readings_that_may_mean_two_things_are_refused(text: str) -> None:
    with pytest.raises(ValueError, match="type"):
        parse_reading(text)


@given(st.floats(1e-3, 9e8), st.sampled_from(("", " ", "\u00a0")), st.sampled_from(("Ω", "\u2126", "ohm", "")))
@example(999.6, "", "Ω")
def test_a_shown_resistance_is_read_back_to_three_digits(ohm: float, space: str, unit: str) -> None:
    shown = show_resistance(ohm)
    assert "e" not in shown
    number, letter = (
        shown.removesuffix("Ω").rstrip().split(" ") if shown.count(" ") == 1 and shown[-2] != " " else (shown[:-2], "")
    )
    assert parse_reading(f"{number}{space}{letter}{unit}") == pytest.approx(ohm, rel=6e-3, abs=6e-6)
    assert parse_reading(shown) == read_value(shown, "resistor").value


@given(st.floats(-1e12, 1e12, allow_nan=False), st.integers(1, 8))
def test_numbers_are_shown_without_powers(value: float, digits: int) -> None:
    shown = show_number(value, digits)
    assert "e" not in shown and float(shown) == pytest.approx(value, rel=0.51 * 10.0 ** (1 - digits), abs=1e-300)
    assert "e" not in Quantity("x", value).text()


def test_resistances_a_meter_would_show() -> None:
    shown = [show_resistance(r) for r in (999.6, 1e9, 0.0, 0.25, 99.96, 999_600, 12_345)]
    assert shown == ["1 kΩ", "1 GΩ", "0 Ω", "0.25 Ω", "100 Ω", "1 MΩ", "12.3 kΩ"]


@pytest.mark.parametrize(
    ("inch", "texts"),
    [
        ("01005", "0402 Metric|0402M|M0402|R-0402-METRIC|0402 (01005)|01005 (0402)|R_01005_0402Metric|0402mm"),
        (
            "0201",
            (
                "0603 Metric|R-0603-METRIC|0603 (0201)|0201 (0603)|C_0201_0603Metric|0603 (metric)|metric"
                " 0603|RESC0603X33N"
            ),
        ),
        ("0402", "1005|0402|0402 (1005)|1005 (0402)|CAPC1005X55N|0402 inch|0402 imperial|C_0402_1005Metric"),
        ("2512", "2512|6332|2512 (6332)|R_2512_6332Metric"),
    ],
)
def test_size_codes_that_say_which_they_are(inch: str, texts: str) -> None:
    for text in texts.split("|"):
        assert chip_code(text) == inch == package_of(text, "R1").chip, text
    explicit = [t for t in texts.split("|") if t not in ("0402", "2512")]
    assert [chip_code(t, metric=True) for t in explicit] == [inch] * len(explicit), (
        "what is said wins over the habit of the list"
    )
    assert not any(ambiguous_code(t) for t in explicit) and ambiguous_code("0402") == "0402"


def line_of(value: str, body: str, ref: str = "R1", part_number: str = "", metric: bool = False) -> PullLine:
    return PullLine(value, package_of(body, ref, metric), part_number, (ref,), 18, 20, 0.0, 1)


@pytest.mark.parametrize(
    ("line", "label", "level"),
    [
        (("10k", "0402"), "RES 0402 1O k", Level.UNKNOWN),
        (("10k", "0402"), "0402", Level.UNKNOWN),
        (("10k", "0402"), "10k 22k 0402", Level.UNKNOWN),
        (("10k", "0402"), "10,000 0402", Level.GO),
        (("104", "0402"), "100k 0402", Level.GO),
        (("104", "0402"), "100k", Level.UNKNOWN),
        (("100k", "0402"), "104 0402", Level.GO),
        (("100E", "0402"), "100 \u2126 1% 0402", Level.GO),
        (("22", "0402"), "220", Level.STOP),
        (("10k 1%", "0402"), "10k 100ppm 5%", Level.STOP),
        (("10k", "0603"), "10k 0603 2512", Level.GO),  # 2512 is the 12th week of 2025
        (("10k", "2512"), "10k 0603 2512", Level.STOP),
        (("10k", "1206"), "10k 1206 2512", Level.UNKNOWN),
        (("10k", "0402 Metric"), "10k 01005", Level.GO),
        (("10k", "0402 Metric"), "10k 0402 (1005 Metric)", Level.STOP),
        (("10k", "0402"), "10k 0402 metric", Level.STOP),
        (("", "0402"), "10k 0402", Level.UNKNOWN),
        (("BC847", "SOT-23", "Q1"), "BC847 SOT-23", Level.GO),
        (("BC847", "SOT-23", "Q1"), "BC847B", Level.UNKNOWN),
        (("BC84", "SOT-23", "Q1"), "BC847", Level.STOP),
        (("LM317", "SOT-223", "U1"), "0402", Level.UNKNOWN),
    ],
)
def test_bags_pass_on_what_was_read_alone(line: tuple[str, ...], label: str, level: Level) -> None:
    assert check_bag(line_of(*line), label).level is level


@given(
    st.lists(
        st.sampled_from(["10k", "100 nF", "BC847", "0402", "0603", "1%", "25V", "X7R", "103", "2512", "reel", "4k7"])
    )
)
def test_no_bag_passes_on_its_body_or_rating_alone(words: list[str]) -> None:
    label = " ".join(words)
    for line in (("10k", "0402"), ("100 nF", "0402", "C1"), ("BC847", "SOT-23", "Q1"), ("", "0402")):
        found = check_bag(line_of(*line), label)
        assert found.level is not Level.GO or "value" in found.agrees, (line, label)


def test_a_metric_library_keeps_its_sizes_up_to_the_bag() -> None:
    for text, inch in (("0402", "01005"), ("0603", "0201"), ("1005", "0402"), ("1608", "0603")):
        line = line_of("10k", text, metric=True)
        assert check_bag(line, f"10k {inch}").level is Level.GO
        wrong = "0805" if inch != "0805" else "0603"
        assert check_bag(line, f"10k {wrong}").level is Level.STOP
    design = two_pad_design([Placement("R1", 5, 5, 0, "top", "0402", "10k")], metric=True)
    (bin_,) = pull_list(design, 20)
    assert (bin_.loss, bin_.extra, bin_.package.chip) == (0.05, 10, "01005")


def test_a_doubtful_bag_keeps_its_bin_open(bench: Bench) -> None:
    bench.do(c.Acknowledge("Kit"))
    bench.do(c.AcceptFiles())
    line = bench.batch.line_of["R4"]
    bench.do(c.FillBin(line.key, line.pull))
    assert not bin_open(bench.state, line.key)
    bench.do(c.CheckBag(line.key, "0402 ??"))
    assert bin_open(bench.state, line.key), "checked after it was filled"
    with pytest.raises(c.Refused, match="does not settle"):
        bench.do(c.FillBin(line.key, line.pull))
    for other in bench.batch.lines:
        if other.key != line.key:
            bench.do(c.FillBin(other.key, other.pull))
    with pytest.raises(c.Refused, match="1 bin is not filled"):
        bench.do(c.CloseKit())
    assert bench.now("Kit").title.startswith("What is in the bag")
    bench.do(c.CheckBag(line.key, "0402 ??", "measured one: it is right"))
    bench.do(c.CloseKit())


def test_resistors_whose_text_says_more_or_nothing() -> None:
    """Two resistors in series between A and C, read together; one that nobody can read leaves its nets open."""
    design = read_design(HERON)
    texts = {"R": ("10k 1%", "100R 0402"), "S": ("10k 1%", "by test")}
    for name, (first, second) in texts.items():
        made = two_pad_design(
            [Placement("R1", 5, 5, 0, "top", "0402", first), Placement("R2", 10, 5, 0, "top", "0402", second)],
            nets={("R1", "1"): "A", ("R1", "2"): "B", ("R2", "1"): "B", ("R2", "2"): "C"},
        )
        between = resistor_network(made).between
        assert between("A", "B") == pytest.approx(10e3)
        assert between("A", "C") == pytest.approx(10.1e3) if name == "R" else math.isnan(between("A", "C"))
    pair = ProbePair(design.pads[0], design.pads[1], 0.2, expected=math.nan)
    assert [pair.level(r) for r in (0.2, 47.0, 470.0, math.inf)] == [Level.STOP, Level.UNKNOWN, Level.GO, Level.GO]
    assert {j.level for j in judge_readings([pair], {pair.key: 47.0})} == {Level.UNKNOWN}


def test_without_nets_nothing_is_called_apart() -> None:
    bare = two_pad_design(
        [Placement("R1", 5, 5, 0, "top", "0402", "10k")], bom=[BomLine(("R1",), "10k", "0402", "", None)]
    )
    plan = probe_plan(bare)
    assert plan == [] and judge_readings(plan, {}) == []
    assert [j.level for j in judge_plan(bare, plan)] == [Level.UNKNOWN]
