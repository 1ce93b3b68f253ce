"""What F1 says of a rule moves with the constant or the record that the rule judges by, and so does the verdict."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from types import FunctionType, SimpleNamespace
from typing import Any

import asked as c
import msgspec
import numpy as np
import pytest
import shapely
from asked import RULES
from conftest import HERON
from designs import two_pad_design
from msgspec.structs import replace
from test_apertures import PADS, with_paste
from test_stencil import MIDDLE, PLACES, board, displaced, row, shifted

from fusilex.bench.common.heat.heat_limits import most_reflow_cycles
from fusilex.bench.intake.design import design_from
from fusilex.bench.record.bench import Bench
from fusilex.bench.rooms import open_journal
from fusilex.bench.stations.place.references import judge_machine
from fusilex.bench.stations.print import stencil
from fusilex.bench.stations.print.jars import _judge_left, tau_h
from fusilex.bench.stations.rework.mending import heat_of
from fusilex.bench.stations.test.events import NO_BEEP
from fusilex.bench.stations.test.planning import level_of
from fusilex.bench.workshop import record_kinds as jar_record
from fusilex.bench.workshop.oven import Oven, OvenFit
from fusilex.bench.workshop.record import Record
from fusilex.bench.workshop.record_kinds import AirGun, Limits, PasteSheet, Window
from fusilex.bench.workshop.records import Records
from fusilex.core.bare_boards.etching import Refit, copper_removed_g, etch_minutes, judge_etch
from fusilex.core.bare_boards.finest import Finest, judge_finest
from fusilex.core.bare_boards.making import judge_drill
from fusilex.core.checks.layer_agreement import judge_layers
from fusilex.core.checks.panelised import judge_board_size
from fusilex.core.checks.pin_ones import pin_ones
from fusilex.core.checks.reconcile import reconcile
from fusilex.core.checks.side_order import side_load
from fusilex.core.checks.systematic import fit_unnamed
from fusilex.core.design.edge import without_frames
from fusilex.core.design.model import Design, Layer, Placement
from fusilex.core.design.one_of_each import Layers
from fusilex.core.electrical.checks import checks_of
from fusilex.core.electrical.network import resistor_network
from fusilex.core.electrical.power import power_level, power_steps
from fusilex.core.electrical.probes import probe_plan
from fusilex.core.heat.after import After
from fusilex.core.heat.joints import Molten
from fusilex.core.heat.oven import PARAMETERS
from fusilex.core.inspection.causes import Evidence, ranked
from fusilex.core.inspection.patterns import patterns
from fusilex.core.judgement import Judgement
from fusilex.core.kit.losses import Logged, loss_key, loss_of, pieces_for
from fusilex.core.kit.moisture import Exposure, Room, judge_moisture
from fusilex.core.measuring.lots import Taken, judge_lots, lots
from fusilex.core.measuring.spread import capability, is_odd, robust_z
from fusilex.core.panel.separating import plan_cuts
from fusilex.core.placing.affine import best_fit
from fusilex.core.placing.centring import judge_offset
from fusilex.core.placing.references import judge_references
from fusilex.core.placing.rejects import Tally, judge_rejects
from fusilex.core.printing import alignment
from fusilex.core.printing.alignment import judge_looks, lies
from fusilex.core.printing.apertures import apertures_of
from fusilex.core.printing.choosing import judge_ways, ways_of
from fusilex.core.printing.dots import judge_dots, judge_needle, plan_dots, weighed_dot
from fusilex.core.printing.jig import judge_blade, judge_step
from fusilex.core.printing.landing import judge_landing, landed, lands_of
from fusilex.core.printing.looking import fine_parts
from fusilex.core.printing.paste import PASTES, coarsest_powder, judge_paste
from fusilex.core.printing.release import judge_release
from fusilex.core.printing.risks import ground_of, judge_risks, judge_windows, risks
from fusilex.core.printing.weighing import judge_weights, measured_transfer, run_chart
from fusilex.core.printing.wiping import judge_wipe, stands_apart
from fusilex.core.problems import BadInput
from fusilex.core.reflow.judge import judge_profile
from fusilex.core.reflow.profile import measure, measure_log
from fusilex.core.rework.heat import neighbours
from fusilex.core.route.hanging import judge_reflow_cycles
from fusilex.core.rule import Constant
from fusilex.core.similarity import fit_similarity, suspect_point
from fusilex.core.soldering.bath import judge_bath
from fusilex.core.soldering.joint import joint_mm3, wire_length_mm
from fusilex.core.wet_paste.age import judge_paste_age
from fusilex.core.wet_paste.ahead import pace_of
from fusilex.core.wet_paste.air import judge_room
from fusilex.core.wet_paste.jar import JarState, inside_now, judge_jar, life_used
from fusilex.formats.lists.temperature_log import read_log
from fusilex.journal.place import sqlite_url

FACTORS = (0.0, 0.25, 0.6, 0.8, 1.25, 1.7, 4.0, 1e6)


def levels(judged: list[Judgement]) -> list[object]:
    return [(j.rule, j.subject, j.level, j.says.case) for j in judged]


@pytest.fixture(scope="module")
def shifted_lists(heron_files: dict[str, bytes]) -> dict[str, Design]:
    """Heron by lists that are a little, and much, of another place, size, turn or board."""
    name = "heron-r2-placements.csv"

    def moved(change: Callable[[list[str]], list[str]], count: int = 10**6) -> Design:
        head, *rows = heron_files[name].decode().splitlines()
        made = [",".join(change(r.split(","))) if n < count else r for n, r in enumerate(rows)]
        return design_from(heron_files | {name: "\n".join([head, *made]).encode()}, "x")

    return {
        "0.2 mm": moved(lambda r: [r[0], f"{float(r[1]) + 0.2:.3f}", *r[2:]]),
        "far": moved(lambda r: [r[0], f"{float(r[1]) + 9.0:.3f}", *r[2:]]),
        "clockwise": moved(lambda r: [*r[:3], str(-float(r[3])), *r[4:]]),
        "some": moved(lambda r: [*r[:3], str(float(r[3]) + 90), *r[4:]], 7),
        **{
            ref: moved(lambda r, ref=ref: [*r[:3], str(float(r[3]) + (90 if r[0] == ref else 0)), *r[4:]])  # type: ignore[misc]
            for ref in ("C5", "R4", "D1", "D2", "Q1", "U1", "U2", "U3", "L1", "Y1")
        },
    }


@pytest.fixture(scope="module")
def things(
    heron: Design,
    heron_files: dict[str, bytes],
    shifted_lists: dict[str, Design],
    tmp_path_factory: pytest.TempPathFactory,
) -> Things:
    journal = open_journal(sqlite_url(tmp_path_factory.mktemp("rules") / "j.sqlite"))
    bench = Bench.open_batch(journal, heron_files, "Heron R2", 18, prefix="H", paste="leaded", number=7)
    name = "heron-r2-placements.csv"
    lines = heron_files[name].decode().splitlines()

    def unread(count: int) -> Design:
        made = [r.replace(r.split(",")[1], "middle", 1) if 0 < n <= count else r for n, r in enumerate(lines)]
        return design_from(heron_files | {name: "\n".join(made).encode()}, "x")

    def listed(*rows: str) -> Design:
        return design_from(heron_files | {name: "\n".join(rows).encode()}, "x")

    r4 = next(r for r in lines if r.startswith("R4,"))
    new = [listed(*(r.replace("R4,", "R94,", 1) if r is r4 else r for r in lines))]
    for off in (0.1, 0.25, 0.4, 1.0):
        x = f"{float(r4.split(',')[1]) + off:.3f}"
        new.append(
            listed(*(r.replace("R4,", "R94,", 1).replace(r4.split(",")[1], x, 1) if r is r4 else r for r in lines))
        )
    parts = [Placement("R1", 5, 5, 0, "top", "0603", "1k"), Placement("R2", 10, 5, 0, "top", "0603", "1k")]
    new += [two_pad_design(parts, apart=a, size=0.6) for a in (0.5, 0.8, 1.0, 1.3, 1.9, 2.2, 2.6, 4.0, 5.5)]
    beside = [replace(parts[0], x=5), replace(parts[1], x=5)]
    new += [
        two_pad_design([beside[0], replace(beside[1], y=5 + apart)], apart=1.6, size=0.6)
        for apart in (0.3, 0.6, 0.68, 0.72, 0.76, 0.8, 0.9)
    ]
    blank = np.zeros(0)
    return {
        "heron": heron,
        "openings": apertures_of(heron, "top"),
        "lists": shifted_lists,
        "new": new,
        "unread": unread,
        "bench": bench,
        "molten": Molten(blank, blank, blank),
    }


Things = dict[str, Any]
SCENES: dict[str, Callable[[Things], object]] = {}


def scene(*rules: str) -> Callable[[Callable[[Things], object]], Callable[[Things], object]]:
    def kept(made: Callable[[Things], object]) -> Callable[[Things], object]:
        SCENES.update(dict.fromkeys(rules, made))
        return made

    return kept


def over(values: Any, judge: Callable[[Any], list[Judgement]]) -> list[object]:
    return [levels(judge(v)) for v in values]


@scene("kit.moisture")
def _(t: Things) -> object:
    fine, hours = Room(22.0, 45.0), (1, 50, 100, 130, 160, 200)
    rooms = [Room(c, rh) for c in (22.0, 31.0, 45.0) for rh in (40.0, 65.0, 90.0)]
    found = [judge_moisture("R", m, Exposure(h, True), room=fine).level for m in ("3", "4") for h in hours]
    return found + [judge_moisture("R", "3", Exposure(1, True), room=room).level for room in rooms]


@scene("kit.spares")
def _(t: Things) -> object:
    bodies = [t["heron"].catalogue.package(n, "R1") for n in ("0201", "0402", "0603", "1206", "QFN-32")]
    pulled = [pieces_for(100, p) for p in (0.02, 0.1, 0.3)]
    return [*(loss_of(b) for b in bodies), loss_of(bodies[1], {"0402": Logged(80, 30)}), *_logged(bodies[1]), pulled]


def _logged(body: Any) -> list[object]:
    return [loss_of(body, {loss_key(body): Logged(n, 1)}) for n in (20, 60, 99, 120, 300)]


@scene("print.release")
def _(t: Things) -> object:
    foils = np.arange(0.06, 0.40, 0.01)
    return [levels(judge_release(t["openings"], f, coated)) for coated in (False, True) for f in foils]


@scene("print.joined")
def _(t: Things) -> object:
    shapes = [[shapely.box(3.8, 4.6, 5.4 + x, 5.4), *PADS[1:]] for x in (0.05, 0.1, 0.2, 0.4, 0.6, 0.8)]
    return over(shapes, lambda s: judge_release(apertures_of(with_paste(s), "top"), 0.12))


@scene("print.mass")
def _(t: Things) -> object:
    return judge_paste(t["openings"], 0.12, PASTES["leaded"], 1)[0].quantities[0].value


@scene("print.powder")
def _(t: Things) -> object:
    flat = replace(t["openings"], width=np.full(len(t["openings"]), 0.2))
    return [coarsest_powder(flat), *(coarsest_powder(apertures_of(with_paste([s]), "top")) for s in _dots())]


def _dots() -> list[shapely.Polygon]:
    return [shapely.Point(4.2, 5).buffer(r, quad_segs=64) for r in (0.06, 0.09, 0.12, 0.15, 0.18, 0.22)]


@scene("print.land", "print.web")
def _(t: Things) -> object:
    here = ground_of(lands_of(t["openings"], t["heron"].pads))
    flat = replace(here, beyond=np.zeros_like(here.beyond), web=np.full_like(here.web, 9.0))
    made = [replace(flat, web=np.full_like(here.web, w)) for w in np.arange(0.01, 0.7, 0.02)]
    made += [replace(flat, beyond=np.full_like(here.beyond, b)) for b in np.arange(0.004, 0.9, 0.006)]
    return [levels(judge_risks(risks(g, 0.1))) for g in made]


@scene("print.windows")
def _(t: Things) -> object:
    found = []
    for size, pane in ((2.0, 1.6), (2.9, 2.4), (3.2, 2.4), (4.0, 2.0), (4.0, 2.9), (4.0, 3.3), (5.0, 3.8), (7.0, 5.0)):
        pads = [("U1", "A", 0.0, 0.0, size, size)]
        apertures, made = board(*pads)
        inner = shapely.box(0.1, 0.1, 0.1 + pane, 0.1 + pane)
        cut = replace(apertures, polygons=np.array([inner]), area=np.array([inner.area]))
        found.append(levels(judge_windows(lands_of(cut, made))))
    return found


@scene("print.aligned")
def _(t: Things) -> object:
    lands = lands_of(*row())
    sure = [levels(judge_landing(landed(lands, shifted(dx)))) for dx in np.arange(0.0, 0.32, 0.01)]
    lone = lands_of(*board(("U1", "A", 0, 0, 0.25, 0.8), ("U2", "B", 3.9, 0, 3, 3)))
    wide = lands_of(*board(("U1", "A", 0, 0, 0.6, 0.8), ("U1", "B", 0.66, 0, 0.6, 0.8)))
    far = lands_of(*board(("U1", "A", 0, 0, 0.9, 0.8), ("U1", "B", 1.4, 0, 0.9, 0.8)))
    sure += [levels(judge_landing(landed(x, shifted(d)))) for x in (lone, wide, far) for d in np.arange(0, 0.6, 0.01)]
    seen = displaced(PLACES[:2], 0.0, 0.0, 0.0)
    go = next(j for j in judge_landing(landed(lands, shifted(0.0))))
    return (
        sure,
        lies(PLACES[:2], seen, MIDDLE, alignment.EYES).within95["dx_mm"],
        [stencil._aged(go, n).level for n in range(40)],
    )


@scene("print.misread", "print.slip", "print.stretch", "place.suspect")
def _(t: Things) -> object:
    at = np.vstack([PLACES, [[22.0, 3.0], [20.0, 29.0]]])
    noise = np.random.default_rng(1).normal(0, 0.004, (6, 2))
    found: list[object] = []
    for off in (0.001, 0.004, 0.012, 0.016, 0.02, 0.024, 0.03, 0.05, 0.3):
        wrong = displaced(at, 0.1, 0.1, 0.5) + noise
        wrong[2] += (off, -off)
        found.append(levels(judge_looks(lies(at, wrong, MIDDLE))))
        found.append(suspect_point(at, at + wrong))
        twice = np.vstack([at, at[:1]])
        again = np.vstack([displaced(at, 0.1, 0, 0), displaced(at, 0.1 + off, 0, 0)[:1]])
        found.append(levels(judge_looks(lies(twice, again, MIDDLE))))
        long = displaced(at, 0, 0, 0, off / 50) + noise / 50
        found.append(levels(judge_looks(lies(at, long, MIDDLE))))
    return found


@scene("print.look")
def _(t: Things) -> object:
    return sorted(fine_parts(t["openings"], ground_of(lands_of(t["openings"], t["heron"].pads)).web))


@scene("print.first")
def _(t: Things) -> object:
    return [stands_apart(h, 3) for h in (0.0, 0.1, 0.5, 0.9, 1.1, 2.0, 5.0)]


@scene("print.wipe")
def _(t: Things) -> object:
    return [levels([judge_wipe(n, faults)]) for n in range(30) for faults in ((), (9, 9), (9, 9, 9), (9,) * 8)]


@scene("print.drift", "print.transfer")
def _(t: Things) -> object:
    falling = [np.array([1.0, 1.01, 0.99, 1.0, 1.01, 0.99, *[1 - d] * 3]) for d in np.arange(0, 0.5, 0.02)]
    told = [measured_transfer(100 * f, 100, t["openings"], 0.12) for f in falling]
    charts = [
        (run_chart(f).score.tolist(), levels(judge_weights(run_chart(f), g, 100)))
        for f, g in zip(falling, told, strict=True)
    ]
    shares = np.arange(0.1, 3.0, 0.1)
    flat = [measured_transfer(np.array([99, 100, 101]) * s, 100, t["openings"], 0.12) for s in shares]
    return charts, [levels(judge_weights(run_chart(falling[0]), g, 100)) for g in flat]


@scene("print.ahead")
def _(t: Things) -> object:
    return pace_of(np.cumsum(np.linspace(3, 40, 900)).tolist())


@scene("print.room")
def _(t: Things) -> object:
    return [levels(judge_room(w, h)) for w in np.arange(2, 60, 1.0) for h in (5, 15, 35, 45, 55, 65, 72, 78, 90)]


@scene("print.jig", "print.blade")
def _(t: Things) -> object:
    steps = [levels([judge_step(s, 0.12)]) for s in np.arange(-0.5, 0.5, 0.01)]
    return steps, [levels([judge_blade(b, 50.0)]) for b in (40, 52, 60, 69, 71, 75, 100)]


@scene("print.way")
def _(t: Things) -> object:
    made = [ways_of(t["openings"], n, 6, hidden, True) for n in (1, 6, 60) for hidden in (0, 2)]
    coarse = replace(t["openings"], width=np.full(len(t["openings"]), 0.62))
    far = replace(coarse, x=coarse.x * 3, y=coarse.y * 3)
    made += [ways_of(x, 2, 1, 0, True) for x in (coarse, far, replace(far, width=far.width + 2))]
    return [[(w.method, w.level, w.minutes, w.why.case) for w in ways] for ways in made], judge_ways(made[0], "dots")


@scene("jar.life", "jar.frozen", "jar.cold", "jar.opened")
def _(t: Things) -> object:
    jars = [JarState("j", "x", life, 21.0, 90) for life in np.arange(0, 1.3, 0.05)]
    jars += [JarState("j", "x", 0.1, 21.0, 90, coldest_c=cold) for cold in (-9, -3, -1.8, -1, -0.4, 1)]
    jars += [JarState("j", "x", 0.1, 21.0, 90, opened_h=h, stirred=True) for h in np.arange(1, 200, 4.0)]
    jars += [JarState("j", "x", 0.1, now, 90) for now in (5, 15, 18, 19.5, 19.8, 20.2, 20.9, 21.5, 21.9)]
    told = [[(j.rule, j.level, j.do) for j in judge_jar(s, 22.0, 40.0)] for s in jars]
    record = [jar_record.Jar(id="j"), jar_record.Jar(id="s", form="syringe")]
    return told, inside_now([0, 1], [5, 22]), [tau_h(r) for r in record]


@scene("dots.needle", "dots.size", "dots.cold")
def _(t: Things) -> object:
    needles = [levels([judge_needle(b, p)]) for b in np.arange(0.06, 1.5, 0.02) for p in (3, 4, 5, 6)]
    plan = plan_dots(t["openings"], 0.12, 0.05)
    return needles, [levels(judge_dots(plan, w)) for w in range(2, 60, 2)], weighed_dot(0.05, PASTES["leaded"])


@scene("ready.systematic", "ready.rotations", "ready.rotation", "ready.size", "ready.renamed", "ready.overlap")
def _(t: Things) -> object:
    made = [*t["lists"].values(), *t["new"]]
    few = []
    for seed in range(30):
        dice = np.random.default_rng(seed)
        listed = dice.uniform(0, 20, (6, 2))
        targets = np.vstack([listed[:4] + np.array([3, 1]), dice.uniform(0, 20, (12, 2))])
        few.append((fit := fit_unnamed(listed, targets)) and fit.convincing)
    return few, [[(f.kind, f.ref, f.level, f.says.case) for f in reconcile(d)] for d in made]


@scene("ready.turns")
def _(t: Things) -> object:
    found = []
    for least in range(5):
        chips = [f"U{n}" for n in range(least, 4)]
        parts = [replace(p, pads=() if p.ref in chips else p.pads) for p in t["heron"].parts]
        ones = pin_ones([replace(p, rotation_deg=p.rotation_deg + 90 * (p.ref == "U3")) for p in parts])
        found.append([[p.ref for p in group] for group in (ones.told, ones.untold, ones.all_turned)])
    return found


@scene("ready.skipped")
def _(t: Things) -> object:
    found = []
    for count in (1, 3, 5, 9, 20, 44):
        try:
            found.append([r.level for r in t["unread"](count).remarks])
        except BadInput:
            found.append(["refused"])
    return found


@scene("ready.twice")
def _(t: Things) -> object:
    paste: Layer = t["heron"].layer("paste", "top")
    found = []
    for share in (0.2, 0.4, 0.55, 0.8, 0.93, 0.97, 1.0):
        kept = round(share * len(paste))
        other = replace(
            paste, polygons=np.array([*paste.polygons[:kept], *_moved(paste.polygons[kept:])], dtype=object)
        )
        once = Layers()
        found.append((len(once.one_of_each({"a": paste, "b": other})), len(once.remarks), len(once.also)))
    return found


def _moved(shapes: Any) -> list[shapely.Polygon]:
    return [shapely.affinity.translate(p, 100 + n, 50) for n, p in enumerate(shapes)]


@scene("ready.frames")
def _(t: Things) -> object:
    paste: Layer = t["heron"].layer("paste", "top")
    edge = t["heron"].outline
    x0, y0, *_ = edge.bounds
    found = []
    for long in (0.4, 1.0, 1.9, 2.2, 3.0, 6.0):
        for off in (0.05, 0.2, 0.28, 0.35, 0.6, 1.0):
            line = shapely.box(x0 + 3, y0 + off - 0.05, x0 + 3 + long, y0 + off + 0.05)
            more = replace(
                paste,
                polygons=np.array([*paste.polygons, line], dtype=object),
                flashed=np.append(paste.flashed, False),
            )
            found.append(without_frames(more, edge)[1])
    return found


@scene("ready.layers")
def _(t: Things) -> object:
    heron: Design = t["heron"]
    found = []
    for share in (0.02, 0.04, 0.07, 0.15, 0.2, 0.35, 0.6, 0.9):
        layers = []
        for layer in heron.layers:
            away = round(share * len(layer))
            moved = np.array([*_moved(layer.polygons[:away]), *layer.polygons[away:]], dtype=object)
            layers.append(replace(layer, polygons=moved) if layer.role == "paste" else layer)
        holes = tuple(
            replace(h, x=h.x + (300 if n < share * len(heron.holes) else 0)) for n, h in enumerate(heron.holes)
        )
        found.append(levels(judge_layers(replace(heron, layers=tuple(layers)))))
        found.append(levels(judge_layers(replace(heron, holes=holes))))
    return found


@scene("ready.drop")
def _(t: Things) -> object:
    heavy = [
        replace(check, area_mm2=check.area_mm2 * k) for check in side_load(t["heron"], "top").checks for k in _TIMES
    ]
    return [check.level for check in heavy]


_TIMES = (0.002, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1.0, 3.0)


@scene("ready.finest", "ready.etch", "ready.bath")
def _(t: Things) -> object:
    fine = Finest(0.2, (1, 1, "top"), 0.3, (2, 2, "top"))
    seen = [levels(judge_finest(fine, [("toner", limit)])) for limit in np.arange(0.1, 1.2, 0.02)]
    minutes = etch_minutes(70.0, 30.0, 5.0, 2.0, 0.5)
    baths = [
        levels(judge_etch(2.0, minutes, Refit(1.0, 1.2, n), held, 0.5)) for n in range(8) for held in range(0, 60, 2)
    ]
    return seen, minutes, baths, copper_removed_g(9_000, 0.4, 35)


@scene("make.drill")
def _(t: Things) -> object:
    return [judge_drill(r, 0.3, "p").level for r in np.arange(0.01, 0.5, 0.01)]


@scene("place.error", "place.scale", "place.shear")
def _(t: Things) -> object:
    found: list[object] = []
    at = np.array([[0, 0], [40, 0], [40, 30], [0, 30], [20, 15], [10, 25]], dtype=float)
    dice = np.random.default_rng(3).normal(0, 1, at.shape)
    for k in (0.002, 0.006, 0.01, 0.02, 0.03, 0.05, 0.1):
        for n in (4, 5, 6):
            fit = fit_similarity(at[:n], at[:n] + k * dice[:n])
            found.append(levels(judge_references(fit, list("abcdef"), ["U1"], [[10, 10]])))
        for grow in (0.0005, 0.002, 0.0035, 0.006, 0.02):
            grown = fit_similarity(at, at * (1 + grow))
            found.append(levels(judge_references(grown, list("abcdef"), [], [])))
        for shear in (0.0, 0.001, 0.0025, 0.004, 0.01):
            leaning = at + np.column_stack([shear * at[:, 1], 0 * at[:, 1]])
            for n in (4, 5, 6):
                fit = best_fit(at[:n], leaning[:n] + k / 10 * dice[:n])
                found.append((type(fit).__name__, levels(judge_references(fit, list("abcdef"), [], []))))
    return found


@scene("place.rejects")
def _(t: Things) -> object:
    return [levels(judge_rejects("feeder", {"a": Tally(n + 4, n), "b": Tally(400, 1)})) for n in range(9)]


@scene("place.nudge")
def _(t: Things) -> object:
    parts = [
        t["heron"].part_by_ref[ref] for ref in ("C5", "U1", "U3", "J1", "C1", "D1") if ref in t["heron"].part_by_ref
    ]
    shifts = (0.0, 0.01, 0.015, 0.03, 0.05, 0.08, 0.12, 0.2, 0.3)
    turns = (0.0, 0.3, 0.45, 0.6, 1.0)
    return [levels([judge_offset(p, s, 0, a)]) for p in parts for s in shifts for a in turns]


@scene("reflow.heating", "reflow.cooling", "reflow.to peak")
def _(t: Things) -> object:
    time = np.arange(0, 400.0, 1.0)
    bend = np.interp(time, [0, 30, 34, 120, 200, 240, 243, 300, 399], [22, 24, 36, 150, 180, 240, 240, 150, 60])
    return measure(time, bend, Window(id="x").process_window)


@scene("reflow.oven")
def _(t: Things) -> object:
    made = [
        (off, out, res) for off in np.arange(1, 60, 1.0) for out in (0.1, 0.2, 0.25, 0.35, 0.6) for res in (1, 5, 9)
    ]
    blank = np.zeros(0)
    return [After((), t["molten"], blank, blank, off, out, res).changed for off, out, res in made]


@scene("reflow.fit")
def _(t: Things) -> object:
    fits = [OvenFit(runs=2, board=True, residual_c=r) for r in np.arange(0.2, 14, 0.2).tolist()]
    names = tuple(PARAMETERS)[:10]
    for told in range(11):
        spread = tuple(tuple(float(i == k) * (0.1 if k < told else 1.0) for i in range(10)) for k in range(10))
        fits.append(OvenFit(names, (0.0,) * 10, spread, 0.5, runs=1))
    return [Oven(id="o", fit=fit).proven for fit in fits]


@scene("hand.bath")
def _(t: Things) -> object:
    said = {"bath_c": 250.0, "dwell_s": 3.0, "depth_mm": 0.7, "preheat_c": 105.0, "flux": "rosin"}
    tried: list[dict[str, object]] = [
        {"preheat_c": 60 + 2.5 * n, "flux": flux} for n in range(40) for flux in ("alcohol", "water-based")
    ]
    tried += [{"bath_c": 230 + 2.5 * n} for n in range(20)] + [{"dwell_s": 0.5 * n + 0.1} for n in range(14)]
    return [levels(judge_bath("b", {**said, "alloy": a, **x}, 1.6)) for x in tried for a in ("leaded", "lead-free")]


@scene("hand.joint")
def _(t: Things) -> object:
    part = next(p for p in t["heron"].parts if p.through_hole)
    return joint_mm3(part, part.pads[0], 1.6), wire_length_mm(3.0, 0.5)


@scene("inspect.pattern")
def _(t: Things) -> object:
    rows = ["a"] * 12 + ["b"] * 60
    return [[p.value for p in patterns({"cell": rows}, [n < k for n in range(72)])] for k in range(1, 12)]


@scene("inspect.causes")
def _(t: Things) -> object:
    seen = (("nozzle", "N2", "4 of 5 at nozzle N2"), ("feeder", "3", "4 of 5 at nozzle N2"))
    known = frozenset(("nozzle", "feeder", "print", "panel", "lot", "oven load"))
    made = [Evidence(seen[:n], known, k) for n in range(3) for k in (1, 2, 3, 4, 9)]
    made += [Evidence((("lot", "9", "3 at lot 9"), ("cell", "2", "3 at lot 9")), known, 5)]
    made += [Evidence((("oven load", "9", "x"), ("place on the board", "2", "x")), known, 5)]
    return [
        [(r.cause.text, round(r.share, 6)) for r in ranked(w, e)] for w in ("misaligned", "cold joint") for e in made
    ]


@scene("rework.heat")
def _(t: Things) -> object:
    return [[(n.ref, n.blown) for n in neighbours(t["heron"], p, 6.0)] for p in t["heron"].parts[:20]]


@scene("test.short")
def _(t: Things) -> object:
    pair = t["bench"].batch.own.checks.pairs[0]
    boards = [SimpleNamespace(readings={pair.key: (ohm, NO_BEEP)}) for ohm in (1, 3, 6, 9, 12, 20, 100)]
    return [level_of(t["bench"].batch, board, pair) for board in boards]  # type: ignore[arg-type]


@scene("test.open", "test.value")
def _(t: Things) -> object:
    heron = t["heron"]
    network = resistor_network(heron)
    return (
        [(p.key, p.limit, p.least, p.most) for p in checks_of(heron).joints],
        network.tolerance,
        len(probe_plan(heron)),
    )


@scene("test.power")
def _(t: Things) -> object:
    steps = power_steps(5.0, 60.0)
    reads = [(v, s) for v in np.arange(0.2, 8, 0.1) for s in (1, 4, 6, 9, 12, 30)]
    return [(step.volts, power_level(step, v, 10.0, s)) for step in steps for v, s in reads]


@scene("test.instrument")
def _(t: Things) -> object:
    found = []
    for out in range(8):
        taken = [Taken(f"b{n}", "3V3", 3.3 + (0.5 if n < out else 0.0), "V", 3.2, 3.4) for n in range(9)]
        found.append(levels(judge_lots(lots(taken))))
    return found


@scene("test.odd", "release.weight", "test.cpk")
def _(t: Things) -> object:
    dice = np.random.default_rng(5).normal(0, 1, 40)
    found: list[object] = [is_odd(z) for z in np.arange(0, 20, 0.1)]
    for n in (3, 5, 6, 7, 12, 19, 20, 26, 40):
        found.append(np.isnan(robust_z(dice[:n])).tolist())
        found.append(capability(dice[:n], -4, 4))
        taken = [Taken(f"b{k}", "3V3", float(v), "V", -w, w) for w in (2, 3, 4, 6, 9) for k, v in enumerate(dice[:n])]
        found.append(levels(judge_lots(lots(taken[:n]))))
    for wide in (2.5, 3, 4, 5, 6, 9):
        taken = [Taken(f"b{k}", "3V3", float(v), "V", -wide, wide) for k, v in enumerate(dice)]
        found.append(levels(judge_lots(lots(taken))))
    return found


@scene("release.cut")
def _(t: Things) -> object:
    plan = plan_cuts(t["heron"], t["bench"].batch.panel, t["heron"].parts)
    return [(s.ref, s.cell, s.level) for s in plan.care]


@scene("ready.panel")
def _(t: Things) -> object:
    panel = t["bench"].batch.panel
    wider = [replace(panel, board_w=panel.board_w + d) for d in (0.03, 0.1, 0.15, 0.3, 0.7, 2.0)]
    return [levels(judge_board_size(t["heron"], p)) for p in wider]


@contextmanager
def changed(constant: Constant, factor: float) -> Iterator[bool]:
    """The constant so many times as large, wherever code has it; False where that is the same number."""
    was = getattr(constant.module, constant.name)

    def times(value: Any, at: tuple[Any, ...]) -> Any:
        if at:
            new = times(value[at[0]], at[1:])
            if isinstance(value, dict):
                return {**value, at[0]: new}
            return (*value[: at[0]], new, *value[at[0] + 1 :])
        if isinstance(value, tuple):
            return tuple(times(v, ()) for v in value)
        return type(value)(round(value * factor if value else factor / 4, 9))

    new = times(was, constant.part)
    undo: list[tuple[Any, str, Any]] = []
    for name, module in list(sys.modules.items()):
        if name.startswith("fusilex."):
            for key, value in list(vars(module).items()):
                if key == constant.name and value is was:
                    undo.append((module, key, value))
                    setattr(module, key, new)
                own = value.__defaults__ if isinstance(value, FunctionType) and value.__module__ == name else None
                if own and isinstance(was, float | tuple) and any(d is was for d in own):
                    undo.append((value, "__defaults__", own))
                    value.__defaults__ = tuple(new if d is was else d for d in own)
    try:
        yield new != was
    finally:
        for holder, key, value in reversed(undo):
            setattr(holder, key, value)


@scene("kit.strap")
def _(t: Things) -> object:
    return [str(c.StrapTest(w).decide(t["bench"].batch)) for w in ("100k", "500k", "800k", "1M", "30M", "50M", "1G")]


@scene("place.points")
def _(t: Things) -> object:
    t["bench"].go("Place", "H7-01")
    return [(j.level, j.headline) for j in judge_machine(t["bench"].batch, 1)]


@scene("jar.left")
def _(t: Things) -> object:
    t["bench"].go("Print", "H7-01")
    for waiting in t["bench"].state.boards.values():
        waiting.step = t["bench"].batch.step.id
    jars_left = [JarState("j", "x", 0.1, 21.0, g) for g in np.arange(0.5, 40, 0.5)]
    return over(jars_left, lambda jar: _judge_left(t["bench"].batch, jar))


def seen(rule: str, things: Things) -> str:
    try:
        with np.errstate(all="ignore"):
            return repr(SCENES[rule](things))
    except (ValueError, ZeroDivisionError, IndexError, BadInput) as problem:
        return repr(problem)


OF_CODE = {
    name: {slot: own for slot, own in rule.slots.items() if isinstance(own, Constant)} for name, rule in RULES.items()
}


@pytest.mark.parametrize("rule", [name for name, own in OF_CODE.items() if own])
def test_a_constant_moves_what_f1_says_and_what_is_judged(rule: str, things: Things) -> None:
    said, told = RULES[rule].text(rule) + RULES[rule].source(rule), seen(rule, things)
    assert told == seen(rule, things)
    for slot, constant in OF_CODE[rule].items():
        moved = []
        for factor in FACTORS:
            with changed(constant, factor) as other:
                if other and seen(rule, things) != told:
                    moved.append(RULES[rule].text(rule) + RULES[rule].source(rule) != said)
            if moved:
                break
        assert moved == [True], (rule, slot)
    assert RULES[rule].text(rule) + RULES[rule].source(rule) == said


def kept(bench: Bench, kind: type[Record], id: str, **numbers: Any) -> None:
    """A record with other numbers from now on."""
    own = bench.workshop[Records].all(kind).get(id) or kind(id=id)
    bench.do(c.SetRecord(kind.what, msgspec.to_builtins(own) | numbers))


RECORDS: list[tuple[str, str, type[Record], str, dict[str, Any], str]] = [
    ("reflow.heating", "Reflow", Window, "leaded", {"heating": (0, 2.5)}, "0 to 2.5 °C/s"),
    ("reflow.soak", "Reflow", Window, "leaded", {"soak": (61, 111)}, "61 to 111 s"),
    ("reflow.above melting", "Reflow", Window, "leaded", {"above_melting": (41, 87)}, "41 to 87 s"),
    ("reflow.peak", "Reflow", Window, "leaded", {"peak": (211, 222)}, "211 to 222 °C"),
    ("reflow.cooling", "Reflow", Window, "leaded", {"cooling": (0, 1.4)}, "0 to 1.4 °C/s"),
    ("reflow.to peak", "Reflow", Window, "leaded", {"to_peak_s": 123}, "123 s"),
    ("print.age", "Print", PasteSheet, "leaded", {"tack_h": 23, "longest_h": 24}, "23 h"),
    ("print.ahead", "Print", PasteSheet, "leaded", {"tack_h": 23}, "23 h"),
    ("jar.life", "Print", PasteSheet, "leaded", {"life": [(3, 1000.0), (20, 99.0)]}, "99 h at 20 °C"),
    ("print.alloy", "Print", Window, "leaded", {"peak": (211, 222)}, "211 to 222 °C"),
    ("inspect.yield", "Inspect", Limits, "usual", {"good_yield": 0.31}, "31 %"),
    ("test.short", "Test", Limits, "usual", {"probe_gap_mm": 0.33}, "0.33 mm"),
    ("test.short", "Test", Limits, "usual", {"open_above_ohm": 55.0}, "55 Ω"),
    ("reflow.heats", "Reflow", Limits, "usual", {"heats": 9}, "9 reflow cycles"),
    ("rework.heat", "Rework", AirGun, "usual", {"spread_mm": 7.5}, "7.5 mm"),
]


@pytest.mark.parametrize(("rule", "station", "kind", "id", "numbers", "words"), RECORDS)
def test_a_record_moves_what_f1_says_and_what_is_judged(
    bench: Bench, rule: str, station: str, kind: type[Record], id: str, numbers: dict[str, Any], words: str
) -> None:
    bench.go(station, "H7-01")
    there = bench.workshop[Records].all(kind)
    id = id if id in there or not there else next(iter(there))
    assert words not in RULES[rule].text(rule, bench.batch)
    before = verdicts(bench)
    kept(bench, kind, id, **numbers)
    assert words in RULES[rule].text(rule, bench.batch)
    assert verdicts(bench) != before


def verdicts(bench: Bench) -> object:
    """What these records decide: of a log, of paste so old, of readings and heats so many."""
    batch, paste = bench.batch, bench.workshop[Records].paste("leaded")
    window = bench.workshop[Records].window("leaded")
    log = read_log((HERON / "oven-run-1.csv").read_bytes(), "x")
    judged = judge_profile(measure_log(log.time_s, log.probes_c, window), window)
    told = [(j.rule, j.subject, j.level, j.says.case) for j in judged]
    return (
        told,
        window,
        [judge_paste_age("p", h, paste.tack_h, paste.longest_h).level for h in range(40)],
        life_used([0, 90], [22, 22], paste.life),
        [(p.key, p.limit) for p in batch.own.checks.pairs],
        bench.workshop[Records].first(Limits).good_yield,
        levels(judge_reflow_cycles({"U1": 4}, 1, most_reflow_cycles(bench.workshop))),
        heat_of(batch, batch.own.by_ref["U1"]),
    )
