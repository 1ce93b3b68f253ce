"""Oven logs of every habit: the run that was is within what the record is said to tell, whatever is missing from it."""

from __future__ import annotations

import json
from collections.abc import Callable

import asked as c
import numpy as np
import pytest
from asked import marks_seen
from hypothesis import given
from hypothesis import strategies as st
from windows import WINDOWS

from fusilex.app import main
from fusilex.bench.record.bench import Bench
from fusilex.core.evidence import Level
from fusilex.core.problems import BadInput
from fusilex.core.reflow.judge import judge_profile
from fusilex.core.reflow.metrics import FIELDS, FOREVER, Doubt, Metrics
from fusilex.core.reflow.profile import measure, measure_log
from fusilex.formats.lists.temperature_log import read_log

LEADED = WINDOWS["leaded"]


def run_of(
    peak: float = 215.0, soak: float = 90.0, up: float = 1.5, down: float = 2.0
) -> Callable[[np.ndarray], np.ndarray]:
    """25 → 100 at `up`, → 150 in `soak` s, → peak at 1.2, about there for 10 s, → 40 at `down` °C/s. No oven stands
    still at its top: it bends by a tenth of a degree.
    """
    corners = [(0.0, 25.0), (75 / up, 100.0), (75 / up + soak, 150.0)]
    corners.append((corners[-1][0] + (peak - 150) / 1.2, peak))
    corners.append((corners[-1][0] + 10, peak))
    corners.append((corners[-1][0] + (peak - 40) / down, 40.0))
    t, y = np.array(corners).T
    middle = (t[-3] + t[-2]) / 2

    def made(at: np.ndarray) -> np.ndarray:
        bend = np.where(np.abs(at - middle) < 6, peak - 0.1 * ((at - middle) / 5) ** 2, np.inf)
        return np.minimum(np.interp(at, t, y), bend)

    made.end = t[-1]  # type: ignore[attr-defined]
    return made


def levels(found: Metrics) -> set[Level]:
    return {j.level for j in judge_profile({"a": found}, LEADED)}


@given(
    st.floats(195, 235),
    st.floats(40, 150),
    st.floats(0.5, 2.9),
    st.floats(0.5, 5.0),
    st.sampled_from((0.5, 1, 2, 4, 7, 12, 20, 31)),
    st.lists(st.tuples(st.floats(0, 380), st.floats(1, 70)), max_size=2),
    st.integers(0, 30),
    st.floats(0, 1),
)
def test_what_the_record_tells_holds_for_the_run_that_was(
    peak: float,
    soak: float,
    up: float,
    down: float,
    step: float,
    holes: list[tuple[float, float]],
    late: int,
    phase: float,
) -> None:
    run = run_of(peak, soak, up, down)
    whole = np.arange(0, run.end, 0.25)  # type: ignore[attr-defined]
    truth = measure(whole, run(whole), LEADED)
    t = np.arange(late + phase * step, run.end, step)  # type: ignore[attr-defined]
    for start, length in holes:
        t = t[(t < start) | (t > start + length)]
    if len(t) < 10:
        return
    told = measure(t, run(t), LEADED)
    for name in FIELDS:
        doubt, was = told.doubts.get(name), getattr(truth, name)
        near = {
            "peak_c": 6.0,
            "to_peak_s": 14.0 + step + float(t[0]),
            "soak_s": 3.0 + step,
            "above_melting_s": 4.0 + step,
        }.get(name, 0.35 * was + 0.1)
        if doubt is not None:
            assert doubt.low - near <= was <= doubt.high + near, (name, doubt, was)
        elif np.isfinite(getattr(told, name)) or np.isfinite(was):
            assert getattr(told, name) == pytest.approx(was, abs=near), name
    if levels(told) == {Level.GO}:
        assert Level.STOP not in levels(truth), "never a false go"


@pytest.mark.parametrize("step", [1, 6, 8, 9.5])
def test_slopes_are_seen_however_sparse_the_samples(step: float) -> None:
    run = run_of(up=4.0)
    t = np.arange(0, run.end, step)  # type: ignore[attr-defined]
    found = measure(t, run(t), LEADED)
    assert Level.CARE in levels(found) and found.max_heating_c_per_s == pytest.approx(4.0, rel=0.25)


@pytest.mark.parametrize(
    ("keep", "level", "open_"),
    [
        (lambda t: (t < 190) | (t > 225), Level.UNKNOWN, "peak_c"),  # over the peak
        (lambda t: (t < 60) | (t > 100), Level.GO, None),  # in the soak: too little rise to hide a fast one
        (lambda t: t > 70, Level.UNKNOWN, "soak_s"),  # begins in the soak
        (lambda t: t > 175, Level.UNKNOWN, "above_melting_s"),  # begins molten
        (lambda t: t < 195, Level.UNKNOWN, "peak_c"),  # ends at its hottest
        (lambda t: t < 215, Level.UNKNOWN, "max_cooling_c_per_s"),  # ends molten
    ],
)
def test_gaps_and_ends(keep: Callable[[np.ndarray], np.ndarray], level: Level, open_: str | None) -> None:
    run = run_of()
    t = np.arange(0, run.end, 1.0)  # type: ignore[attr-defined]
    assert levels(measure(t, run(t), LEADED)) == {Level.GO}
    t = t[keep(t)]
    found = measure(t, run(t), LEADED)
    assert level in levels(found) and Level.STOP not in levels(found)
    assert open_ is None or found.doubts[open_].why
    again = Metrics.from_dict(json.loads(json.dumps(found.as_dict())))
    assert {k: d.why for k, d in again.doubts.items()} == {k: d.why for k, d in found.doubts.items()}


@pytest.mark.parametrize(
    "more", [[], [["none such", {}]], [["begins late", {"at": [1, 2, 3, 4, 5, 6, 7, 8]}]], [[]], [7]]
)
def test_a_reason_of_another_version_stands_as_it_was_written(more: list[object]) -> None:
    told = Doubt.from_list([1.0, None, "the record begins at 108 °C, in a way of its own", *more])
    assert (told.low, told.high, told.words) == (1.0, FOREVER, "the record begins at 108 °C, in a way of its own")
    assert Doubt.from_list(told.as_list()) == told and Doubt.from_list([1.0, 2.0, ""]).why is None


def test_wild_samples_idling_and_doubled_times() -> None:
    run = run_of()
    t = np.arange(0, run.end, 1.0)  # type: ignore[attr-defined]
    clean = measure(t, run(t), LEADED)
    for at, value, width in ((100, 300.0, 1), (180, -40.0, 2), (len(t) - 1, 260.0, 1)):
        y = run(t)
        y[at : at + width] = value
        found = measure(t, y, LEADED)
        assert found.peak_c == clean.peak_c and found.wild == width and levels(found) == {Level.GO}
    idle = np.concatenate([25 + 0.4 * np.sin(np.arange(300.0)), run(t)])
    later = measure(np.arange(len(idle), dtype=float), idle, LEADED)
    assert later.to_peak_s == pytest.approx(clean.to_peak_s, abs=1.0) and levels(later) == {Level.GO}
    warm = measure(np.arange(len(idle), dtype=float), np.maximum(idle, 31.0), LEADED)
    assert warm.to_peak_s == pytest.approx(clean.to_peak_s - 6 / 1.5, abs=1.0)
    both = np.repeat(t, 2)
    assert measure(both, run(both), LEADED).peak_c == clean.peak_c


def test_limits_belong_to_the_window() -> None:
    at = Metrics(3.0, 120.0, 90.0, 225.0, 4.0, 360.0)
    assert levels(at) == {Level.GO}
    for field, value in (
        ("max_heating_c_per_s", 3.01),
        ("soak_s", 120.1),
        ("above_melting_s", 90.1),
        ("max_cooling_c_per_s", 4.1),
        ("to_peak_s", 361),
    ):
        assert levels(Metrics(**{**{f: getattr(at, f) for f in FIELDS}, field: value})) == {Level.CARE}


@pytest.mark.parametrize(
    ("header", "time", "fahrenheit", "probe"),
    [
        ("t,temp_F", "{s:g}", True, "temp"),
        ("time,degF", "{s:g}", True, "degF"),
        ("time_s,TC1_F", "{s:g}", True, "TC1"),
        ("time (s),temp ºF", "{s:g}", True, "temp"),
        ("time,probe F (°C)", "{s:g}", False, "probe F"),
        ("time,temperature [F]", "{s:g}", True, "temperature"),
        ("time (min),board C", "{m:.6f}", False, "board"),
        ("time (ms),U1 °C", "{ms:.0f}", False, "U1"),
        ("millis,temp_C", "{ms:.0f}", False, "temp"),
        ("mm:ss,temp_C", "{mm}:{ss:02d}", False, "temp"),
        ("time,temp_C", "0:{mm:02d}:{ss:02d}.0", False, "temp"),
        ("time,temp_C", "2026-11-26 10:{mm:02d}:{ss:02d}", False, "temp"),
        ("timestamp,temp_C", "23:5{mm5}:{ss:02d}", False, "temp"),
        ("time,probe A,probe F", "{s:g}", False, "probe F"),
    ],
)  # fmt: skip
def test_headers_times_and_units(header: str, time: str, fahrenheit: bool, probe: str) -> None:
    run, rows = run_of(), []
    seconds = np.arange(0, 300 if "mm5" in time else run.end, 2.0)  # type: ignore[attr-defined]
    for s in seconds.tolist():
        celsius = float(run(np.array(s)))
        value = f"{celsius * 1.8 + 32 if fahrenheit else celsius:.4f}"
        stamp = time.format(s=s, ms=1000 * s, m=s / 60, mm=int(s // 60), ss=int(s % 60), mm5=5 + int(s // 60))
        rows.append(",".join([stamp.replace("23:510:", "00:00:"), *[value] * header.count(",")]))
    if "mm5" in time:
        rows = [r for r in rows if not r.startswith(("23:56", "23:57", "23:58", "23:59"))][:10] + [
            f"00:00:{n:02d},{50 + n}" for n in range(10)
        ]
        log = read_log("\n".join([header, *rows]).encode(), "l.csv")
        assert (np.diff(log.time_s) > 0).all() and log.time_s[-1] < 3600
        return
    log = read_log("\n".join([header, *rows]).encode(), "l.csv")
    assert log.time_s == pytest.approx(seconds, abs=0.01)
    assert log.probes_c[probe] == pytest.approx(run(seconds), abs=0.01)


def test_missing_cells_and_columns_are_no_readings(
    tmp_path: object, bench: Bench, capsys: pytest.CaptureFixture[str]
) -> None:
    run = run_of()
    t = np.arange(0, run.end, 1.0)  # type: ignore[attr-defined]
    words = ["", "nan", "--", "N/A", "open"]
    rows = [f"{s:g},{words[int(s) % 5] if 40 <= s < 46 else f'{run(np.array(s)):.3f}'},,{100 + s:g}" for s in t]
    data = "\n".join(["time s,U1 C,spare C,setpoint C", *rows]).encode()
    log = read_log(data, "l.csv")
    assert list(log.probes_c) == ["U1"] and log.silent == ("spare",) and np.isnan(log.probes_c["U1"]).sum() == 6
    direct = measure_log(log.time_s, log.probes_c, LEADED)
    assert levels(direct["U1"]) == {Level.GO}
    path = tmp_path / "l.csv"  # type: ignore[operator]
    path.write_bytes(data)
    assert main(["profile", str(path), "--window", "leaded", "--json"]) == 0
    assert '"spare"' in capsys.readouterr().out
    bench.do(c.Acknowledge("Reflow"))
    for board in bench.state.boards.values():
        board.step = "Reflow"
    marks_seen(bench)
    bench.do(c.RecordReflow(1, "l.csv", data))
    told = bench.judgements("Reflow")
    assert {(j.level, j.says.case) for j in told} == {(Level.UNKNOWN, "silent")}, "the same function at both entrances"
    assert "spare" in told[0].headline


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("time,temp\n" + "\n".join(f"{n},{72 + n}" for n in range(20)), "unit in the header"),
        ("time,temp C\n" + "\n".join(f"{n * 500},{25 + n}" for n in range(20)), "unit in the header of the times"),
        ("time,temp C\n" + "\n".join(f"{20 - n},{25 + n}" for n in range(20)), "times that do not fall"),
        ("time,temp °C °F\n" + "\n".join(f"{n},{25 + n}" for n in range(20)), "one unit"),
        ("time,setpoint C\n" + "\n".join(f"{n},{25 + n}" for n in range(20)), "measured temperatures"),
        ("time,temp C\n" + "\n".join(f"1:{n + 50}:00,{25 + n}" for n in range(20)), "a time such as"),
        ("time,temp C\n" + "\n".join(f"{n}," for n in range(20)), "temperatures of one probe"),
        ("time,temp C\n" + "\n".join(f"{n},9{n:02d}" for n in range(20)), "between -60 and 600"),
    ],
)
def test_logs_that_cannot_be_read_say_why(text: str, expected: str) -> None:
    with pytest.raises(BadInput) as problem:
        read_log(text.encode(), "l.csv")
    assert expected in str(problem.value)
