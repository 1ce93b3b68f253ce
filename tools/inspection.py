"""What inspection takes: a tour, patterns over a large batch, a photograph against a good board."""

from __future__ import annotations

import json
import sys
import tempfile
from pathlib import Path

import numpy as np

ROOT = Path(__file__).parents[1]
sys.path.insert(0, str(ROOT / "tests"))

import cv2  # noqa: E402
from measured import scaled  # noqa: E402
from photos import Scene, photograph  # noqa: E402
from three_causes import at_the_eyes, faults_of  # noqa: E402

from fusilex.bench.history.findings import find  # noqa: E402
from fusilex.bench.intake.design import read_design  # noqa: E402
from fusilex.core.inspection.patterns import patterns  # noqa: E402
from fusilex.core.inspection.tour import joints_seen, tour  # noqa: E402
from fusilex.core.photo.suggest import straightened, suggest  # noqa: E402
from fusilex.formats.pictures import read_picture  # noqa: E402

Row = tuple[str, str, str]
FIELD, FINE = (20.0, 15.0), (7.2, 5.4)


def seconds(action) -> float:  # type: ignore[no-untyped-def]
    return scaled(action, 1)


def tours() -> list[Row]:
    design = read_design(ROOT / "src/fusilex/demo/heron-r2")
    names, boxes = joints_seen(design, "top")
    tour(names, boxes, FIELD)  # loads the solver
    rows = []
    for size in (FIELD, FINE):
        found = tour(names, boxes, size)
        took = seconds(lambda: tour(names, boxes, size))  # noqa: B023
        ratio = len(found.stops) / found.bound_stops
        title = f"tour of Heron's top, {size[0]:g} × {size[1]:g} mm: {len(found.stops)} fields"
        rows.append((title, f"{1000 * took:.0f} ms, {ratio:.2f} × the bound", "≤ 1.25 × the bound"))
    return rows


def pattern_rows() -> list[Row]:
    rng = np.random.default_rng(0)
    boards, joints, many = 200, 500, 25
    n = boards * joints
    table = {f"a{k}": [str(v) for v in rng.integers(0, 3 + 2 * k, n)] for k in range(many)}
    bad = rng.random(n) < np.where(np.array(table["a7"]) == "3", 0.01, 0.0005)
    took = seconds(lambda: patterns(table, bad))
    rows = [("patterns over 200 boards × 500 joints × 25 attributes", f"{took:.2f} s", "≤ 2 s")]
    with tempfile.TemporaryDirectory() as place:
        import asked as c

        bench = at_the_eyes(Path(place) / "planted.sqlite")
        for serial, ref, pin, word in faults_of(bench, "middle 1", bench.batch.line_of["R3"].key):
            bench.do(c.MarkFault(serial, ref, word, pin))
        batch = bench.batch
        rows.append(("the same for 18 Herons from their record", f"{seconds(lambda: find(batch)):.2f} s", "–"))
    return rows


def photo_rows() -> list[Row]:
    design = read_design(ROOT / "src/fusilex/demo/heron-r2")
    parts = [p for p in design.parts if p.populated]
    size = 4000, 3000
    shot = [
        cv2.imencode(".jpg", photograph(design, "top", Scene(tilt=t, turn=3, uneven=0.3, seed=s, size=size)))[
            1
        ].tobytes()
        for s, t in ((1, (2.0, 1.0)), (2, (-6.0, 7.0)))
    ]
    good = straightened(read_picture(shot[0], "good.jpg"), design, "top", parts)
    took = seconds(lambda: suggest(design, "top", parts, read_picture(shot[1], "photo.jpg"), [good]))
    straight = seconds(lambda: straightened(read_picture(shot[0], "good.jpg"), design, "top", parts))
    return [
        ("a photograph of 12 Mpx read and compared, 42 parts", f"{took:.1f} s", "≤ 5 s"),
        ("a good board's photograph brought straight, once", f"{straight:.1f} s", "–"),
    ]


def rows() -> list[Row]:
    return [*tours(), *pattern_rows(), *photo_rows()]


if __name__ == "__main__":
    print(json.dumps(rows()))
