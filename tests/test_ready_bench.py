"""Ready at the bench: files of any habit, corrections that are events, what the workshop remembers."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable
from pathlib import Path

import asked as c
import pytest
from asked import project
from big_board import big_board
from exports import shifted
from msgspec.structs import replace

from fusilex.bench.common.files import DesignFiles
from fusilex.bench.intake.design import design_from
from fusilex.bench.intake.lists import table_of
from fusilex.bench.record.bench import Bench
from fusilex.bench.rooms import open_journal
from fusilex.bench.stations.ready import typed_input
from fusilex.bench.stations.ready.files import offered
from fusilex.bench.stations.ready.judging import judge_bath, ready_findings
from fusilex.bench.workshop.habits import Habits
from fusilex.core.checks.fixes import Fix
from fusilex.core.design.model import Design
from fusilex.core.evidence import Level
from fusilex.core.panel.layout import Panel
from fusilex.formats.bundle import Files
from fusilex.formats.identify import revision_of
from fusilex.journal.place import sqlite_url


def opened(tmp_path: Path, files: Files, boards: int = 6) -> Bench:
    return Bench.open_batch(
        open_journal(sqlite_url(tmp_path / "r.sqlite")), files, "Heron", boards, prefix="H", number=1
    )


def relisted(files: Files, change: object) -> Files:
    """The placement list with every x, y changed by a function of x, y, side, which may also give degrees to add to
    the turn.
    """
    rows = files["heron-r2-placements.csv"].decode().splitlines()
    out = [rows[0]]
    for row in rows[1:]:
        cells = row.split(",")
        x, y, *more = change(float(cells[1]), float(cells[2]), cells[4])  # type: ignore[operator]
        turn = (float(cells[3]) + sum(more)) % 360
        out.append(",".join([cells[0], f"{x:.4f}", f"{y:.4f}", f"{turn:g}", *cells[4:]]))
    return files | {"heron-r2-placements.csv": "\n".join(out).encode()}


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda x, y, s: (x + 12.5, y - 3), "shifted"),
        (lambda x, y, s: (x / 25.4, y / 25.4), "inch taken for mm"),
        (lambda x, y, s: (44 - x if s == "bottom" else x, y), "seen from below"),
        (lambda x, y, s: (31 - y, x, 90 if s == "top" else -90), "turned 270"),
    ],
)
def test_one_correction_explains_a_whole_list_and_is_an_event(
    tmp_path: Path, heron_files: Files, change: object, words: str
) -> None:
    bench = opened(tmp_path, relisted(heron_files, change))
    stops = [j for j in bench.route.open_stops(bench.batch, "Ready") if j.rule == "ready.systematic"]
    assert len(stops) == 1 and words in stops[0].headline
    assert len(bench.route.open_stops(bench.batch, "Ready")) == 1, (
        "what the one fault explains is not listed part by part"
    )
    before = bench.source.files
    bench.do(c.ApplyFix(offered(bench.design)[stops[0].key]))
    assert not [j for j in bench.judgements("Ready") if j.level is Level.STOP] and bench.source.files == before
    assert Bench(bench.journal, bench.id).design.part_by_ref["U1"].x == pytest.approx(17, abs=2e-3)
    bench.do(c.Undo())
    assert [j.key for j in bench.route.open_stops(bench.batch, "Ready")] == [stops[0].key]


def test_every_finding_with_a_fix_is_mended_by_it(tmp_path: Path, heron_files: Files) -> None:
    bom, placed = (heron_files[f"heron-r2-{n}.csv"].decode() for n in ("bom", "placements"))
    rows = placed.splitlines()
    r4 = next(r for r in rows if r.startswith("R4,"))
    c5 = next(r for r in rows if r.startswith("C5,"))
    seeded = {
        "missing": ("placements", placed.replace(r4 + "\n", "")),
        "doubled": ("placements", placed + r4.replace(r4.split(",")[1], "3.000") + "\n"),
        "side": ("placements", placed.replace(c5, c5.replace(",top,", ",bottom,"))),
        "off-board": ("placements", placed.replace(c5, ",".join(["C5", "90.0", *c5.split(",")[2:]]))),
        "quantity": ("bom", bom.replace("U1,1,", "U1,2,")),
    }
    for kind, (which, text) in seeded.items():
        bench = opened(tmp_path / kind, heron_files | {f"heron-r2-{which}.csv": text.encode()})
        findings = ready_findings(bench.design)[0]
        assert [f.kind for f in findings] == [kind], kind
        assert findings[0].fix
        bench.do(c.ApplyFix(findings[0].fix))
        assert ready_findings(bench.design)[0] == [], kind
        bench.do(c.WithdrawFix(findings[0].fix))
        assert [f.kind for f in ready_findings(bench.design)[0]] == [kind]


def test_the_size_code_trap(tmp_path: Path, heron_files: Files) -> None:
    """Lists that write metric codes without saying so: 1005 stays clear, 0603 would be read as twice its size."""
    lists = {n: heron_files[n].decode() for n in ("heron-r2-bom.csv", "heron-r2-placements.csv")}
    bare = {n: t.replace("0402 (1005)", "0402").replace("0603 (1608)", "0603") for n, t in lists.items()}
    bench = opened(tmp_path / "a", heron_files | {n: t.encode() for n, t in bare.items()})
    assert not [f for f in ready_findings(bench.design)[0] if f.kind == "size-code"], "inch codes fit the pads"
    swapped = {n: t.replace("0402 (1005)", "0201").replace("0603 (1608)", "0402") for n, t in lists.items()}
    bench = opened(tmp_path / "b", heron_files | {n: t.encode() for n, t in swapped.items()})
    kinds = {f.kind for f in ready_findings(bench.design)[0]}
    assert "size" in kinds and kinds <= {"size", "size-code"}, "one size down in both lists is seen by the pads"
    metric = {n: t.replace("0402 (1005)", "1005").replace("0603 (1608)", "1608") for n, t in lists.items()}
    bench = opened(tmp_path / "c", heron_files | {n: t.encode() for n, t in metric.items()})
    mixed = ready_findings(bench.design)[0]
    assert [(f.kind, f.level) for f in mixed] == [("size-code", Level.CARE)], "LED 0603 beside 1608"
    assert bench.design.part_by_ref["C5"].package.size_x == 1.0
    bench.do(c.ApplyFix(Fix("size-codes", "", {"metric": True})))
    assert bench.design.part_by_ref["C5"].package.known


@pytest.mark.parametrize(
    ("file", "change", "rule", "words"),
    [
        (
            "heron-r2-paste-top.gbr",
            lambda d: shifted(d, 1.7, 0.9),
            "ready.layers",
            "Top paste: not aligned with its copper",
        ),
        ("heron-r2-plated.drl", lambda d: shifted(d, 5.3, 0), "ready.layers", "Drill: not aligned with the copper"),
        ("heron-r2-outline.gbr", lambda d: shifted(d, 0, 12), "ready.layers", "Top copper: .* outside the outline"),
        ("heron-r2-mask-top.gbr", lambda d: d.replace(b",R2*%", b",Rev. 1*%"), "ready.revision", r"mask-top.gbr \(1\)"),
    ],
)
def test_layers_of_another_revision_are_named(
    heron_files: Files, file: str, change: Callable[[bytes], bytes], rule: str, words: str
) -> None:
    judged = ready_findings(design_from(heron_files | {file: change(heron_files[file])}, "x"))[1]
    named = [j for j in judged if j.rule == rule]
    assert named and re.search(words, named[0].headline)
    assert named[0].level is Level.STOP
    assert {j.rule for j in judged if j.level is not Level.GO} <= {rule, "ready.netlist", "ready.off-board"}


def test_a_list_counted_on_its_own_is_a_care(heron_files: Files) -> None:
    files = {n.replace("r2-bom", "bom_v3"): d for n, d in heron_files.items()}
    judged = [j for j in ready_findings(design_from(files, "x"))[1] if j.level is not Level.GO]
    assert [(j.rule, j.level) for j in judged] == [("ready.revision", Level.CARE)] and "bom_v3.csv (3)" in judged[
        0
    ].headline
    names = {"Board_RevB.gbr": "B", "top rev 3.gbr": "3", "a_v1.3-F.gbr": "1.3", "driver2.gbr": "", "power_r.gbr": ""}
    assert {n: revision_of(n, b"") for n in names} == names


def test_files_are_reassigned_and_the_next_design_of_that_source_knows(tmp_path: Path, heron_files: Files) -> None:
    odd = {n.replace("heron-r2-paste-top", "heron-r2-zz9"): d for n, d in heron_files.items()}
    plain = odd["heron-r2-zz9.gbr"]
    odd["heron-r2-zz9.gbr"] = b"\n".join(line for line in plain.splitlines() if not line.startswith(b"%TF"))
    bench = opened(tmp_path, odd)
    note = next(n for n in bench.design.files if n.name == "heron-r2-zz9.gbr")
    assert (note.role, note.side, note.sure) == ("paste", "top", "guessed"), "told by its shapes"
    bench.do(c.AssignFile(note.name, "silk", "top"))
    assert bench.design.layer("paste", "top") is not None and "worked out" in bench.design.remarks[-1].text
    with pytest.raises(c.Refused, match="has a side"):
        bench.do(c.AssignFile(note.name, "paste"))
    again = Bench.open_batch(bench.journal, odd, "Heron", 2, number=2)
    assert next(n for n in again.design.files if n.name == note.name).sure == "chosen"
    bench.do(c.Undo())
    assert again.refresh() and again.workshop[Habits].roles == {} and bench.design.layer("paste", "top") is not None


def test_columns_are_picked_and_remembered_by_header(tmp_path: Path, heron_files: Files) -> None:
    rows = [r.split(",") for r in heron_files["heron-r2-placements.csv"].decode().splitlines()]
    odd = [["Item", "Nach rechts", "Nach oben", "Dreh", "Wo", "Was", "Wieviel"], *rows[1:]]
    files = heron_files | {"heron-r2-placements.csv": "\n".join(";".join(r) for r in odd).encode()}
    bench = opened(tmp_path, files)
    assert [j.rule for j in bench.judgements("Ready") if j.level is Level.CARE] == ["ready.columns"]
    assert ready_findings(bench.design)[0] == [], "told by content"
    picked = {"ref": 0, "x": 1, "y": 2, "rotation": 3, "side": 4, "package": 5, "value": 6}
    bench.do(c.PickColumns("heron-r2-placements.csv", picked))
    assert not [j for j in bench.judgements("Ready") if j.level is Level.CARE]
    again = Bench.open_batch(bench.journal, files, "Heron", 2, number=2)
    assert again.state[DesignFiles].columns == {"heron-r2-placements.csv": picked}
    with pytest.raises(Exception, match="expected a number"):
        bench.do(c.PickColumns("heron-r2-placements.csv", {**picked, "x": 5}))
    assert bench.state[DesignFiles].columns["heron-r2-placements.csv"] == picked


def test_a_list_that_nothing_tells_waits_for_its_columns(tmp_path: Path, heron_files: Files) -> None:
    rows = [r.split(",") for r in heron_files["heron-r2-placements.csv"].decode().splitlines()[1:]]
    text = "\n".join(["Was|Lang|Breit|Dreh|Wo", *("|".join((r[0] + " .", *r[1:5])) for r in rows)])
    files = {n: d for n, d in heron_files.items() if "placements" not in n} | {"placements.txt": text.encode()}
    bench = opened(tmp_path, files)
    waiting = [j for j in bench.judgements("Ready") if j.rule == "ready.columns"]
    assert [(j.subject, j.level) for j in waiting] == [("placements.txt", Level.CARE)]
    assert len(bench.design.placements) == 55, "from the copper's names until then"
    for picked in ({"ref": 0}, {"ref": 0, "x": 1}, {"ref": 0, "x": 1, "y": 2, "rotation": 3, "side": 4}):
        assert not any(p.line for p in bench.design.placements)
        bench.do(c.PickColumns("placements.txt", picked))
        table = table_of(files["placements.txt"], "placements.txt", "placements", picked)
        assert table is not None and table.fields == picked and table.columns[0] == "Was"
    assert [(p.ref, p.line) for p in bench.design.placements[:2]] == [("U1 .", 2), ("U2 .", 3)]
    assert Bench.open_batch(bench.journal, files, "Heron", 2, number=2).state[DesignFiles].columns == {
        "placements.txt": picked
    }
    for role in ("bom", "other"):
        bench.do(c.AssignFile("placements.txt", role))
    assert not [j for j in bench.judgements("Ready") if j.rule == "ready.columns"]


def test_files_are_added_one_by_one_and_bad_ones_change_nothing(tmp_path: Path, heron_files: Files) -> None:
    bench = opened(tmp_path, {n: d for n, d in heron_files.items() if "bom" not in n})
    assert any(j.level is Level.UNKNOWN for j in bench.judgements("Ready"))
    events = len(bench.record.history)
    with pytest.raises(Exception, match="end mark"):
        bench.do(c.AddFiles({"extra-copper-top.gbr": heron_files["heron-r2-copper-top.gbr"][:900]}))
    assert len(bench.record.history) == events
    from openpyxl import Workbook

    book = Workbook()
    book.active.append(["Saltreed Instruments, parts of Heron R2"])
    for row in csv.reader(heron_files["heron-r2-bom.csv"].decode().splitlines()):
        book.active.append(row)
    stream = io.BytesIO()
    book.save(stream)
    bench.do(c.AddFiles({"parts.xlsx": stream.getvalue()}))
    assert len(bench.design.bom) == 35 and bench.route.open_stops(bench.batch, "Ready") == []
    again = Bench(bench.journal, bench.id)
    assert again.design.bom == bench.design.bom
    bench.do(c.AcceptFiles())
    with pytest.raises(c.Refused, match="accepted"):
        bench.do(c.AddFiles({"x.csv": b"a"}))


def test_a_body_without_a_name_is_measured_under_the_name_of_its_pads(tmp_path: Path, heron_files: Files) -> None:
    bare = {n: d for n, d in heron_files.items() if n.endswith((".gbr", ".drl"))}
    bench = opened(tmp_path, {n: re.sub(rb"%T[AOD][^%]*%\n", b"", d) for n, d in bare.items()})
    before = {p.ref: p.package for p in bench.design.parts}
    chip = next(b for b in before.values() if b.code.startswith("8 pads"))
    assert not chip.known and chip.mass_from == "volume"
    bench.do(c.SetPackage(chip.code, 4.9, 3.9, 1.6, 76))
    after = {p.ref: p.package for p in bench.design.parts}
    changed = {ref for ref in after if after[ref] != before[ref]}
    assert changed == {ref for ref, b in before.items() if b.code == chip.code} and len(changed) == 1
    assert all((after[r].height, after[r].mass_from) == (1.6, "workshop") for r in changed)
    with pytest.raises(c.Refused, match="No part of this design"):
        bench.do(c.SetPackage("", 1, 1, 1, 1))


def test_bodies_of_the_workshop_serve_every_batch(tmp_path: Path, heron_files: Files) -> None:
    bench = opened(tmp_path, heron_files)
    bench.do(c.ChooseSides("lighter-first"))
    loads = {j.subject: j.level for j in bench.judgements("Ready") if j.rule == "ready.drop"}
    assert loads == {"J1": Level.STOP}
    code = bench.design.part_by_ref["J1"].package.code
    bench.do(c.SetPackage(code, 5.6, 7.5, 2.6, 210))
    assert not [j for j in bench.judgements("Ready") if j.rule == "ready.drop"]
    again = Bench.open_batch(bench.journal, heron_files, "Heron", 2, number=2)
    assert again.design.part_by_ref["J1"].package.mass_from == "workshop"
    bench.do(c.Undo())
    assert [j.subject for j in bench.judgements("Ready") if j.rule == "ready.drop"] == ["J1"]


def test_a_polarity_that_nobody_knows_is_asked_once(tmp_path: Path, heron_files: Files) -> None:
    """A can by another name: open at every station until somebody says it, then for no board and no batch any more."""
    odd = {n: re.sub(rb"Electrolytic can 6[.]3", b"ECAP-R7", d, flags=re.I) for n, d in heron_files.items()}
    bench = opened(tmp_path, odd)
    refs = {p.ref for p in bench.design.parts if p.package.code == "ECAP-R7"}

    def asked(step: str) -> list[tuple[Level, set[str]]]:
        return [(j.level, set(j.refs)) for j in bench.judgements(step) if j.rule == "ready.polarity"]

    assert refs and asked("Ready") == asked("Place") == [(Level.UNKNOWN, refs)]
    bench.do(c.AcceptFiles())
    with pytest.raises(c.Refused, match="marked or"):
        typed_input.package("ECAP-R7", "6.6 x 6.6 x 7.7")
    bench.do(typed_input.package("ECAP-R7", "6.6 x 6.6 x 7.7 mm 310 mg"))
    assert asked("Place") == [(Level.UNKNOWN, refs)], "a size says nothing of the mark"
    bench.do(typed_input.package("ECAP-R7", "6.6 x 6.6 x 7.7 mm 310 mg marked"))
    assert not asked("Place") and not asked("Ready")
    again = Bench.open_batch(bench.journal, odd, "Heron", 2, number=2)
    assert not [j for j in again.judgements("Ready") if j.rule == "ready.polarity"]
    assert all(again.design.part_by_ref[r].package.polarised for r in refs)


def test_panels_are_laid_out_and_bad_cells_set_aside(tmp_path: Path, heron_files: Files) -> None:
    bench = opened(tmp_path, {n: d for n, d in heron_files.items() if n != "panel.json"}, 5)
    assert {b.panel for b in bench.state.boards.values()} == {1, 2, 3, 4, 5}
    panel = Panel(2, 2, 46, 33, 0, 0, 90, 64, 44, 31, turns=(0, 180, 0, 180), skipped=(1,))
    bench.do(c.DefinePanel(panel))
    assert [(b.panel, b.cell) for b in bench.state.boards.values()] == [(1, 0), (1, 2), (1, 3), (2, 0), (2, 2)]
    assert bench.batch.panel == panel and project(bench.journal.since(bench.id)) == bench.state
    with pytest.raises(c.Refused, match="overlap"):
        bench.do(c.DefinePanel(replace(panel, pitch_x=40)))
    bench.do(c.MarkBadCell("H1-02"))
    bench.do(c.AcceptFiles())
    assert len(bench.state.at("Kit")) == 4


def test_etching_is_planned_and_corrected_by_logged_runs(tmp_path: Path, heron_files: Files) -> None:
    bench = opened(tmp_path, heron_files)
    with pytest.raises(c.Refused, match="cautions of Etching"):
        bench.do(c.MixBath(0.5))
    bench.do(c.Acknowledge("Etching"))
    bench.do(c.MixBath(0.5))
    minutes = {j.rule: j for j in judge_bath(bench, 35, 37.5)}["ready.etch"]
    assert minutes.level is Level.UNKNOWN and "About 12.5 min" in minutes.headline
    for taken in (20.0, 22.0, 21.0):
        bench.do(c.LogEtch(taken, 37.5, 35, 2))
    after = {j.rule: j for j in judge_bath(bench, 35, 37.5)}
    assert after["ready.etch"].level is Level.GO and "About 21.3 min" in after["ready.etch"].headline
    assert after["ready.bath"].level is Level.GO
    bench.do(c.NoteProcess("own etching", 0.3))
    assert [j.level for j in bench.judgements("Ready") if j.rule == "ready.finest"] == [Level.STOP]


@pytest.mark.parametrize("copy", ["{0}", "{0}_{1}"], ids=["same names", "numbered copies"])
def test_a_panel_handed_in_for_a_board_is_one_finding_and_one_fix(
    tmp_path: Path, heron: Design, heron_files: Files, copy: str
) -> None:
    bench = opened(tmp_path, big_board(heron_files, 3, 2, copy))
    stops = bench.route.open_stops(bench.batch, "Ready")
    assert [j.rule for j in stops] == ["ready.panel"]
    bench.do(c.ApplyFix(offered(bench.design)[stops[0].key]))
    assert Bench(bench.journal, bench.id).state == bench.state, "what is in hand is what was written down"
    assert not bench.route.open_stops(bench.batch, "Ready") and {p.ref for p in bench.design.parts} == {
        p.ref for p in heron.parts
    }
    assert (bench.batch.panel.columns, bench.batch.panel.rows, len(bench.state.panels)) == (3, 2, 1)
    bench.do(c.DefinePanel(replace(bench.batch.panel, skipped=(5,))))
    assert bench.batch.panel.skipped == (5,) and len(bench.state.panels) == 2, "what is described later wins"
    bench.do(c.Undo())
    bench.do(c.WithdrawFix(bench.source.fixes[0]))
    assert len(bench.state.panels) == 6
