"""Handlers of Ready: what the files are, how they are read, and corrections, tried before anything is recorded."""

from __future__ import annotations

from dataclasses import asdict, replace
from typing import TYPE_CHECKING

from fusilex.bench import commands as c
from fusilex.bench.commands import Refused, Result
from fusilex.bench.intake.lists import table_of
from fusilex.bench.whereabouts import laid_out
from fusilex.bench.workshop import package_from
from fusilex.core.checks.fixes import KINDS, Fix
from fusilex.core.design.model import Design
from fusilex.formats.identify import ending
from fusilex.journal.store import Event, digest

if TYPE_CHECKING:
    from fusilex.bench.session import Bench

ROLES = ("copper", "inner", "mask", "paste", "silk", "outline", "drill", "placements", "bom", "netlist", "other")
SIDED = ("copper", "mask", "paste", "silk")


def still_open(bench: Bench) -> None:
    """Files and readings change only while every board waits at Ready."""
    if len(bench.state.at("Ready")) < len(bench.state.boards):
        raise Refused("The files were accepted: take that back with Ctrl+Z before changing what they say.")


def offered(bench: Bench) -> dict[str, Fix]:
    """The fix that goes with a judgement of Ready, by the judgement's key."""
    from fusilex.bench.judge_ready import ready_findings

    return {f"ready.{f.kind}:{f.ref}": f.fix for f in ready_findings(bench.design)[0] if f.fix is not None}


def add_files(bench: Bench, command: c.AddFiles) -> Result:
    still_open(bench)
    if not command.files:
        raise Refused("There is no file to add.")
    bench.design_with({**bench.files, **command.files}, bench.choices, bench.fixes)
    happened = [Event("file_added", {"name": n, "sha256": digest(data)}) for n, data in command.files.items()]
    return Result(happened, files=dict(command.files))


def assign_file(bench: Bench, command: c.AssignFile) -> Result:
    still_open(bench)
    if command.file not in bench.files:
        raise Refused(f"There is no file {command.file}.")
    if command.role not in ROLES:
        raise Refused(f"A file is one of {', '.join(ROLES)}, not {command.role}.")
    if command.role == "inner":
        if not (command.side or "").isdecimal() or int(command.side or 0) < 2:
            raise Refused("An inner layer has its number from the top, from 2 on.")
    elif (command.role in SIDED) != (command.side in ("top", "bottom")):
        raise Refused(
            f"{command.role.capitalize()} {'has a side, top or bottom' if command.role in SIDED else 'has no side'}."
        )
    roles = {**bench.state.roles, command.file: (command.role, command.side)}
    bench.design_with(bench.files, replace(bench.choices, roles=roles), bench.fixes)
    what = {"role": command.role, "side": command.side}
    remembered = Event("role_remembered", {"signature": ending(command.file, bench.files), **what})
    return Result([Event("file_assigned", {"file": command.file, **what})], [remembered])


def pick_columns(bench: Bench, command: c.PickColumns) -> Result:
    still_open(bench)
    role = next((n.role for n in bench.design.files if n.name == command.file), None)
    table = table_of(bench.files.get(command.file, b""), command.file, role)
    if table is None:
        raise Refused(f"{command.file} is no list with columns to pick.")
    columns = {**bench.state.columns, command.file: dict(command.columns)}
    bench.design_with(bench.files, replace(bench.choices, columns=columns), bench.fixes)
    picked = {"columns": dict(command.columns)}
    remembered = Event("columns_remembered", {"signature": table.signature, **picked})
    return Result([Event("columns_picked", {"file": command.file, **picked})], [remembered])


def apply_fix(bench: Bench, command: c.ApplyFix) -> list[Event]:
    still_open(bench)
    if command.fix.kind not in KINDS:
        raise Refused(f"There is no fix called {command.fix.kind}.")
    if command.fix in bench.fixes:
        raise Refused("That fix is applied already.")
    made = bench.mended([*bench.fixes, command.fix])
    return [Event("fix_applied", command.fix.as_dict()), *_laid_anew(bench, made)]


def withdraw_fix(bench: Bench, command: c.WithdrawFix) -> list[Event]:
    still_open(bench)
    if command.fix not in bench.fixes:
        raise Refused("That fix is not applied.")
    made = bench.mended([f for f in bench.fixes if f != command.fix])
    return [Event("fix_withdrawn", command.fix.as_dict()), *_laid_anew(bench, made)]


def _laid_anew(bench: Bench, made: Design) -> list[Event]:
    """The boards get their places in another panel, where a fix gives or takes one."""
    if made.panel == bench.design.panel:
        return []
    return [Event("boards_laid", {"boards": laid_out(list(bench.state.boards), made.panel)})]


def set_body(bench: Bench, command: c.SetPackage) -> Result:
    """A body measured here; it serves this and every later batch."""
    known = bench.design.catalogue.package(command.code)
    part = next((p for p in bench.design.parts if p.package.code == command.code), None)
    if part is None:
        raise Refused(f"No part of this design has the body {command.code}.")
    sizes = (command.size_x, command.size_y, command.height)
    if not all(0 < v <= 200 for v in sizes) or not 0 <= command.mass_mg <= 1e6:
        raise Refused("A body is up to 200 mm long, wide and high, and weighs up to 1 kg.")
    body = replace(
        part.package if known.family == "other" else known,
        code=command.code,
        size_x=command.size_x,
        size_y=command.size_y,
        height=command.height,
        mass_mg=command.mass_mg,
        polarised=part.package.polarised if command.polarised is None else command.polarised,
    )
    data = {k: v for k, v in asdict(body).items() if k not in ("known", "mass_from")}
    package_from(data)
    return Result([Event("body_noted", {"code": command.code})], [Event("body_set", data)])
