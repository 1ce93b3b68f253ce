"""A batch of Heron with three causes planted: a clogged opening, a bad nozzle, a wrong bin."""

from __future__ import annotations

import random
from pathlib import Path

import asked as c
from machines import plain_programme
from templates import from_template

from fusilex.bench.record.bench import Bench
from fusilex.bench.record.demos import open_demo
from fusilex.bench.rooms import open_journal
from fusilex.bench.stations.place.programmed import kept_of
from fusilex.bench.stations.place.running.proving import next_look
from fusilex.journal.place import sqlite_url

CLOGGED = 2, "U1", "5"
"""Cell from 0, part and pin of the opening that lets no paste through."""
STRAY = (("H7-02", "R3", "misaligned"), ("H7-11", "C4", "insufficient"), ("H7-15", "D1", "cold joint"))
"""Faults by chance."""


def at_the_oven(path: Path, look: bool = False) -> Bench:
    """Heron's three panels printed and placed by the machine, by a proven programme; with a look before the oven."""
    return from_template(f"oven{'-look' * look}", path, lambda place: _to_the_oven(place, look))


def _to_the_oven(path: Path, look: bool) -> Bench:
    bench = open_demo(open_journal(sqlite_url(path)))
    c.acknowledge_all(bench)
    bench.do(c.AcceptFiles())
    if look:
        bench.do(c.AddStep("Inspect", "top", "Reflow", "before the oven"))
    for line in bench.batch.lines:
        bench.do(c.FillBin(line.key, line.pull + 40))
    bench.do(c.CloseKit())
    for panel in (1, 2, 3):
        bench.do(c.PrintPanel(panel, 0.12, "leaded"))
    bench.go("Place", "H7-01")
    for panel in (1, 2, 3):
        for name, x, y in bench.batch.panel.fiducials:
            bench.do(c.TeachPoint(panel, name, x + 160.2, y + 110.1))
        if panel == 1:
            bench.do(c.KeepProgramme(*plain_programme(bench.batch), 100.0))
            prove(bench, "dry run")
        bench.do(c.MachinePlaced(panel))
        if panel == 1:
            prove(bench, "first article")
        hands = [b for b in bench.state.at("Place") if b.panel == panel]
        for board in hands:
            while part := bench.batch.next_part(board, "Place"):
                bench.do(c.PlacePart(board.serial, part.ref))
    return bench


def at_the_eyes(path: Path) -> Bench:
    """The same batch melted, soldered by hand, before anybody looked."""
    return from_template("eyes", path, _to_the_eyes)


def _to_the_eyes(path: Path) -> Bench:
    bench = at_the_oven(path)
    bench.go("Reflow", "H7-01")
    for panel in (1, 2, 3):
        bench.go("Reflow", bench.state.panel_boards(panel)[0].serial)
        (unseen,) = bench.route.open_stops(bench.batch, "Reflow")
        bench.do(c.Overrule(unseen.key, "marks looked at once, as they were placed"))
        bench.do(c.SeeReflow(panel, "all shiny"))
    bench.go("Hand", "H7-01")
    for board in bench.state.boards.values():
        while part := bench.batch.next_part(board, "Hand"):
            bench.do(c.SolderPart(board.serial, part.ref))
    bench.go("Inspect", "H7-01")
    return bench


def prove(bench: Bench, proof: str) -> None:
    while label := next_look(bench.batch, proof):
        bench.do(c.JudgePart(proof, *label, "right"))
    bench.do(c.SignProof(proof))


def faults_of(bench: Bench, nozzle: str, bin_of: str) -> list[tuple[str, str, str, str]]:
    """What eyes would see: (serial, part, pin, word). A bad nozzle shifts one in five parts that it put down; all parts
    of a bin are wrong on boards from the seventh on, when it was filled again.
    """
    pick = random.Random(3)
    cell, ref, pin = CLOGGED
    lines, found = bench.batch.line_of, []
    for n, board in enumerate(bench.state.boards.values()):
        if board.cell == cell:
            found.append((board.serial, ref, pin, "no solder"))
        put = [r for r, one in sorted(board.put.items()) if one.nozzle == nozzle]
        found += [(board.serial, r, "", "misaligned") for r in put if pick.random() < 0.2]
        if n >= 6:
            found += [(board.serial, r, "", "wrong part") for r in board.put if lines[r].key == bin_of]
    return found + [(serial, part, "", word) for serial, part, word in STRAY]


__all__ = ["at_the_oven", "faults_of", "kept_of"]
