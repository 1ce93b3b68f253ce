"""Less evidence never makes a judgement better: every verb that judges, under everything that its input may lose."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from conftest import HERON
from less import BOM, DESIGNS, LOGS, PLACED, READINGS, better

from fusilex.bench.verbs.answer import Answer
from fusilex.bench.verbs.design import apertures, check, cuts, kit
from fusilex.bench.verbs.measured import profile, refs
from fusilex.bench.verbs.printing import align, jar, weighed
from fusilex.bench.verbs.proving import probes, readings
from fusilex.core.judgement import Judgement
from fusilex.core.problems import BadInput
from fusilex.formats.bundle import Files

SEEDS = range(2)


def judged(ask: Callable[..., Answer], *of: str) -> list[Judgement] | None:
    """What a verb judges; None where it refuses."""
    try:
        return ask(*of).judgements
    except BadInput:
        return None


def folder(path: Path, files: Files) -> str:
    path.mkdir(parents=True)
    for name, data in files.items():
        (path / name).write_bytes(data)
    return str(path)


def marred(files: Files) -> dict[str, Files]:
    """Heron as it is, and with faults in its lists: a side, a turn, a package of another size."""
    placed, bom = files[PLACED], files[BOM]
    return {
        "as it is": files,
        "wrong side": files | {PLACED: placed.replace(b",0,top,SOIC-8", b",0,bottom,SOIC-8")},
        "half a turn": files | {PLACED: placed.replace(b"13.500,0,top,SOIC-8", b"13.500,180,top,SOIC-8")},
        "a count wrong": files
        | {BOM: bom.replace(b"SOIC-8,SR-0422", b"SOIC-8,SR-0422", 1).replace(b"U3,1,", b"U3,3,")},
    }


VERBS: dict[str, Callable[[str], Answer]] = {
    "check": check,
    "kit": lambda path: kit(path, 6),
    "apertures": lambda path: apertures(path, 0.12),
    "cuts": cuts,
    "probes": probes,
}


@pytest.mark.parametrize("loss", DESIGNS)
def test_a_design_that_says_less_is_judged_no_better(
    tmp_path: Path, heron_files: Files, loss: str, long_run: bool
) -> None:
    for name, whole in list(marred(heron_files).items())[: None if long_run else 2]:
        there = folder(tmp_path / name / "whole", whole)
        left = folder(tmp_path / name / "less", DESIGNS[loss](whole))
        for verb, ask in VERBS.items():
            before, after = judged(ask, there), judged(ask, left)
            assert before is not None
            if after is not None:
                assert not better(before, after), (name, verb)


def run(seed: int, peak: float, probes: int = 3) -> bytes:
    """A run of a made-up oven, sampled twice a second: soak, spike to a peak, two probes a little cooler."""
    dice = np.random.default_rng(seed)
    t = np.arange(0, 400, 0.5)
    curve = np.interp(t, [0, 110, 210, 255, 270, 400], [25, 150, 175, peak - 4, peak, 60])
    rows = ["time_s," + ",".join(f"probe {k} C" for k in range(probes))]
    rows += [
        f"{a:.1f}," + ",".join(f"{v - 2 * k + dice.normal(0, 0.1):.2f}" for k in range(probes))
        for a, v in zip(t, curve, strict=True)
    ]
    return "\n".join(rows).encode()


@pytest.mark.parametrize("loss", LOGS)
@pytest.mark.parametrize("peak", [196.0, 205.0, 214.0, 222.0, 228.0, 240.0, 250.0])
def test_a_log_that_says_less_is_judged_no_better(tmp_path: Path, loss: str, peak: float) -> None:
    for seed in SEEDS:
        whole, less = tmp_path / f"{seed}.csv", tmp_path / f"{seed}-less.csv"
        whole.write_bytes(run(seed, peak))
        less.write_bytes(LOGS[loss](run(seed, peak)))
        before, after = judged(profile, str(whole), "leaded"), judged(profile, str(less), "leaded")
        assert before is not None
        if after is not None:
            assert not better(before, after), (seed, loss)


def board_readings(seed: int, middle: float, boards: int = 8, reference: bool = True) -> bytes:
    """A rail measured on boards within 3.2 to 3.4 V, with a reference between them."""
    dice = np.random.default_rng(seed)
    rows = ["board,measurement,value,unit,low,high"]
    for n in range(boards):
        rows.append(f"b{n},3V3,{middle + dice.normal(0, 0.004):.4f},V,3.2,3.4")
        if reference and n % 3 == 0:
            rows.append(f"reference,3V3,{3.3 + dice.normal(0, 0.0005):.4f},V,3.295,3.305")
    return "\n".join(rows).encode()


@pytest.mark.parametrize("loss", READINGS)
@pytest.mark.parametrize("middle", [3.3, 3.218, 3.199, 3.15])
def test_readings_that_say_less_are_judged_no_better(tmp_path: Path, loss: str, middle: float) -> None:
    for seed in SEEDS:
        whole, less = tmp_path / f"{seed}.csv", tmp_path / f"{seed}-less.csv"
        whole.write_bytes(board_readings(seed, middle))
        less.write_bytes(READINGS[loss](board_readings(seed, middle)))
        before, after = judged(readings, str(whole)), judged(readings, str(less))
        assert before is not None
        if after is not None:
            assert not better(before, after), (seed, loss)


def looks(seed: int, off: float) -> bytes:
    dice = np.random.default_rng(seed)
    at = [(4, 4), (40, 4), (40, 27), (4, 27), (22, 15)]
    rows = ["x mm,y mm,dx mm,dy mm"]
    return "\n".join(
        [*rows, *(f"{x},{y},{off + dice.normal(0, 0.005):.3f},{dice.normal(0, 0.005):.3f}" for x, y in at)]
    ).encode()


def weights(seed: int, share: float) -> bytes:
    dice = np.random.default_rng(seed)
    rows = [f"{n},25.0000,{25 + 0.001 * 62.0 * share * (1 + dice.normal(0, 0.02)):.4f}" for n in range(1, 11)]
    return "\n".join(["print,before g,after g", *rows]).encode()


def points(seed: int, off: float) -> bytes:
    dice = np.random.default_rng(seed)
    at = {"P1": (3.5, 5.0), "P2": (146.5, 5.0), "P3": (3.5, 57.0)}
    return "\n".join(
        [
            "ref,x,y",
            *(f"{k},{x + 10 + off * (k == 'P3') + dice.normal(0, 0.002):.3f},{y + 5:.3f}" for k, (x, y) in at.items()),
        ]
    ).encode()


def jar_log(seed: int, warm: float) -> bytes:
    dice = np.random.default_rng(seed)
    t = np.arange(0, 40 * 86400, 3600)
    rows = (f"{a},{6 + (warm if 5 < a / 86400 < 6 else 0) + dice.normal(0, 0.2):.2f}" for a in t.tolist())
    return "\n".join(["time_s,air C", *rows]).encode()


MEASURED: dict[str, tuple[Callable[[int, float], bytes], tuple[float, ...], Callable[[str, str], Answer]]] = {
    "align": (looks, (0.0, 0.03, 0.08, 0.2), lambda heron, file: align(heron, file, 0.12)),
    "weighed": (weights, (1.0, 0.72, 0.5, 1.3), lambda heron, file: weighed(heron, file, 0.12, "leaded")),
    "refs": (points, (0.0, 0.05, 0.2, 0.6), refs),
    "jar": (jar_log, (0.0, 12.0, 30.0), lambda heron, file: jar(file, "leaded")),
}


@pytest.mark.parametrize("loss", READINGS)
@pytest.mark.parametrize("verb", MEASURED)
def test_what_was_measured_less_well_is_judged_no_better(tmp_path: Path, verb: str, loss: str) -> None:
    made, truths, ask = MEASURED[verb]
    for truth in truths:
        for seed in SEEDS:
            whole, less = tmp_path / f"{seed} {truth}.csv", tmp_path / f"{seed} {truth} less.csv"
            whole.write_bytes(made(seed, truth))
            less.write_bytes(READINGS[loss](made(seed, truth)))
            before, after = judged(ask, str(HERON), str(whole)), judged(ask, str(HERON), str(less))
            assert before is not None
            if after is not None:
                assert not better(before, after), (truth, seed)
