"""A designer's files into a design, read whole or not at all."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from pathlib import Path

import numpy as np
from msgspec import Struct, field
from msgspec.structs import replace

from fusilex.bench.intake.lists import Lists
from fusilex.core.design.complete import frames_left_out, outline_of, paste_where_missing
from fusilex.core.design.join import join
from fusilex.core.design.model import Design, FileNote, Hole, Layer, Placement, Remark
from fusilex.core.design.one_of_each import Layers
from fusilex.core.design.pads import check_crowd
from fusilex.core.design.roles import guess_roles
from fusilex.core.evidence import Level
from fusilex.core.problems import BadInput
from fusilex.core.progress import Step, part_of, quiet
from fusilex.core.wording import say
from fusilex.formats.bundle import Files, read_files
from fusilex.formats.identify import (
    CHOSEN,
    GUESSED,
    NO_APERTURES,
    UNKNOWN,
    Guess,
    identify,
    revision_of,
    stated_layers,
    undecided,
)
from fusilex.formats.layers.excellon import read_excellon
from fusilex.formats.layers.gerber import read_gerber


class Choices(Struct, frozen=True):
    """What the user settled about files that could be read in several ways; nothing of it is written into them.

    `roles` maps a file to (role, side), ``("other", None)`` meaning it is left aside; `columns` maps a file to field
    → column.
    """

    roles: Mapping[str, tuple[str, str | None]] = field(default_factory=dict)
    columns: Mapping[str, Mapping[str, int]] = field(default_factory=dict)


AS_FOUND = Choices()


def read_design(path: Path | str) -> Design:
    """Read the design in a folder or zip. Raises `BadInput` in one sentence; nothing is half-loaded."""
    path = Path(path)
    return design_from(read_files(path), path.stem if path.is_file() else path.resolve().name)


def design_from(files: Files, name: str, choices: Choices = AS_FOUND, step: Step = quiet) -> Design:
    """Build a design from file contents by name, its parts joined. Raises `BadInput`."""
    raw = unjoined_design(files, name, choices, part_of(step, 0.0, 0.8))
    step(0.8, "Joining pads, parts and lists")
    return join(raw)


def unjoined_design(files: Files, name: str, choices: Choices = AS_FOUND, step: Step = quiet) -> Design:
    """The design as the files state it, before pads, placements and bill of materials are joined. Raises `BadInput`."""
    guesses = {}
    for n, (file, data) in enumerate(files.items()):
        step(0.2 * n / len(files), f"What is {file}?")
        guesses[file] = _chosen(identify(file, data), choices.roles.get(file))
    guesses |= undecided(guesses)
    lists = Lists()
    images = _images(files, guesses, lists.remarks, part_of(step, 0.2, 0.8))
    step(0.8, "Reading lists and holes")
    for file, guess in guesses.items():
        if file not in images:
            lists.take(file, files[file], guess, choices.columns.get(file))
    lists.settle_placements()
    lists.settle_bom()
    pads = np.concatenate([EMPTY.polygons, *(x.polygons[x.flashed] for x in images.values() if x.role == "copper")])
    drilled = {f: read_excellon(files[f], f, pads) for f, guess in guesses.items() if guess.kind == "drill"}
    once = Layers()
    holes = once.holes_once(drilled)
    counted = _settle_unknown(guesses, images, holes, lists.placements)
    lists.settle_sides({(x.role, x.side): x for x in images.values() if len(x)})
    lists.note_skipped()
    placements = lists.placements
    remarks = [
        *lists.remarks,
        *counted,
        *_guessed({f: g for f, g in guesses.items() if g.sure == GUESSED and g.kind == "gerber"}),
    ]
    remarks += _unread(images)
    layers = once.one_of_each({file: x for file, x in images.items() if x.role != "other"})
    remarks += once.remarks
    _demand_layers(name, layers, guesses)
    for layer in layers:
        if layer.role in ("copper", "mask", "paste"):
            check_crowd(layer)
    outline = outline_of(layers, name, remarks)
    layers = frames_left_out(layers, outline, remarks)
    derived = paste_where_missing(layers, holes, placements, remarks)
    made = {(x.role, x.side) for x in derived}
    layers = [x for x in layers if (x.role, x.side) not in made] + derived
    notes = tuple(
        FileNote(
            file,
            g.role,
            g.side,
            g.because + {**lists.also, **once.also}.get(file, ""),
            len(files[file]),
            g.sure,
            g.kind,
            revision_of(file, files[file]) if g.kind != "other" else "",
        )
        for file, g in guesses.items()
    )
    return Design(
        name,
        notes,
        tuple(layers),
        holes,
        outline,
        placements,
        lists.bom,
        lists.netpoints,
        panel=lists.panel,
        remarks=tuple(remarks),
        copper_layers=stated_layers(files),
    )


EMPTY = Layer("other", None, np.empty(0, dtype=object), np.empty(0, dtype=bool), (), (), ())
_KIND_OF_ROLE = {"drill": "drill", "placements": "placements", "bom": "bom", "netlist": "netlist"}


def _images(files: Files, guesses: dict[str, Guess], remarks: list[Remark], step: Step) -> dict[str, Layer]:
    """Every layer that is used or not known yet. One that neither its name nor itself says to be a layer, and that
    cannot be read as one, is set aside.
    """
    found = {}
    total, done = max(1, sum(len(files[f]) for f, g in guesses.items() if _is_image(g))), 0
    for file, guess in guesses.items():
        if _is_image(guess):
            step(done / total, f"Reading {file}")
            try:
                found[file] = replace(_image(files[file], file), role=guess.role, side=guess.side)
            except BadInput as problem:
                if guess.sure != UNKNOWN:
                    raise
                guesses[file] = Guess("other", "other", None, f"set aside: {problem}", UNKNOWN)
                remarks.append(Remark("ready.note", file, say("set aside", file=file), say("look at it")))
            done += len(files[file])
    return found


def _is_image(guess: Guess) -> bool:
    return guess.kind == "gerber" and not (guess.role == "other" and guess.sure != UNKNOWN)


@lru_cache(maxsize=32)
def _image(data: bytes, file: str) -> Layer:
    """What a file draws, whatever it is: read once, also where it is taken for something else afterwards."""
    return read_gerber(data, file)


def _chosen(guess: Guess, role: tuple[str, str | None] | None) -> Guess:
    """The guess, or what the user says the file is."""
    if role is None:
        return guess
    kind = _KIND_OF_ROLE.get(role[0], "gerber" if role[0] != "other" or guess.kind == "gerber" else "other")
    return Guess(
        "components" if guess.kind == "components" and kind == "placements" else kind, *role, "as you said", CHOSEN
    )


def _guessed(guesses: Mapping[str, Guess]) -> list[Remark]:
    """One remark for a layer or two that were guessed, one for all when there are more."""
    do = say("check the tiles")
    if len(guesses) > 2:
        layers = tuple(f"{f} {_role_words(g).replace(',', '')}" for f, g in guesses.items())
        return [Remark("ready.guessed", "layers", say("by shapes", layers=layers), do)]
    return [
        Remark("ready.guessed", f, say("taken for", file=f, role=_role_words(g), why=g.because), do)
        for f, g in guesses.items()
    ]


def _unread(images: Mapping[str, Layer]) -> list[Remark]:
    """One remark a file of which something could not be drawn: a stop where joints depend on it."""
    found = []
    for file, layer in images.items():
        if layer.unread:
            level = Level.STOP if layer.role in ("copper", "mask", "paste", "outline") else Level.CARE
            text = say("not all drawn", file=file, what=tuple(layer.unread))
            found.append(Remark("ready.unread", file, text, say("export again"), level))
    return found


def _role_words(guess: Guess) -> str:
    return f"{guess.role}, {guess.side}" if guess.side else guess.role


def _settle_unknown(
    guesses: dict[str, Guess], images: dict[str, Layer], holes: tuple[Hole, ...], placements: tuple[Placement, ...]
) -> list[Remark]:
    """Layers whose names say nothing get the role their shapes give away, in place; a remark where only pads were
    counted.
    """
    unknown = {file: images[file] for file, g in guesses.items() if g.kind == "gerber" and g.sure == UNKNOWN}
    known = {(x.role, x.side): x for x in images.values() if x.role != "other"}
    roles = guess_roles(unknown, known, holes, placements) if unknown else {}
    for file, found in roles.items():
        guesses[file] = Guess("gerber", found.role, found.side, found.because, GUESSED)
        images[file] = replace(images[file], role=found.role, side=found.side)
    if counted := [file for file, found in roles.items() if found.counted]:
        text, do, missing = say("top copper assumed", file=counted[0]), say("check the sides"), ("which copper is top",)
        return [Remark("ready.guessed", "sides of the copper", text, do, Level.UNKNOWN, missing)]
    return []


def _demand_layers(name: str, layers: list[Layer], guesses: Mapping[str, Guess]) -> None:
    have = {item.role for item in layers if len(item)}
    missing = ["a copper layer"] if "copper" not in have else []
    if not have & {"paste", "mask"}:
        missing.append("a paste or solder mask layer")
    if missing:
        names = list(guesses)
        shown = ", ".join(names[:8]) + (f" and {len(names) - 8} more" if len(names) > 8 else "")
        old = [f"{file} is {NO_APERTURES}" for file, g in guesses.items() if g.because == NO_APERTURES]
        found = "; ".join([f"only {shown}", *old[:1]]) if names else "no files"
        raise BadInput(name, " and ".join(missing), found)
