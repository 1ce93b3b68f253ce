"""A folder, a zip or single files into memory: contents by relative name, whole or not at all."""

from __future__ import annotations

import io
import os
import stat
import zipfile
from collections.abc import Sequence
from pathlib import Path, PurePosixPath

from fusilex.core.problems import UNREADABLE_ZIP, BadInput
from fusilex.core.shown import is_shown
from fusilex.formats.identify import shared_start

MOST_FILE_BYTES = 48 * 2**20
MOST_TOTAL_BYTES = 160 * 2**20
MOST_FILES = 200
Files = dict[str, bytes]
_SYSTEM = {os.stat(place).st_dev for place in ("/proc", "/sys") if os.path.isdir(place)} - {os.stat("/").st_dev}


def read_files(path: Path) -> Files:
    """Contents of a folder (not its subfolders' subfolders) or zip by relative name. Raises `BadInput`."""
    try:
        check_regular(path)
        if path.is_dir():
            return _unpacked(_from_folder(path))
        if not path.exists():
            raise BadInput(str(path), "a folder or zip of design files", "nothing there")
        if path.suffix.lower() != ".xlsx" and zipfile.is_zipfile(path):
            _check_size(path.name, 0, path.stat().st_size, 1)
            return _unpacked(_from_zip(path.read_bytes(), path.name))
    except PermissionError as error:
        raise BadInput(str(path), "files that may be read", f"no permission for {error.filename or path}") from error
    except OSError as error:
        raise BadInput(str(path), "files that can be read", str(error)) from error
    raise BadInput(
        path.name, "a folder or zip of design files", f"a file of {path.stat().st_size} bytes that is neither"
    )


def read_paths(paths: Sequence[Path]) -> tuple[Files, str]:
    """Files and a name of what was dropped together: one folder or zip, or single files. Raises `BadInput`."""
    if len(paths) == 1 and (paths[0].is_dir() or not is_single(paths[0])):
        return read_files(paths[0]), paths[0].stem if paths[0].is_file() else paths[0].name
    files: Files = {}
    total = 0
    for path in paths:
        if path.is_dir():
            raise BadInput(path.name, "one folder alone, or single files", "a folder among files")
        files[path.name] = read_one(path)
        total += len(files[path.name])
        _check_size(path.name, len(files[path.name]), total, len(files))
    stems = [p.stem for p in paths]
    return _unpacked(files), shared_start(stems).strip("-_. ") or stems[0]


def is_single(path: Path) -> bool:
    """A file to be taken as it is: not a folder, not a zip of files."""
    return path.is_file() and (path.suffix.lower() == ".xlsx" or not zipfile.is_zipfile(path))


def read_one(path: Path, most: int = MOST_FILE_BYTES) -> bytes:
    """Contents of a single file of at most so many bytes. Raises `BadInput` when it cannot be read or is larger."""
    try:
        check_regular(path)
        _check_size(path.name, path.stat().st_size, 0, 1, most)
        with path.open("rb") as stream:
            data = stream.read(most + 1)
        _check_size(path.name, len(data), 0, 1, most)
        return data
    except (OSError, ValueError) as error:
        raise BadInput(str(path), "a file that can be read", getattr(error, "strerror", None) or str(error)) from error


def check_regular(path: Path) -> None:
    """Raises `BadInput` for what is no file or folder on a disk (pipes, devices, the system's own tables) before it is
    opened: opening may wait for ever, reading may never end. What is not there is left to others.
    """
    try:
        found = path.stat()
    except OSError:
        return
    except ValueError as problem:
        raise BadInput(repr(str(path))[1:60], "the name of a file", str(problem)) from problem
    if not (stat.S_ISREG(found.st_mode) or stat.S_ISDIR(found.st_mode)):
        raise BadInput(path.name or str(path), "a file or folder", "a pipe or device")
    if found.st_dev in _SYSTEM:
        raise BadInput(str(path), "a file or folder on a disk", "one of the system's own tables")


def _check_size(name: str, size: int, total: int, count: int, most: int = MOST_FILE_BYTES) -> None:
    if size > most:
        raise BadInput(name, f"a file of at most {most >> 20} MB", f"{size / 2**20:.0f} MB")
    if total > MOST_TOTAL_BYTES or count > MOST_FILES:
        raise BadInput(
            name,
            f"at most {MOST_FILES} files and {MOST_TOTAL_BYTES >> 20} MB together",
            f"{count} files, {total / 2**20:.0f} MB",
        )


def _check_name(name: str, where: str) -> None:
    if not is_shown(name):
        raise BadInput(where, "files whose names can be shown: give this one another", name[:60])


def _from_folder(folder: Path) -> Files:
    files: Files = {}
    total = 0
    for path in sorted(
        p for p in [*folder.iterdir(), *folder.glob("*/*")] if p.is_file() and not p.name.startswith(".")
    ):
        total += path.stat().st_size
        _check_name(path.name, folder.name)
        _check_size(path.name, path.stat().st_size, total, len(files) + 1)
        files[path.relative_to(folder).as_posix()] = read_one(path)
    return files


def _unpacked(files: Files) -> Files:
    """Zips among the files give way to what is in them: layers come in one, lists beside it. One level deep."""
    found: Files = {}
    for name, data in files.items():
        if name.lower().endswith(".zip"):
            inside = PurePosixPath(name).with_suffix("")
            found |= {str(inside / inner): content for inner, content in _from_zip(data, name).items()}
        else:
            found[name] = data
        _check_size(name, 0, sum(map(len, found.values())), len(found))
    return found


def _from_zip(data: bytes, called: str) -> Files:
    files: Files = {}
    total = 0
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            for info in archive.infolist():
                name = PurePosixPath(info.filename.replace("\\", "/"))
                if name.is_absolute() or ".." in name.parts or (name.parts and ":" in name.parts[0]):
                    raise BadInput(
                        called, "paths inside the zip's own folder", f"“{info.filename}”, which climbs out of it"
                    )
                _check_name(str(name), called)
                if info.is_dir() or name.name.startswith(".") or "__MACOSX" in name.parts:
                    continue
                if info.compress_type not in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED):
                    raise BadInput(called, "files stored or deflated", "another way of packing", info.filename)
                total += info.file_size
                _check_size(info.filename, info.file_size, total, len(files) + 1)
                with archive.open(info) as stream:
                    files[str(name)] = stream.read(MOST_FILE_BYTES + 1)
                _check_size(info.filename, len(files[str(name)]), total, len(files))
    except UNREADABLE_ZIP as error:
        raise BadInput(called, "a whole, readable zip", str(error)) from error
    return files


def zip_files(files: Files) -> bytes:
    """The files as one zip, to keep with a batch."""
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in sorted(files.items()):
            archive.writestr(zipfile.ZipInfo(name, (2020, 1, 1, 0, 0, 0)), data, zipfile.ZIP_DEFLATED)
    return stream.getvalue()
