"""What is written into a board: a file by its digest, its version, the serial; by a command or by hand."""

from __future__ import annotations

import hashlib
import re
from pathlib import Path
from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.command import Command, Result
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.test.events import BoardProgrammed, Programmed, Testing
from fusilex.bench.stations.test.power import for_design, next_step
from fusilex.bench.workshop.proof_kinds import Firmware
from fusilex.bench.workshop.records import Records
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.core.problems import BadInput
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say
from fusilex.devices.command import FAILED, LEFT, WELL, Plan, plan_command

BY_HAND, BY_COMMAND = "by hand", "by command"
_DIGEST = re.compile(r"[0-9a-f]{64}")
MOST_OUTPUT, MOST_BYTES = 4_000, 256 * 2**20


def firmware_of(batch: Batch) -> Firmware | None:
    """What this batch's design is programmed with."""
    return next((f for f in batch.workshop[Records].all(Firmware).values() if for_design(batch, f.design)), None)


def written(batch: Batch, board: Board) -> Programmed | None:
    """What was written last, well or not."""
    done = batch.state[Testing].programmed.get(board.serial, [])
    return done[-1] if done else None


def plan_for(firmware: Firmware, board: Board) -> Plan:
    """The command for a board, its words filled in. Raises `BadInput`."""
    file = str(Path(firmware.file).absolute()) if firmware.file else ""
    values = {"file": file, "serial": board.serial, "board": board.serial, "version": firmware.version}
    return plan_command(firmware.command, values, firmware.most_s, ("file",))


def digest_of(path: str) -> str:
    """SHA-256 of a file. Raises `BadInput` where it cannot be read."""
    name = Path(path).name
    try:
        if not Path(path).is_file():
            raise BadInput(name or "the firmware", "a file", "nothing, or no plain file, of that name")
        if Path(path).stat().st_size > MOST_BYTES:
            raise BadInput(name, f"a file of at most {MOST_BYTES >> 20} MB", "a larger one")
        with Path(path).open("rb") as file:
            return hashlib.file_digest(file, "sha256").hexdigest()
    except OSError as problem:
        raise BadInput(name or "the firmware", "a file that can be read", problem.strerror or str(problem)) from problem


class RecordProgrammed(Command, frozen=True):
    """A board was programmed, ended well or not; `sha256` is the digest of the file that was written, '' where nobody
    has it at hand, `output` what the command printed.
    """

    board: str
    how: str
    ended: str
    sha256: str = ""
    output: str = ""
    cautions: ClassVar[str] = "Test"

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Test")
        firmware = firmware_of(batch)
        if firmware is None:
            raise Refused("Nothing says what is written into this design: note it in the workshop (F4), Firmware.")
        if next_step(batch, board) is not None:
            raise Refused(f"Board {board.serial} has not had its first power yet.")
        if self.how not in (BY_HAND, BY_COMMAND) or self.ended not in (WELL, FAILED, LEFT):
            raise Refused("It is programmed by hand or by command, and ends well, failed or left.")
        if self.sha256 and not _DIGEST.fullmatch(self.sha256):
            raise Refused("A digest (SHA-256) has 64 digits, 0 to 9 and a to f.")
        if firmware.sha256 and self.sha256 != firmware.sha256:
            found = self.sha256[:12] or "none"
            raise Refused(f"The file is another one: its digest is {found}…, on record is {firmware.sha256[:12]}….")
        name, version = Path(firmware.file).name or firmware.id, firmware.version
        told = (self.how, self.ended, self.output[-MOST_OUTPUT:])
        done = Programmed(name, self.sha256, version, board.serial, *told)
        return Result([BoardProgrammed(board.serial, done)])


def judge_programme(batch: Batch, board: Board) -> list[Judgement]:
    """What is in a board against what belongs there."""
    firmware, last = firmware_of(batch), written(batch, board)
    if firmware is None or last is None:
        return []
    subject = f"programme of {board.serial}"
    numbers = (Quantity("file", last.name), Quantity("version", last.version or "unknown"), Quantity("how", last.how))
    if last.ended != WELL:
        text, do = say("failed" if last.ended == FAILED else "left", serial=board.serial), say("read the output")
        return [Judgement("test.programme", Level.STOP, subject, text, numbers, do)]
    if last.version != firmware.version:
        found = last.version or "unknown"
        text = say("other version", serial=board.serial, found=found, version=firmware.version)
        return [Judgement("test.programme", Level.STOP, subject, text, numbers, say("program again"))]
    if not last.sha256:
        text, do, missing = say("no checksum", serial=board.serial), say("name the file"), ("checksum of the firmware",)
        return [Judgement("test.programme", Level.UNKNOWN, subject, text, numbers, do, (), missing)]
    return []


COMMANDS = (RecordProgrammed,)
