"""A command that is run beside the program: planned first, for a person to see and agree to; then its output is kept,
and it is ended when it takes too long or somebody leaves it.
"""

from __future__ import annotations

import hashlib
import json
import os
import re
import shutil
import signal
import subprocess
import tempfile
import time
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

from msgspec import Struct

from fusilex.core.problems import BadInput

SHELLS = frozenset(("sh", "bash", "dash", "ash", "zsh", "ksh", "csh", "tcsh", "fish", "busybox", "pwsh"))
"""Programs that run whatever their words say."""
STARTERS = frozenset(("env", "sudo", "doas", "su", "runuser", "pkexec", "nohup", "nice", "ionice", "timeout", "setsid"))
"""Programs that start the one their words name."""
_SLOT = re.compile(r"\{(\w+)\}")
_PLAIN = re.compile(r"[\w.+:@/ -]*")
WELL, FAILED, LEFT = "well", "failed", "left"
POLL_S, GRACE_S = 0.03, 1.0
MOST_KEPT, MOST_PRINTED = 64 * 1024, 64 * 2**20
"""Bytes of output that are kept, the last ones; more than the second and the command has run wild."""


class Ran(Struct, frozen=True):
    """How it ended, what it printed (the end of it), and a sentence where it did not end well."""

    ended: str
    output: str
    said: str = ""


class Plan(Struct, frozen=True):
    """What would be run: `words` as they are on record, `filled` as they go to the program, `program` where that lies,
    `files` what is run or read by name, each with its SHA-256, and after how long (s) it is ended.
    """

    words: tuple[str, ...]
    filled: tuple[str, ...]
    program: str
    files: tuple[tuple[str, str], ...]
    most_s: float

    @property
    def shell(self) -> bool:
        """True where the program runs whatever the words say."""
        return Path(self.program).name in SHELLS or Path(os.path.realpath(self.program)).name in SHELLS

    @property
    def digest(self) -> str:
        """SHA-256 of the words on record, the program and what is run by name: another one when a byte changes."""
        told = json.dumps([self.words, self.program, self.files, self.most_s])
        return hashlib.sha256(told.encode("utf-8", "surrogatepass")).hexdigest()


def plan_command(words: Sequence[str], values: Mapping[str, str], most_s: float, data: Sequence[str] = ()) -> Plan:
    """What a command comes to with its slots filled in: ``{serial}`` stands for its value. Files that a word names are
    part of what is agreed to, but for `data` slots: what is written into a board has its own digest.

    Raises `BadInput` for a program that is not there, and for words or values that could say more than they show.
    """
    for word in words:
        if not word.isprintable():
            raise BadInput("The command", "words without control characters", ascii(word)[:60])
    program = shutil.which(words[0]) if words and not _SLOT.search(words[0]) else None
    if program is None:
        found = words[0] if words else "no words"
        raise BadInput("The command", "a program of this computer first", ascii(found)[1:-1][:60])
    program = os.path.abspath(program)
    plan = Plan(tuple(words), tuple(words), program, (), most_s)
    filled, files = [program], [(program, _digest(program))]
    for word in words[1:]:
        for slot in _SLOT.findall(word):
            _check_value(slot, values.get(slot, ""), plan.shell)
        full = _SLOT.sub(lambda found: values.get(found[1], found[0]), word)
        option, equals, named = full.rpartition("=")  # a file by itself, or of an option such as --script=FILE
        if os.path.isfile(named) and not any(f"{{{slot}}}" in word for slot in data):
            path = os.path.abspath(named)
            files.append((path, _digest(path)))
            full = f"{option}{equals}{path}"  # it is run in a folder of its own
        elif Path(program).name in STARTERS and (started := shutil.which(full)):
            files.append((os.path.abspath(started), _digest(started)))
        filled.append(full)
    return Plan(plan.words, tuple(filled), program, tuple(files), most_s)


def _check_value(slot: str, value: str, shell: bool) -> None:
    """Raises `BadInput` for a value that a program could take for an option, or a shell for a command."""
    if value.startswith("-") or not value.isprintable():
        raise BadInput("The command", f"a {slot} that begins with no - and holds no control characters", ascii(value))
    if shell and not _PLAIN.fullmatch(value):
        raise BadInput("The command", f"a {slot} of letters, digits and . + : @ / _ - for a shell", ascii(value))


def _digest(path: str) -> str:
    try:
        with open(path, "rb") as file:
            return hashlib.file_digest(file, "sha256").hexdigest()
    except OSError as problem:
        raise BadInput("The command", f"a file {path} that can be read", problem.strerror or str(problem)) from problem


def run_command(plan: Plan, left: Callable[[], bool] = lambda: False) -> Ran:
    """Run what was planned and wait for it, in a folder of its own that goes afterwards; `left` is asked over and over
    whether somebody left it.

    It gets no input. Nothing is raised: what cannot be started has failed.
    """
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder, tempfile.TemporaryFile() as out:
        try:
            process = subprocess.Popen(
                list(plan.filled),
                stdin=subprocess.DEVNULL,
                stdout=out,
                stderr=subprocess.STDOUT,
                start_new_session=True,
                cwd=folder,
            )
        except (OSError, ValueError) as problem:
            reason = problem.strerror if isinstance(problem, OSError) and problem.strerror else str(problem)
            return Ran(FAILED, "", f"{plan.program} cannot be run: {reason}.")
        began, ended, said = time.monotonic(), WELL, ""
        while process.poll() is None:
            if left():
                ended, said = LEFT, "It was left."
            elif os.fstat(out.fileno()).st_size > MOST_PRINTED:
                ended, said = FAILED, f"It printed more than {MOST_PRINTED >> 20} MB and was ended."
            elif time.monotonic() - began > plan.most_s:
                ended, said = FAILED, f"It took longer than {plan.most_s:g} s and was ended."
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
