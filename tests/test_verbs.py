"""The headless verbs: fixed keys, exit codes, nothing on stdout when the input is bad."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

import pytest
from conftest import HERON
from exports import shifted

from fusilex.app import main
from fusilex.bench.record.bench import Bench
from fusilex.bench.stations.place.events import Placing
from fusilex.bench.stations.place.machine import point_at
from fusilex.bench.stations.place.references import judge_machine
from fusilex.core.placing.references import error_within
from fusilex.core.similarity import fit_similarity
from fusilex.formats.bundle import Files

POINTS = "ref,x,y\nFID1,105.9,78.9\nFID2,136.0,79.4\nFID3,134.6,52.4\nU1,117.0,65.5\n"


@pytest.fixture
def points(tmp_path: Path) -> str:
    path = tmp_path / "points.csv"
    path.write_text(POINTS)
    return str(path)


def ask(capsys: pytest.CaptureFixture[str], *arguments: str) -> tuple[list[dict[str, Any]], dict[str, Any]]:
    assert main([*arguments, "--json"]) == 0
    answer = json.loads(capsys.readouterr().out)
    for judgement in answer["judgements"]:
        assert {"rule", "level", "subject", "headline", "because"} <= judgement.keys()
        assert judgement["level"] in ("go", "care", "stop", "unknown")
    assert main(list(arguments)) == 0
    assert len(capsys.readouterr().out) > 40
    return answer["judgements"], answer["data"]


def test_check(capsys: pytest.CaptureFixture[str]) -> None:
    judged, data = ask(capsys, "check", str(HERON))
    assert {j["level"] for j in judged} == {"go"} and data["findings"] == []
    assert data["size_mm"] == [44.0, 31.0]
    roles = {(f["role"], f["side"]) for f in data["files"]}
    assert {
        ("copper", "top"),
        ("paste", "bottom"),
        ("outline", None),
        ("bom", None),
        ("netlist", None),
        ("drill", None),
    } <= roles
    assert data["parts"][0].keys() >= {"ref", "side", "x_mm", "y_mm", "rotation_deg", "package"}


def test_kit(capsys: pytest.CaptureFixture[str]) -> None:
    _, data = ask(capsys, "kit", str(HERON), "--boards", "18")
    line = next(x for x in data["lines"] if x["value"] == "100 nF")
    assert (line["per_board"], line["need"], line["pull"]) == (5, 90, 101)


def test_apertures(capsys: pytest.CaptureFixture[str]) -> None:
    _, data = ask(capsys, "openings", str(HERON), "--foil", "0.12")
    one = next(o for o in data["openings"] if (o["part"], o["pad"]) == ("U1", "1"))
    assert one["area_ratio"] == pytest.approx(0.8 * 0.25 / (2 * 1.05 * 0.12), rel=1e-3)
    assert one["aspect_ratio"] == pytest.approx(0.25 / 0.12, rel=1e-3) and one["side"] == "top"
    assert data["paste_mg"]["top"] > data["paste_mg"]["bottom"] > 0


def test_refs(capsys: pytest.CaptureFixture[str], points: str) -> None:
    judged, data = ask(capsys, "refs", str(HERON), points)
    assert data["transform"]["dx_mm"] == pytest.approx(100) and data["transform"]["dy_mm"] == pytest.approx(50)
    assert (data["transform"]["rotation_deg"], data["transform"]["scale"]) == (
        pytest.approx(0, abs=1e-9),
        pytest.approx(1),
    )
    assert (
        len(data["residuals_mm"]) == 4
        and data["worst_part"].keys() == {"ref", "cell", "error_mm", "standard_error_mm"}
        and judged[0]["level"] == ("care" if data["read_step_mm"] >= 0.1 else "go")
    ), "points that end on whole tenths are known to a tenth"


def test_check_and_openings_agree_and_empty_answers_say_why(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, heron_files: Files
) -> None:
    def folder(name: str, files: Files) -> str:
        (tmp_path / name).mkdir()
        for file, data in files.items():
            (tmp_path / name / file).write_bytes(data)
        return str(tmp_path / name)

    off = heron_files | {"heron-r2-paste-top.gbr": shifted(heron_files["heron-r2-paste-top.gbr"], 1.7, 0.9)}
    moved = folder("moved", off)
    stops = [
        {j["headline"] for j in ask(capsys, *verb)[0] if j["level"] == "stop" and j["rule"].startswith("ready.")}
        for verb in (("check", moved), ("openings", moved, "--foil", "0.12"))
    ]
    assert stops[0] == stops[1] != set()
    plain = {n: re.sub(rb"%T[FAOD][^%]*%\n", b"", d) for n, d in heron_files.items() if not n.endswith(".ipc")}
    judged, data = ask(capsys, "probes", folder("bare", plain))
    assert data["pairs"] == [] and [j["level"] for j in judged] == ["unknown"]


def test_refs_by_panel_fiducials_equal_the_windows_answer(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, bench: Bench
) -> None:
    off = {"P1": (0.02, 0.0), "P2": (0.0, -0.02), "P3": (0.01, 0.01), "U1@4": (0.0, 0.02)}
    rows = []
    for name, (dx, dy) in off.items():
        x, y = point_at(bench.batch, name)
        rows.append(f"{name},{x + 7 + dx:.4f},{y - 3 + dy:.4f}")
        bench.state[Placing].taught.setdefault((1, "Place"), {})[name] = (x + 7 + dx, y - 3 + dy)
    (tmp_path / "taught.csv").write_text("ref,x,y\n" + "\n".join(rows))
    _, data = ask(capsys, "refs", str(HERON), str(tmp_path / "taught.csv"))
    (window,) = [j for j in judge_machine(bench.batch, 1) if j.rule == "place.error"]
    assert f"{data['worst_part']['ref']} in cell {data['worst_part']['cell']}" == window.subject.partition(", ")[0]
    assert data["worst_part"]["error_mm"] == pytest.approx(float(window.quantities[0].value), rel=1e-6)
    fit = fit_similarity(
        [point_at(bench.batch, n) for n in off], [bench.state[Placing].taught[1, "Place"][n] for n in off]
    )
    every = [point_at(bench.batch, f"{p.ref}@{cell}") for p in bench.batch.parts_of("Place") for cell in range(1, 7)]
    assert data["worst_part"]["error_mm"] == pytest.approx(
        error_within(fit, every, data["read_step_mm"]).max(), rel=1e-4
    )
    (tmp_path / "taught.csv").write_text("ref,x,y\n" + "\n".join([rows[0], rows[0]]))
    assert main(["refs", str(HERON), str(tmp_path / "taught.csv")]) == 2
    assert "at least two points in different places" in capsys.readouterr().err


def test_profile_and_probes(capsys: pytest.CaptureFixture[str]) -> None:
    _, data = ask(capsys, "profile", str(HERON / "oven-run-1.csv"), "--window", "leaded")
    keys = {"max_heating_c_per_s", "soak_s", "above_melting_s", "peak_c", "max_cooling_c_per_s", "window_index"}
    assert keys <= data["metrics"].keys() and data["metrics"]["window_index"] < 100
    _, data = ask(capsys, "probes", str(HERON), "--max-gap", "0.3")
    assert (
        all(p["gap_mm"] < 0.3 and p["net_a"] != p["net_b"] for p in data["pairs"])
        and data["pairs"][0]["a"].count(".") == 1
    )


def test_papers(capsys: pytest.CaptureFixture[str], bench: Bench, tmp_path: Path) -> None:
    from fusilex.app import run_verb
    from fusilex.command_line.parser import parser

    pdf = tmp_path / "board.pdf"
    options = parser().parse_args(["--journal", bench.journal.url, "papers", "H7-05", "--json", "--pdf", str(pdf)])
    assert run_verb(options) == 0
    data = json.loads(capsys.readouterr().out)["data"]
    assert data["serial"] == "H7-05" and len(data["parts"]) == 48 and pdf.read_bytes().startswith(b"%PDF")
    assert main(["--journal", bench.journal.url, "papers", "H9-99"]) == 2


@pytest.mark.parametrize(
    "arguments",
    [
        ["check", "/nowhere"],
        ["openings", str(HERON), "--foil", "0"],
        ["kit", str(HERON), "--boards", "0"],
        ["profile", str(HERON / "heron-r2-bom.csv"), "--window", "leaded"],
        ["probes", str(HERON), "--max-gap", "-1"],
        ["refs", str(HERON), str(HERON / "heron-r2-bom.csv")],
    ],
)
def test_bad_input_exits_two_with_a_sentence_and_no_output(
    capsys: pytest.CaptureFixture[str], arguments: list[str]
) -> None:
    assert main([*arguments, "--json"]) == 2
    out, err = capsys.readouterr()
    assert out == "" and "expected" in err and err.count("\n") == 1


def test_fail_on(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["check", str(HERON), "--fail-on", "care"]) == 0
    assert main(["openings", str(HERON), "--foil", "0.15", "--fail-on", "stop"]) == 0
    assert main(["openings", str(HERON), "--foil", "0.15", "--fail-on", "care"]) == 1
    assert main(["openings", str(HERON), "--foil", "0.2", "--fail-on", "stop"]) == 1
