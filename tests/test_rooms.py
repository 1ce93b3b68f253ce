"""The house as it is drawn: no circles, no room that knows another, no file too long to hold in the head."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from pathlib import Path

import pytest
from asked import COMMANDS

from fusilex.bench.rooms import BY_NAME, EVENTS, ROOMS

SRC = Path(__file__).parents[1] / "src"
FILES = sorted(p for p in (SRC / "fusilex").rglob("*.py"))
LONGEST, WIDEST = 300, 120
HEAVY = {"openpyxl", "segno", "serial", "jinja2", "alembic", "platformdirs", "gerbonara", "cv2", "scipy"}
"""Libraries that are loaded only where they are needed: each would slow every start."""
STARTERS = ("fusilex.app", "fusilex.command_line.")
"""What decides whether a window is wanted at all, or which verb, and loads Qt or what the verb needs only then."""


def module(path: Path) -> str:
    return ".".join(path.relative_to(SRC).with_suffix("").parts).removesuffix(".__init__")


def imported(tree: ast.AST) -> Iterator[str]:
    for node in ast.walk(tree):
        if isinstance(node, ast.Import):
            yield from (name.name for name in node.names)
        elif isinstance(node, ast.ImportFrom) and node.module:
            yield node.module
            yield from (f"{node.module}.{name.name}" for name in node.names)


TREES = {module(path): ast.parse(path.read_text()) for path in FILES}
GRAPH = {name: sorted({m for m in imported(tree) if m in TREES and m != name}) for name, tree in TREES.items()}


def circles() -> list[list[str]]:
    """Strongly connected components of more than one module (Tarjan)."""
    order: dict[str, int] = {}
    low: dict[str, int] = {}
    stack: list[str] = []
    found: list[list[str]] = []

    def visit(name: str) -> None:
        order[name] = low[name] = len(order)
        stack.append(name)
        for other in GRAPH[name]:
            if other not in order:
                visit(other)
            if other in stack:
                low[name] = min(low[name], low[other])
        if low[name] == order[name]:
            at = stack.index(name)
            if len(stack) - at > 1:
                found.append(stack[at:])
            del stack[at:]

    for name in GRAPH:
        if name not in order:
            visit(name)
    return found


def test_stations_ask_a_board_for_its_parts_and_not_the_drawing() -> None:
    """A board is what was built: only Ready, where the drawing itself is judged, looks at the parts of a design."""
    asking = [
        f"{name}: {ast.unparse(node)}"
        for name, tree in TREES.items()
        if name.startswith(("fusilex.bench.stations.", "fusilex.bench.common.", "fusilex.ui.stations."))
        and ".ready" not in name
        for node in ast.walk(tree)
        if isinstance(node, ast.Attribute)
        and node.attr in ("parts", "part_by_ref", "placements", "bom")
        and ast.unparse(node.value).rpartition(".")[2] in ("design", "drawn")
        and "canvas" not in ast.unparse(node)  # what is drawn is drawn: a place, an outline
    ]
    assert not asking


def test_no_module_imports_itself_round_a_corner() -> None:
    assert circles() == [], "imports under TYPE_CHECKING count, too"


def test_files_can_be_held_in_the_head() -> None:
    long = {str(p): n for p in FILES if (n := len(p.read_text().splitlines())) > LONGEST}
    wide = [f"{p}:{n}" for p in FILES for n, line in enumerate(p.read_text().splitlines(), 1) if len(line) > WIDEST]
    assert not long and not wide


def test_nothing_is_imported_inside_a_function_to_dodge_a_circle() -> None:
    inside = [
        f"{name}: {what}"
        for name, tree in TREES.items()
        for scope in ast.walk(tree)
        if isinstance(scope, (ast.FunctionDef, ast.AsyncFunctionDef))
        for what in imported(scope)
        if what.split(".")[0] not in HEAVY and not name.startswith(STARTERS)
    ]
    assert not inside


@pytest.mark.parametrize("station", tuple(BY_NAME))
def test_a_station_is_one_room_a_floor_and_knows_no_other(station: str) -> None:
    name = station.lower()
    for floor in ("fusilex.bench.stations", "fusilex.ui.stations"):
        room = [m for m in GRAPH if m.startswith(f"{floor}.{name}.")]
        assert room, f"{station} has no room in {floor}"
        others = {f"{f}.{o.lower()}" for o in tuple(BY_NAME) if o != station for f in (floor, "fusilex.bench.stations")}
        assert not [m for r in room for m in GRAPH[r] if any(m == o or m.startswith(f"{o}.") for o in others)]


def test_the_house_knows_its_rooms_by_what_they_declare() -> None:
    """Nothing but the two lists of stations names one: bench, frame, line and journal walk what is declared."""
    lists = {"fusilex.bench.stations", "fusilex.ui.stations"}
    for name, others in GRAPH.items():
        if ".stations" not in name and name not in lists and ".verbs." not in name:
            inner = [m for m in others if m.count(".") > 3 and (".bench.stations." in m or ".ui.stations." in m)]
            assert not inner or name == "fusilex.ui.frame.file_dialogs", f"{name} reaches into {inner}"
    assert len(EVENTS) == len({e.kind for e in EVENTS}) and len(COMMANDS) == sum(len(r.commands) for r in ROOMS)
