"""A command that is run beside the program: its output kept, ended when it takes too long or somebody leaves it."""

from __future__ import annotations

import os
import signal
import subprocess
import tempfile
import time
from collections.abc import Callable, Sequence

from msgspec import Struct

WELL, FAILED, LEFT = "well", "failed", "left"
POLL_S, GRACE_S = 0.03, 1.0
MOST_KEPT, MOST_PRINTED = 64 * 1024, 64 * 2**20
"""Bytes of output that are kept, the last ones; more than the second and the command has run wild."""


class Ran(Struct, frozen=True):
    """How it ended, what it printed (the end of it), and a sentence where it did not end well."""

    ended: str
    output: str
    said: str = ""


def run_command(words: Sequence[str], most_s: float, left: Callable[[], bool] = lambda: False) -> Ran:
    """Run a command without a shell and wait for it; `left` is asked over and over whether somebody left it.

    It gets no input. Nothing is raised: what cannot be started has failed.
    """
    with tempfile.TemporaryFile() as out:
        try:
            process = subprocess.Popen(
                list(words), stdin=subprocess.DEVNULL, stdout=out, stderr=subprocess.STDOUT, start_new_session=True
            )
        except (OSError, ValueError) as problem:
            reason = problem.strerror if isinstance(problem, OSError) and problem.strerror else str(problem)
            return Ran(FAILED, "", f"{words[0] if words else 'nothing'} cannot be run: {reason}.")
        began, ended, said = time.monotonic(), WELL, ""
        while process.poll() is None:
            if left():
                ended, said = LEFT, "It was left."
            elif os.fstat(out.fileno()).st_size > MOST_PRINTED:
                ended, said = FAILED, f"It printed more than {MOST_PRINTED >> 20} MB and was ended."
            elif time.monotonic() - began > most_s:
                ended, said = FAILED, f"It took longer than {most_s:g} s and was ended."
            if said:
                _end(process)
                break
            time.sleep(POLL_S)
        if not said and process.returncode != 0:
            ended, said = FAILED, f"It ended with {process.returncode}."
        size = out.seek(0, os.SEEK_END)
        out.seek(max(0, size - MOST_KEPT))
        return Ran(ended, out.read().decode("utf-8", "replace").strip(), said)


def _end(process: subprocess.Popen[bytes]) -> None:
    """End it and what it started: asked first, then without asking."""
    for how in (signal.SIGTERM, signal.SIGKILL):
        try:
            os.killpg(process.pid, how)
        except ProcessLookupError:
            break
        try:
            process.wait(GRACE_S)
            break
        except subprocess.TimeoutExpired:
            continue
    process.wait()
