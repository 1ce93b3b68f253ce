"""Reading a design's files off the window's thread, with a way to leave it."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import QThread, pyqtSignal

from fusilex.core.problems import BadInput
from fusilex.formats.bundle import Files, read_paths
from fusilex.formats.intake import design_from


class Reader(QThread):
    """Reads files and tries the whole design; emits the files, or one sentence. A reader that was left stays silent."""

    read = pyqtSignal(object, str)
    failed = pyqtSignal(str)

    def __init__(self, paths: Sequence[Path], beside: Files | None = None) -> None:
        """`beside` are files that the new ones go with: then they need not be a design by themselves."""
        super().__init__()
        self.paths, self.beside = paths, beside
        self.left = False

    def run(self) -> None:
        name = self.paths[0].name
        try:
            files, name = read_paths(self.paths)
            if self.beside is None:
                design_from(files, name)
        except BadInput as problem:
            self._emit_failed(str(problem))
        except Exception as error:  # a defect must not take the window with it
            self._emit_failed(f"{name} could not be read: {type(error).__name__}: {error}")
        else:
            if not self.left:
                self.read.emit(files, name)

    def _emit_failed(self, text: str) -> None:
        if not self.left:
            self.failed.emit(text)
