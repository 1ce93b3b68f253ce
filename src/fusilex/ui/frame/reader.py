"""Reading a design's files off the window's thread, saying how far it is, with a way to leave it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import pyqtSignal

from fusilex.bench.computer.mishaps import write_down
from fusilex.bench.source import Reading
from fusilex.core.problems import BadInput
from fusilex.core.progress import Left, Step, asking, part_of
from fusilex.formats.bundle import Files, read_paths
from fusilex.ui.frame.waiting import Leavable

Read = Callable[[Files, str, Step], Reading]


class Reader(Leavable):
    """Reads files and tries the whole design; emits both, or one sentence. A reader that was left ends at its next
    step, silent.
    """

    read = pyqtSignal(object, str, object)
    failed = pyqtSignal(str)

    def __init__(self, paths: Sequence[Path], how: Read | None = None) -> None:
        """`how` reads the files as a design; without it they go with others, and need not be one by themselves."""
        super().__init__()
        self.paths, self.how = paths, how

    def _leave(self) -> None:
        if self.left:
            raise Left

    def run(self) -> None:
        name = self.paths[0].name
        try:
            with asking(self._leave):
                self.step(0.0, f"Opening {name}")
                files, name = read_paths(self.paths)
                reading = None
                if self.how is not None:
                    reading = self.how(files, name, part_of(self.step, 0.05, 1.0))
                self.step(1.0, name)
        except Left:
            return
        except BadInput as problem:
            self._emit_failed(str(problem))
        except Exception as error:  # a defect must not take the window with it
            self._emit_failed(f"{name} could not be read: a mistake in Fusilex. {write_down(error)}")
        else:
            self.read.emit(files, name, reading)

    def _emit_failed(self, text: str) -> None:
        if not self.left:
            self.failed.emit(text)
