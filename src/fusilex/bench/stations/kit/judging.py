"""The judgements of Kit: bins, bags, stock, moisture, programmes, strap."""

from __future__ import annotations

from typing import Any

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.bins import Bins
from fusilex.bench.common.mended import Mended, judge_stock_losses
from fusilex.bench.stations.kit.events import Kitted
from fusilex.bench.stations.kit.fitting import clocks, have, lines_to_pull, lots_for
from fusilex.bench.workshop.stock import Lots
from fusilex.core.evidence import Level, every, seen
from fusilex.core.judgement import Judgement
from fusilex.core.kit.bag import check_bag, judge_bag
from fusilex.core.kit.quantities import judge_stock, judge_values, look_alikes
from fusilex.core.kit.stock import judge_cover
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say


def judge(batch: Batch) -> list[Judgement]:
    """Everything that stands between this tray and the first part on paste."""
    bins, lines = batch.state[Bins], lines_to_pull(batch)
    counts: dict[str, int | None] = {x.key: batch.serve(x.key) for x in lines if x.key in bins.filled}
    found = _bags(batch) + clocks(batch) + _programmes(batch) + judge_stock(lines, counts)
    waiting = [x for x in lines if x.key not in bins.filled]
    if waiting and batch.workshop[Lots].lots:
        found += judge_cover(waiting, {x.key: have(batch, x) for x in waiting if lots_for(batch, x)})
    found += judge_stock_losses(batch.workshop[Mended].losses)
    return found + judge_values(lines) + look_alikes(lines) + _strap(batch)


def _bags(batch: Batch) -> list[Judgement]:
    """Bags that did not match: a stop while nothing is said to it, a care once a reason is on record."""
    found = []
    kitted = batch.state[Kitted]
    for line in batch.lines:
        bag = kitted.bags.get(line.key)
        if bag is not None and bag.level != Level.GO:
            check = check_bag(line, bag.label, kitted.substitutes.get(line.key, ()))
            found.append(judge_bag(check, bag.reason))
    return found


def _programmes(batch: Batch) -> list[Judgement]:
    found = []
    for key, done in batch.state[Kitted].programmes.items():
        line = next((x for x in batch.lines if x.key == key), None)
        if line is None:
            continue
        if done is not None:
            text = say("done", name=line.name, version=done.version)
            numbers = (
                Quantity("file", done.name),
                Quantity("version", done.version),
                Quantity("sha-256", done.sha256[:12]),
            )
            files = (every("files", 1),)
            judged = Judgement("kit.programme", seen(*files), key, text, numbers, None, line.refs, (), files)
            found.append(judged)
        else:
            text = say("open", name=line.name)
            found.append(Judgement("kit.programme", Level.STOP, key, text, (), say("program"), line.refs))
    return found


def _strap(batch: Batch) -> list[Judgement]:
    strap = batch.state[Kitted].strap
    if strap is None:
        missing = ("resistance of the strap",)
        return [Judgement("kit.strap", Level.UNKNOWN, "wrist strap", say("untested"), (), say("test"), (), missing)]
    numbers = (Quantity("reads", strap.text),)
    if strap.passed:
        tests = (every("tests", 1),)
        return [Judgement("kit.strap", seen(*tests), "wrist strap", say("passed"), numbers, coverage=tests)]
    return [Judgement("kit.strap", Level.STOP, "wrist strap", say("failed"), numbers, say("change cord"))]


def remarks(batch: Batch, board: Board) -> list[Judgement]:
    """Parts the batch started without and this board does not carry; to be said on the label."""
    there = {*board.placed, *board.soldered}
    gone = tuple(ref for ref in batch.state[Bins].without if ref not in there)
    if not gone:
        return []
    text = say("left out", refs=tuple(gone))
    return [Judgement("kit.short", Level.CARE, "parts left out", text, (), say("mark label"), gone)]


def papers(batch: Batch, board: Board) -> dict[str, Any]:
    """What of the kit stands in a board's papers: each part with its bin, lot and programme."""
    state = batch.state
    filled, programmes = state[Bins].filled, state[Kitted].programmes
    rows = []
    lines, numbers = batch.lines_of(board), batch.bin_number
    for part in sorted((p for p in batch.built(board).values() if p.populated), key=lambda p: (p.side != "top", p.ref)):
        line = lines.get(part.ref)
        held = filled.get(line.key) if line else None
        programme = programmes.get(line.key) if line else None
        rows.append(
            {
                "ref": part.ref,
                "value": part.value,
                "package": part.package.code,
                "part_number": part.part_number,
                "side": part.side,
                "bin": numbers[line.key] if line else None,
                "lot": (held.lot or None) if held else None,
                "programme": f"{programme.name}, {programme.version}" if programme else None,
                "how": board.placed_how.get(part.ref) or ("iron" if part.ref in board.soldered else None),
                "left_out": part.ref in state[Bins].without,
            }
        )
    return {"parts": rows}
