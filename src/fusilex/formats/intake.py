"""A folder or zip of a designer's files, read whole or not at all."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path, PurePosixPath

import numpy as np
import shapely
from shapely import Polygon

from fusilex.core.board.join import join
from fusilex.core.board.model import BomLine, Design, FileNote, Hole, Layer, NetPoint, Placement
from fusilex.core.board.panel import Panel
from fusilex.core.problems import BadInput
from fusilex.formats.excellon import read_excellon
from fusilex.formats.gerber import read_gerber
from fusilex.formats.identify import identify
from fusilex.formats.lists import read_bom, read_placements
from fusilex.formats.netlist import read_netlist
from fusilex.formats.panel_file import read_panel

MOST_FILE_BYTES = 48 * 2**20
MOST_TOTAL_BYTES = 160 * 2**20
MOST_FILES = 200
Files = dict[str, bytes]


def read_files(path: Path) -> Files:
    """Contents of a folder (not its subfolders' subfolders) or zip by relative name. Raises `BadInput`."""
    try:
        if path.is_dir():
            return _from_folder(path)
        if not path.exists():
            raise BadInput(str(path), "a folder or zip of design files", "nothing there")
        if zipfile.is_zipfile(path):
            return _from_zip(path)
    except PermissionError as error:
        raise BadInput(str(path), "files that may be read", f"no permission for {error.filename or path}") from error
    except OSError as error:
        raise BadInput(str(path), "files that can be read", str(error)) from error
    raise BadInput(
        path.name, "a folder or zip of design files", f"a file of {path.stat().st_size} bytes that is neither"
    )


def read_one(path: Path) -> bytes:
    """Contents of a single file. Raises `BadInput` when it cannot be read or is too large."""
    try:
        _check_size(path.name, path.stat().st_size, 0, 1)
        return path.read_bytes()
    except OSError as error:
        raise BadInput(str(path), "a file that can be read", error.strerror or str(error)) from error


def _check_size(name: str, size: int, total: int, count: int) -> None:
    if size > MOST_FILE_BYTES:
        raise BadInput(name, f"a file of at most {MOST_FILE_BYTES >> 20} MB", f"{size / 2**20:.0f} MB")
    if total > MOST_TOTAL_BYTES or count > MOST_FILES:
        raise BadInput(
            name,
            f"at most {MOST_FILES} files and {MOST_TOTAL_BYTES >> 20} MB together",
            f"{count} files, {total / 2**20:.0f} MB",
        )


def _from_folder(folder: Path) -> Files:
    files: Files = {}
    total = 0
    for path in sorted(
        p for p in [*folder.iterdir(), *folder.glob("*/*")] if p.is_file() and not p.name.startswith(".")
    ):
        total += path.stat().st_size
        _check_size(path.name, path.stat().st_size, total, len(files) + 1)
        files[path.relative_to(folder).as_posix()] = path.read_bytes()
    return files


def _from_zip(path: Path) -> Files:
    files: Files = {}
    total = 0
    try:
        with zipfile.ZipFile(path) as archive:
            for info in archive.infolist():
                name = PurePosixPath(info.filename.replace("\\", "/"))
                if name.is_absolute() or ".." in name.parts or (name.parts and ":" in name.parts[0]):
                    raise BadInput(
                        path.name, "paths inside the zip's own folder", f"“{info.filename}”, which climbs out of it"
                    )
                if info.is_dir() or name.name.startswith(".") or "__MACOSX" in name.parts:
                    continue
                total += info.file_size
                _check_size(info.filename, info.file_size, total, len(files) + 1)
                with archive.open(info) as stream:
                    files[str(name)] = stream.read(MOST_FILE_BYTES + 1)
                _check_size(info.filename, len(files[str(name)]), total, len(files))
    except (zipfile.BadZipFile, RuntimeError, NotImplementedError, EOFError, ValueError) as error:
        raise BadInput(path.name, "a whole, readable zip", str(error)) from error
    return files


def read_design(path: Path | str) -> Design:
    """Read the design in a folder or zip. Raises `BadInput` in one sentence; nothing is half-loaded."""
    path = Path(path)
    return design_from(read_files(path), path.stem if path.is_file() else path.resolve().name)


def design_from(files: Files, name: str) -> Design:
    """Build a design from file contents by name. Raises `BadInput`."""
    guesses = {file: identify(file, data) for file, data in files.items()}
    notes = [FileNote(file, g.role, g.side, g.because, len(files[file])) for file, g in guesses.items()]
    layers: list[Layer] = []
    holes: list[Hole] = []
    placements: list[Placement] = []
    bom: tuple[BomLine, ...] = ()
    netpoints: tuple[NetPoint, ...] = ()
    extra: list[str] = []
    panel: Panel | None = None
    for file, guess in guesses.items():
        data = files[file]
        if guess.kind == "gerber" and guess.role != "other":
            layers.append(read_gerber(data, file, guess.role, guess.side).layer)
        elif guess.kind == "drill":
            holes += read_excellon(data, file)
        elif guess.kind == "netlist":
            netpoints = netpoints or read_netlist(data, file)
        elif guess.kind == "placements":
            placements += read_placements(data, file)
        elif guess.kind == "bom":
            if bom:
                extra.append(f"{file}: a second bill of materials, left aside")
            bom = bom or read_bom(data, file)
        elif guess.kind == "panel":
            panel = read_panel(data, file)
    _demand_layers(name, layers, bool(placements), [n.name for n in notes])
    outline = outline_polygon(next(item for item in layers if item.role == "outline"), name)
    return join(
        Design(
            name,
            tuple(notes),
            tuple(_merged(layers)),
            tuple(holes),
            outline,
            tuple(placements),
            tuple(bom),
            tuple(netpoints),
            panel=panel,
            notes=tuple(extra),
        )
    )


def _demand_layers(name: str, layers: list[Layer], placements: bool, names: list[str]) -> None:
    have = {item.role for item in layers if len(item)}
    missing = [
        word
        for role, word in (("copper", "a copper layer"), ("outline", "a board outline"), ("paste", "a paste layer"))
        if role not in have
    ]
    if not placements:
        missing.append("a placement list")
    if missing:
        shown = ", ".join(names[:8]) + (f" and {len(names) - 8} more" if len(names) > 8 else "")
        raise BadInput(name, " and ".join(missing), f"only {shown}" if names else "no files")


def _merged(layers: list[Layer]) -> list[Layer]:
    """Several files of one role and side become one layer."""
    groups: dict[tuple[str, str | None], list[Layer]] = {}
    for layer in layers:
        groups.setdefault((layer.role, layer.side), []).append(layer)
    return [
        group[0]
        if len(group) == 1
        else Layer(
            *key,
            np.concatenate([g.polygons for g in group]),
            np.concatenate([g.flashed for g in group]),
            sum((g.nets for g in group), ()),
            sum((g.pins for g in group), ()),
            sum((g.functions for g in group), ()),
        )
        for key, group in groups.items()
    ]


def outline_polygon(layer: Layer, name: str) -> Polygon:
    """Board area from the outline layer: the middle of its drawn lines. Raises `BadInput` when they enclose nothing."""
    drawn = shapely.union_all(layer.polygons)
    best: Polygon | None = None
    for piece in shapely.get_parts(drawn):
        whole = Polygon(piece.exterior)
        if best is None or whole.area > best.area:
            best = whole
            holes = [Polygon(r) for r in piece.interiors]
    if best is None or best.area < 1.0:
        raise BadInput(name, "an outline that encloses the board", "lines that enclose nothing", "outline layer")
    inner = max(holes, key=lambda p: p.area, default=None)
    if inner is None or inner.area < 0.5 * best.area:
        if best.area > 1.0 and len(layer) == 1:
            return best  # a filled region
        raise BadInput(name, "an outline that closes", "an open line", "outline layer")
    width = (best.area - inner.area) / max(1e-9, (best.length + inner.length) / 2)
    return shapely.set_precision(best.buffer(-width / 2, join_style="mitre"), 1e-4)


def zip_files(files: Files) -> bytes:
    """The files as one zip, to keep with a batch."""
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in sorted(files.items()):
            archive.writestr(zipfile.ZipInfo(name, (2020, 1, 1, 0, 0, 0)), data, zipfile.ZIP_DEFLATED)
    return stream.getvalue()
