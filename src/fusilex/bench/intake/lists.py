"""What the lists among a designer's files add up to: placements, bill of materials, netlist, panel."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from msgspec.structs import replace

from fusilex.core.design.model import BomLine, Layer, NetPoint, Placement, Remark
from fusilex.core.design.which_side import sides_of_words, told_by, top_lead
from fusilex.core.evidence import Level
from fusilex.core.panel.layout import Panel
from fusilex.core.problems import BadInput
from fusilex.core.wording import say
from fusilex.formats.identify import Guess, identify
from fusilex.formats.layers.gerber import read_components
from fusilex.formats.lists.design_lists import Skipped, bom_in, placements_in, unknown_sides
from fusilex.formats.lists.grids import is_spreadsheet
from fusilex.formats.lists.headings import BOM, PLACEMENTS
from fusilex.formats.lists.netlist import read_netlist
from fusilex.formats.lists.tables import GUESS, ListKind, Table, best_table, in_words, unsettled_table
from fusilex.formats.panel_file import read_panel
from fusilex.formats.side_names import side_in_name

SAME_PARTS = 0.9
LIST_KINDS = {"placements": PLACEMENTS, "bom": BOM}


def table_of(data: bytes, file: str, role: str | None = None, picked: Mapping[str, int] | None = None) -> Table | None:
    """The placement list or bill of materials in a file, its columns as recognised or to be picked; None for anything
    else.

    `role` is what the file was taken for, where that is known. Raises `BadInput` for what is no table.
    """
    kind = LIST_KINDS.get(role or identify(file, data).kind)
    if kind is None:
        return None
    return best_table(data, file, kind, picked) or unsettled_table(data, file, kind, picked)


def _as_placed(lines: tuple[BomLine, ...], placed: set[str]) -> tuple[BomLine, ...]:
    """Lines whose designators are spelt as the placement list spells them, where capitals are all that differs."""
    spelt = {ref.upper(): ref for ref in placed}
    return tuple(
        replace(line, refs=tuple(ref if ref in placed else spelt.get(ref.upper(), ref) for ref in line.refs))
        for line in lines
    )


class Lists:
    """Files that are not layers, taken in the order of their names."""

    def __init__(self) -> None:
        self.bom: tuple[BomLine, ...] = ()
        self.netpoints: tuple[NetPoint, ...] = ()
        self.panel: Panel | None = None
        self.remarks: list[Remark] = []
        self.also: dict[str, str] = {}  # what else was found in a file
        self._placements: dict[str, tuple[Placement, ...]] = {}
        self._drawn: set[str] = set()  # component layers
        self._boms: list[Table] = []
        self._placed_from: list[tuple[str, bytes]] = []
        self._skipped: dict[str, Skipped] = {}
        self._sideless: list[tuple[Table, dict[str, list[int]]]] = []

    @property
    def placements(self) -> tuple[Placement, ...]:
        return tuple(p for some in self._placements.values() for p in some)

    def take(self, file: str, data: bytes, guess: Guess, picked: Mapping[str, int] | None) -> None:
        """Take in one file as what it was guessed to be. Raises `BadInput`."""
        if guess.kind == "netlist":
            self.netpoints = self.netpoints or read_netlist(data, file)
        elif guess.kind == "components":
            self._placements[file] = read_components(data, file, guess.side)
            self._drawn.add(file)
        elif guess.kind == "panel":
            self.panel = read_panel(data, file)
        elif guess.kind in LIST_KINDS:
            kind = LIST_KINDS[guess.kind]
            table = best_table(data, file, kind, picked)
            if table is None:
                self._unread(file, guess.role, kind)
            elif not table.rows:
                self.remarks.append(Remark("ready.note", file, say("set aside", file=file), say("look at it")))
            elif kind is BOM:
                self._boms.append(table)
            else:
                self._take_placements(table)
                self._placed_from.append((file, data))
                other = best_table(data, file, BOM, leave=table.how) if is_spreadsheet(data) else None
                if other is not None and len(other.fields) > 1:
                    self._boms.append(other)

    def settle_placements(self) -> None:
        """Of lists that name the same parts the longest counts, the first of equals: one for all beside one a side,
        mm beside inch.
        """
        by_length = sorted(self._placements, key=lambda file: (file in self._drawn, -len(self._placements[file])))
        kept: dict[str, str] = {}
        for file in by_length:
            refs = {p.ref for p in self._placements[file]}
            again = [kept[ref] for ref in refs if ref in kept]
            if again and len(again) >= SAME_PARTS * len(refs):
                del self._placements[file]
                if file in self._drawn:
                    self.also[file] = f"; {again[0]} says the same"
                else:
                    text = say("second placement list", file=file, first=again[0])
                    self.remarks.append(Remark("ready.note", file, text, say("keep the right one")))
            else:
                kept |= dict.fromkeys(refs, file)
        self._sideless = [(table, words) for table, words in self._sideless if table.name in self._placements]

    def settle_bom(self) -> None:
        """Of several lists that may be the bill of materials the one with most of the placed parts is it.

        Without any, a placement list that names part numbers is one, too. Raises `BadInput` where the only one cannot
        be read.
        """
        placed = {p.ref for p in self.placements}
        spelt = {ref.upper() for ref in placed}
        best: tuple[int, Table, tuple[BomLine, ...]] | None = None
        for table in self._boms:
            lines = self._bom_lines(table)
            known = sum(ref.upper() in spelt for line in lines for ref in line.refs)
            told = min(table.sure.values()) > GUESS
            if lines and (known or told or not placed) and (best is None or known > best[0]):
                best = known, table, lines
        for table in self._boms:
            if best is None or table is not best[1]:
                text = say("not the BOM" if best is None else "second BOM", file=table.name)
                self.remarks.append(Remark("ready.note", table.name, text, say("keep one")))
        if best is not None:
            _, table, self.bom = best
            self.bom = _as_placed(self.bom, placed)
            self._doubt(table)
            if table.name in self._placements:
                self.also[table.name] = f"; bill of materials on {table.how}"
            return
        for file, data in self._placed_from:
            beside = best_table(data, file, BOM) if file in self._placements else None
            if beside is not None and beside.has("part_number"):
                self.bom = (*self.bom, *bom_in(beside, self._skipping(beside)))
                self.also[file] = "; its part numbers make it the bill of materials, too"

    def _bom_lines(self, table: Table) -> tuple[BomLine, ...]:
        try:
            return bom_in(table, self._skipping(table))
        except BadInput:
            if len(self._boms) == 1:
                raise
            return ()

    def _take_placements(self, table: Table) -> None:
        """Placements; words for a side that are in no dictionary, and none at all, wait for the layers."""
        self._doubt(table)
        if words := unknown_sides(table):
            self._sideless.append((table, words))
        named = side_in_name(table.name) or "top"
        self._placements[table.name] = placements_in(
            table, {word: "top" if word else named for word in words}, self._skipping(table)
        )

    def settle_sides(self, layers: Mapping[tuple[str, str | None], Layer]) -> None:
        """Give words that name a side nobody knows the side whose pads lie under their parts. Raises `BadInput` where
        none does.
        """
        top, bottom = (layers.get(("paste", side)) or layers.get(("copper", side)) for side in ("top", "bottom"))
        for table, words in self._sideless:
            places = {p.line: (p.x, p.y) for p in self._placements[table.name]}
            at = {
                w: [places[line] for row in rows if (line := table.lines[row]) in places] for w, rows in words.items()
            }
            unknown = {table.lines[row] for rows in words.values() for row in rows}
            taken = {p.side for p in self._placements[table.name] if p.line not in unknown}
            leads = {w: top_lead(np.array(spots), top, bottom) for w, spots in at.items()}
            usual = side_in_name(table.name) or "top"  # what a list without sides means
            sides = {"": told_by(usual, leads[""])} if "" in words else sides_of_words(leads, taken)
            told = {word: side for word, side in sides.items() if word or side != usual}
            named = {word: table.cell(words[word][0], "side") if word else "" for word in told}
            if len(told) > 1:  # one word a side, all of one language: one finding
                both = tuple(f"“{named[word]}” {side}" for word, side in told.items())
                text = say("unknown words", file=table.name, words=both, parts=sum(len(at[word]) for word in told))
                self.remarks.append(Remark("ready.side-word", table.name, text, say("check one part")))
            for word, side in told.items() if len(told) == 1 else ():
                case = "unknown word" if word else "no side named"
                text = say(case, file=table.name, word=named[word], side=side, parts=len(at[word]))
                subject = f"{table.name} {word}".strip()
                self.remarks.append(Remark("ready.side-word", subject, text, say("check one part")))
            self._placements[table.name] = placements_in(table, sides, self._skipping(table))

    def _skipping(self, table: Table) -> Skipped:
        """Where lines of a table that cannot be read are noted; anew for every reading."""
        self._skipped[table.name] = Skipped()
        return self._skipped[table.name]

    def note_skipped(self) -> None:
        """One remark a list of which lines were left out: a stop where they name parts."""
        for file, skipped in self._skipped.items():
            if skipped.problems:
                lines = list(skipped.problems)
                first = skipped.problems[lines[0]]
                at = tuple(map(str, lines))
                text = say("lines unread", file=file, lines=at, expected=first.expected, found=first.found)
                level = Level.STOP if skipped.parts else Level.CARE
                self.remarks.append(Remark("ready.skipped", file, text, say("correct the list"), level))

    def _unread(self, file: str, role: str, kind: ListKind) -> None:
        text = say("no header, BOM" if role == "bom" else "no header, placements", file=file, wanted=kind.demand)
        self.remarks.append(Remark("ready.columns", file, text, say("pick columns")))

    def _doubt(self, table: Table) -> None:
        if doubtful := [f for f in table.doubtful if table.sure[f] <= GUESS]:
            took = tuple(f"column {table.fields[f] + 1} for {in_words(f)}" for f in doubtful)
            text = say("columns assumed", file=table.name, took=took)
            self.remarks.append(Remark("ready.columns", table.name, text, say("check the rows")))
