"""Photographs against good boards: made-up pictures of a renderer of its own, planted differences, none where none is."""

from __future__ import annotations

import json
import random
from pathlib import Path

import cv2
import numpy as np
import pytest
from msgspec.structs import replace
from photos import Scene, photograph, view
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from three_causes import at_the_eyes

from fusilex.app import main
from fusilex.bench.record.archive import batch_in, batch_out
from fusilex.bench.report.papers import board_record
from fusilex.bench.rooms import open_journal
from fusilex.bench.stations.inspect.pictures import Pictures
from fusilex.core.design.model import Design
from fusilex.core.photo.compare import MISSING, OTHER, SAME, SHIFTED, THERE, TURNED, UNSEEN
from fusilex.core.photo.drawn import draw
from fusilex.core.photo.frame import Frame
from fusilex.core.photo.register import NotFound, Reference, found_at
from fusilex.core.photo.slant import slanted
from fusilex.core.photo.suggest import as_drawn, judge_photo, straightened, suggest
from fusilex.core.problems import BadInput
from fusilex.demo.heron import __file__ as HERON_SOURCE
from fusilex.formats.pictures import read_picture
from fusilex.journal.place import sqlite_url

pytestmark = pytest.mark.xdist_group("photographs")  # the good board's picture is made once
HERON = Path(HERON_SOURCE).parent / "heron-r2"
SIZE = (1280, 960)
FEW, MANY = 3, 10
"""Boards photographed in a quick and in a long run."""


def looked(seed: int, **planted: object) -> Scene:
    """A camera held by hand: tilt to 10°, uneven light, a shadow or none, blur, noise; every board with its own grain."""
    pick = random.Random(seed)
    return Scene(
        tilt=(pick.uniform(-10, 10), pick.uniform(-10, 10)),
        turn=pick.uniform(-15, 15) + 90 * pick.choice((0, 0, 1, 2)),
        uneven=pick.uniform(0, 0.6),
        shadow=pick.random() < 0.5,
        blur=pick.uniform(0.5, 1.2),
        noise=pick.uniform(2, 5),
        seed=1000 + seed,
        size=SIZE,
        **planted,  # type: ignore[arg-type]
    )


@pytest.fixture(scope="module")
def good(heron: Design) -> np.ndarray:
    picture = photograph(heron, "top", Scene(tilt=(2, 3), turn=-3, uneven=0.2, seed=1, size=SIZE))
    return straightened(picture, heron, "top", [p for p in heron.parts if p.populated])


def test_a_board_is_found_where_the_camera_saw_it(heron: Design, good: np.ndarray) -> None:
    """The homography against the camera that made the picture, at the corners and the fiducials of the board."""
    parts = [p for p in heron.parts if p.populated]
    x0, y0, x1, y1 = heron.outline.bounds
    at = np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1), ((x0 + x1) / 2, (y0 + y1) / 2)])
    for seed, side in ((1, "top"), (3, "bottom")):
        scene = looked(seed)
        frame = Frame(heron, side)
        references = [as_drawn(heron, side, parts)]
        references += [Reference(frame, good)] if side == "top" else []
        for reference in references:
            shape = found_at(photograph(heron, side, scene), reference)
            truth = (view(heron, side, scene) @ np.column_stack([at, np.ones(5)]).T).T
            seen = (shape @ np.column_stack([frame.to_px(at), np.ones(5)]).T).T
            off = np.linalg.norm(truth[:, :2] / truth[:, 2:] - seen[:, :2] / seen[:, 2:], axis=1)
            scale = scene.fill * min(SIZE[0] / (x1 - x0), SIZE[1] / (y1 - y0))
            most, usual = (0.7, 0.35) if reference.drawn else (0.25, 0.15)  # a corner no part stands near is the worst
            assert off.max() / scale < most and np.sqrt((off**2).mean()) / scale < usual


def test_what_is_planted_is_found_and_little_else(heron: Design, good: np.ndarray, long_run: bool) -> None:
    cases = MANY if long_run else FEW
    parts = [p for p in heron.parts if p.populated]
    small = [p for p in parts if p.side == "top" and not p.through_hole]
    found: dict[str, list[bool]] = {MISSING: [], TURNED: [], SHIFTED: [], OTHER: []}
    exact: list[bool] = []
    stray = 0
    for seed in range(cases):
        pick = random.Random(seed)
        chosen = pick.sample(small, 4)
        gone = tuple(p.ref for p in chosen[:2])
        moved: dict[str, tuple[float, float, float]] = {}
        for part in chosen[2:]:
            reach = 0.25 * min(part.package.size_x, part.package.size_y) * pick.uniform(1.0, 2.0)
            angle = pick.uniform(0, 2 * np.pi)
            moved[part.ref] = (reach * np.cos(angle), reach * np.sin(angle), 0.0)
        left = [p for p in small if p not in chosen]
        turned = pick.choice([p for p in left if p.polarity == "known"]).ref
        moved[turned] = (0.0, 0.0, 180.0)
        printed = ("ic", "transistor", "capacitor", "inductor")
        other = pick.choice([p for p in left if p.package.family in printed and p.ref != turned]).ref
        picture = photograph(heron, "top", looked(seed, gone=gone, moved=moved, swapped=(other,)))
        compared = suggest(heron, "top", parts, picture, [good])
        said = {d.ref: d for d in compared.differences}
        wanted = dict.fromkeys(gone, MISSING) | {ref: TURNED if m[2] else SHIFTED for ref, m in moved.items()}
        wanted[other] = OTHER
        for ref, verdict in wanted.items():
            found[verdict].append(said[ref].verdict not in (SAME, UNSEEN))
            exact.append(said[ref].verdict == verdict)
        stray += sum(d.ref not in wanted for d in compared.suggested)
        for part in chosen[2:]:
            one = said[part.ref]
            if one.verdict == SHIFTED:
                off = np.hypot(one.dx_mm - moved[part.ref][0], one.dy_mm - moved[part.ref][1])
                assert off < 0.15, "by the renderer's own grain and that of the good board"
    for verdict, hits in found.items():
        assert np.mean(hits) >= 0.95, (verdict, hits)
    assert np.mean(exact) >= 0.9, "and called what it is"
    assert stray <= cases, "at most one suggestion a board for nothing"


@pytest.mark.long
def test_good_boards_teach_what_varies_and_light_is_no_difference(
    heron: Design, good: np.ndarray, long_run: bool
) -> None:
    parts = [p for p in heron.parts if p.populated]
    more = [straightened(photograph(heron, "top", looked(40 + n)), heron, "top", parts) for n in range(2)]
    pictures = [photograph(heron, "top", looked(50 + n)) for n in range(3 if long_run else 1)]
    alone = sum(len(suggest(heron, "top", parts, picture, [good]).suggested) for picture in pictures)
    taught = sum(len(suggest(heron, "top", parts, picture, [good, *more]).suggested) for picture in pictures)
    assert taught <= alone <= 3
    dark = suggest(heron, "top", parts, (photograph(heron, "top", looked(60)) * 0.45).astype(np.uint8), [good])
    assert len(dark.suggested) <= 1
    assert judge_photo(dark, "H7-01").level.value in ("unknown", "care"), "a picture proves nothing"


LIGHTS = {
    "bulb": ((0.35, 0.75, 1.25), 1.0),
    "sky": ((1.5, 1.05, 0.8), 1.0),
    "tube": ((0.8, 1.2, 0.8), 1.0),
    "curve": ((1.0, 1.0, 1.0), 1.5),
    "burnt": ((0.5, 1.3, 2.6), 1.0),
}


def test_another_light_and_a_slant_make_no_other_parts(heron: Design, good: np.ndarray, long_run: bool) -> None:
    """Before the light was balanced: up to 18 other parts on a good board. A part that is another one stays one."""
    parts = [p for p in heron.parts if p.populated]
    for light, curve in list(LIGHTS.values())[: None if long_run else 1]:
        scene = replace(looked(50, swapped=("C10",)), light=light, curve=curve, slant=(0.12, -0.1))
        said = {d.ref: d for d in suggest(heron, "top", parts, photograph(heron, "top", scene), [good]).differences}
        assert said["C10"].verdict == OTHER
        strays = [d.ref for d in said.values() if d.verdict not in (SAME, UNSEEN) and d.ref != "C10"]
        assert len(strays) <= 1 and sum(d.verdict == UNSEEN for d in said.values()) <= 5
        assert "J3" not in strays and abs(said["J3"].dx_mm) < 0.8, "10 mm high: its top is seen 1.2 mm off"


def test_the_slant_is_known_as_well_as_low_parts_tell_it(heron: Design) -> None:
    """What it puts tall parts off by, within twice its error in 95 % of pictures, one part in ten out of its place."""
    parts = [p for p in heron.parts if p.populated and p.side == "top"]
    low = np.array([p.package.height <= 2 for p in parts])
    height, at = np.array([p.package.height for p in parts]), np.array([(p.x, p.y) for p in parts])
    dice = np.random.default_rng(2)
    hits = []
    for _ in range(300):
        lean, over = dice.normal(0, 0.1, 2), dice.normal(0, 0.002)
        truth = height[:, None] * (lean + over * (at - at.mean(axis=0))) + dice.normal(0, 0.1, 2)
        off = truth + dice.normal(0, 0.03, truth.shape) + 0.5 * (dice.random(len(parts)) < 0.1)[:, None]
        seen, error = slanted(parts, off, low)
        hits.append((np.abs(seen - truth)[~low] < 1.96 * error[~low, None]).mean())
    assert np.mean(hits) > 0.93
    assert np.allclose(slanted(parts, np.zeros((len(parts), 2)), low & False)[0], 0)
    assert (slanted(parts, truth, low & False)[1] > slanted(parts, truth, low)[1]).all(), "nothing read, nothing known"


@pytest.mark.long
def test_joints_without_their_shine_are_suggested(heron: Design, good: np.ndarray, long_run: bool) -> None:
    parts = [p for p in heron.parts if p.populated]
    found, stray = [], 0
    for seed in range(4 if long_run else 2):
        pick = random.Random(seed)
        small = [p.ref for p in parts if p.side == "top" and not p.through_hole and len(p.pads) <= 8]
        dull = tuple(pick.sample(small, 4))
        said = {
            d.ref: d.verdict
            for d in suggest(
                heron, "top", parts, photograph(heron, "top", looked(70 + seed, dull=dull)), [good]
            ).differences
        }
        found += [said[ref] not in (SAME, UNSEEN) for ref in dull]
        stray += sum(verdict not in (SAME, UNSEEN) for ref, verdict in said.items() if ref not in dull)
    assert np.mean(found) >= 0.6 and stray <= 4, "most, though solder shines otherwise on every board"


@pytest.mark.long
def test_against_the_drawing_bare_places_are_told_and_nothing_more(heron: Design) -> None:
    parts = [p for p in heron.parts if p.populated]
    compared = suggest(heron, "top", parts, photograph(heron, "top", looked(7, gone=("R3", "U3", "C12"))))
    said = {d.ref: d.verdict for d in compared.differences}
    assert {ref for ref, verdict in said.items() if verdict == MISSING} == {"R3", "U3", "C12"}
    assert set(said.values()) <= {MISSING, THERE, UNSEEN}
    gone = tuple(p.ref for p in parts if p.side == "top")
    bare = suggest(heron, "top", parts, photograph(heron, "top", looked(8, gone=gone)))
    assert all(d.verdict != THERE for d in bare.differences), "nothing is there"


def test_what_a_picture_does_not_show_is_said(heron: Design, good: np.ndarray) -> None:
    parts = [p for p in heron.parts if p.populated]
    picture = photograph(heron, "top", looked(5))
    half = picture.copy()
    half[:, 640:] = cv2.GaussianBlur(half[:, 640:], (0, 0), 11)
    said = suggest(heron, "top", parts, half, [good])
    assert len(said.unseen) >= 6 and "not seen" in [b.what for b in judge_photo(said, "x").quantities]
    cut = photograph(heron, "top", looked(3))[:, :760]
    beyond = suggest(heron, "top", parts, cut, [good])
    at = view(heron, "top", looked(3)) @ np.array([[p.x, p.y, 1] for p in parts]).T
    off = {p.ref for p, x in zip(parts, at[0] / at[2], strict=True) if x > 800 and p.side == "top"}
    assert off and {d.ref for d in beyond.unseen} >= off, "what lies beyond the rim is not missing"
    grey = cv2.cvtColor(cv2.cvtColor(picture, cv2.COLOR_BGR2GRAY), cv2.COLOR_GRAY2BGR)
    assert len(suggest(heron, "top", parts, grey, [good]).suggested) <= 2, "a picture in grey is no other board"
    with pytest.raises(NotFound):
        suggest(heron, "top", parts, np.random.default_rng(0).integers(0, 255, (600, 800, 3), np.uint8), [good])
    with pytest.raises(NotFound):
        suggest(heron, "bottom", parts, picture)


def test_the_verb_and_its_refusals(heron: Design, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    for name, scene in (("good.png", looked(1)), ("photo.jpg", looked(2, gone=("U2",)))):
        cv2.imwrite(str(tmp_path / name), photograph(heron, "top", scene))
    call = ["compare", str(tmp_path / "good.png"), str(tmp_path / "photo.jpg"), str(HERON), "--json"]
    assert main(call) == 0
    rows = json.loads(capsys.readouterr().out)["data"]["parts"]
    assert rows[0]["ref"] == "U2" and rows[0]["verdict"] == MISSING
    assert set(rows[0]) == {"ref", "verdict", "score", "dx_mm", "dy_mm", "rotation_deg"}
    assert {row["ref"] for row in rows} == {p.ref for p in heron.parts if p.populated and p.side == "top"}
    assert main([*call, "--side", "bottom"]) == 2 and "good.png" in capsys.readouterr().err
    whole = (tmp_path / "photo.jpg").read_bytes()
    for data, what in (
        (b"", "MB"),
        (b"hello", "something else"),
        (whole[:900], "damaged"),
        (whole[:2], "something else"),
    ):
        with pytest.raises(BadInput, match=what):
            read_picture(data, "x.jpg")
    tiny = cv2.imencode(".png", np.zeros((20, 30, 3), np.uint8))[1].tobytes()
    with pytest.raises(BadInput, match="30 × 20"):
        read_picture(tiny, "x.png")


def test_the_drawing_fills_its_frame_and_the_bottom_is_mirrored(heron: Design) -> None:
    parts = [p for p in heron.parts if p.populated]
    for side in ("top", "bottom"):
        frame = Frame(heron, side)
        picture = draw(frame, parts)
        assert picture.shape[1::-1] == frame.size and picture[2, 2].max() == 0
        part = next(p for p in parts if p.side == side and p.package.family not in ("resistor", "capacitor"))
        x, y = np.round(frame.to_px([(part.x, part.y)])[0]).astype(int)
        assert picture[y, x].sum() > 0
        dx, dy = frame.to_mm(*(frame.to_px([(part.x + 1, part.y + 2)]) - frame.to_px([(part.x, part.y)]))[0])
        assert (dx, dy) == pytest.approx((1, 2))


def test_pictures_are_compared_kept_and_taught_by_keys(
    qtbot, heron: Design, tmp_path: Path, monkeypatch, open_window
) -> None:  # type: ignore[no-untyped-def]
    bench = at_the_eyes(tmp_path / "eyes.sqlite")
    window = open_window(bench)
    window.desk.go("Inspect", "H7-01")
    QTest.keyClick(window, Qt.Key.Key_Tab)
    view = window.station.view
    planted = {"a.jpg": looked(1), "b.jpg": looked(2, gone=("R3",), moved={"D1": (0, 0, 180)})}
    for name, scene in planted.items():
        cv2.imwrite(str(tmp_path / name), photograph(heron, "top", scene))
    (tmp_path / "c.jpg").write_bytes(b"no picture")

    def compare(name: str) -> None:
        monkeypatch.setattr(
            "fusilex.ui.frame.file_dialogs.QFileDialog.getOpenFileName", lambda *a: (str(tmp_path / name), "")
        )
        QTest.keyClicks(window, "o")
        qtbot.waitUntil(lambda: not view.aside.busy, timeout=60_000)

    assert "drawn board" in window.now_card.now.detail
    compare("c.jpg")
    assert "expected a picture" in window.desk.said and not bench.state[Pictures].kept
    compare("a.jpg")
    assert {d.verdict for d in view.compared.differences} <= {THERE, UNSEEN} and view.compared.drawn
    QTest.keyClicks(window, "g")
    assert bench.state[Pictures].good("top")[0].board == "H7-01"
    window.desk.go("Inspect", "H7-02")
    compare("b.jpg")
    assert {row[0]: row[1] for row in view.rows.rows}.items() >= {("R3", MISSING), ("D1", TURNED)}
    assert window.now_card.now.title.endswith("different in the picture")
    while view.selected.ref != "D1":
        QTest.keyClick(window, Qt.Key.Key_Down)
    QTest.keyClicks(window, "9")
    assert [(f.ref, f.word) for f in bench.state.boards["H7-02"].open_faults] == [("D1", "rotated")]
    QTest.keyClicks(window, "g")
    assert "no good board" in window.desk.said
    kept = board_record(bench.batch, "H7-02")["pictures"][0]
    assert kept["name"] == "b.jpg" and ("R3", MISSING) in {(s["ref"], s["verdict"]) for s in kept["suggested"]}
    assert bench.journal.attachment(kept["sha256"]) == (tmp_path / "b.jpg").read_bytes()
    window.desk.go("Inspect", "H7-03")
    assert view.compared is None and not view.rows.rows, "another board has another picture"
    window.desk.go("Inspect", "H7-02")
    QTest.keyClicks(window, "o")
    QTest.keyClick(window, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: not view.aside.busy, timeout=60_000)
    assert len(bench.state[Pictures].of("H7-02")) == 1 and "nothing was kept" in window.desk.said
    assert window.station.take_files([str(tmp_path / "a.jpg")]) and not window.station.take_files(["x.zip"])
    qtbot.waitUntil(lambda: not view.aside.busy, timeout=60_000)
    again = batch_in(open_journal(sqlite_url(tmp_path / "other.sqlite")), batch_out(bench), "batch.zip")
    assert again.journal.attachment(kept["sha256"]), "pictures go with the batch"
