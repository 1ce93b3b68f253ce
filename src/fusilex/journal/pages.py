"""The pages of a journal's file as they lie there, read without SQLite where SQLite gives up.

The format is the one that https://www.sqlite.org/fileformat2.html describes: pages of one size, of which the leaves of
tables hold the rows; what is newest may stand beside the file in a write-ahead log.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache
from mmap import mmap
from pathlib import Path
from typing import BinaryIO

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

MAGIC = b"SQLite format 3\x00"
USUAL_SIZE = 4096
LEAF = 13
"""The first byte of a page that holds rows."""
Value = int | float | str | bytes | None
LOG_MAGIC = {0x377F0682: "<u4", 0x377F0683: ">u4"}
"""What a write-ahead log begins with: the order of bytes its sums are made in."""


class Row(Struct, frozen=True):
    """A row as a page holds it: its number and its values; None stands where the number itself is the value."""

    number: int
    values: tuple[Value, ...]


class Pages:
    """The pages of a file, 1 is the first; what is cut off reads as zeros."""

    def __init__(self, data: bytes | mmap) -> None:
        self.data, self.size, self.spare = data, USUAL_SIZE, 0
        size = int.from_bytes(data[16:18], "big")
        if data[:16] == MAGIC and (size == 1 or (size >= 512 and not size & (size - 1))):
            self.size, self.spare = (65536 if size == 1 else size), min(data[20], 32)

    def page(self, number: int) -> bytes:
        return self.data[(number - 1) * self.size : number * self.size].ljust(self.size, b"\x00")

    @property
    def count(self) -> int:
        return -(-len(self.data) // self.size)

    @property
    def leaves(self) -> Iterator[tuple[int, bytes]]:
        """Pages that look like leaves of a table, and which they are; the first page holds no rows of a journal."""
        for number in range(2, self.count + 1):
            if self.data[(number - 1) * self.size] == LEAF:
                yield number, self.page(number)

    def cells(self, page: bytes) -> list[int]:
        """Where the rows of a leaf begin."""
        count = min(int.from_bytes(page[3:5], "big"), (self.size - 8) // 2)
        found = [int.from_bytes(page[8 + 2 * n : 10 + 2 * n], "big") for n in range(count)]
        return [at for at in found if 8 + 2 * count <= at < self.size - self.spare]

    def number(self, page: bytes, at: int) -> int:
        """The number of the row that begins there."""
        return varint(page, varint(page, at)[1])[0]

    def row(self, page: bytes, at: int) -> Row | None:
        """The row that begins there; None where it is torn."""
        length, at = varint(page, at)
        number, at = varint(page, at)
        if not 0 < length < len(self.data) + self.size or number < 1:
            return None
        held = self._payload(page, at, length)
        values = _values(held) if len(held) == length else None
        return None if values is None else Row(number, values)

    def _payload(self, page: bytes, at: int, length: int) -> bytes:
        """What a row holds, with what went over onto pages of its own."""
        usable = self.size - self.spare
        if length <= usable - 35:
            return page[at : at + length]
        least = (usable - 12) * 32 // 255 - 23
        here = least + (length - least) % (usable - 4)
        here = here if here <= usable - 35 else least
        parts, left = [page[at : at + here]], length - here
        onward = int.from_bytes(page[at + here : at + here + 4], "big")
        for _ in range(-(-left // (usable - 4))):
            if not 0 < onward * self.size <= len(self.data) + self.size - 1:
                break
            more = self.page(onward)
            parts.append(more[4 : 4 + min(left, usable - 4)])
            left -= len(parts[-1])
            onward = int.from_bytes(more[:4], "big")
        return b"".join(parts)


def varint(data: bytes, at: int) -> tuple[int, int]:
    """A whole number of one to nine bytes, and where it ends.

    >>> varint(bytes([0x81, 0x00]), 0)
    (128, 2)
    """
    value = 0
    for n, byte in enumerate(data[at : at + 9]):
        if n == 8:
            return value << 8 | byte, at + 9
        value = value << 7 | byte & 0x7F
        if byte < 0x80:
            return value, at + n + 1
    return value, len(data)


_WIDTHS = (0, 1, 2, 3, 4, 6, 8, 8, 0, 0)


@lru_cache(10_000)
def _columns(head: bytes) -> tuple[int, list[tuple[int, int]]] | None:
    """How long values are together, kind and width of each, from what stands before them; None where that is torn."""
    found, at = [], varint(head, 0)[1]
    while at < len(head):
        kind, at = varint(head, at)
        if kind in (10, 11):
            return None
        found.append((kind, _WIDTHS[kind] if kind < 10 else (kind - 12) // 2))
    return sum(width for _, width in found), found


def _values(held: bytes) -> tuple[Value, ...] | None:
    """The values of a record; None where it is torn."""
    at, _ = varint(held, 0)
    columns = _columns(held[:at]) if 0 < at <= len(held) else None
    if columns is None or at + columns[0] != len(held):
        return None
    found: list[Value] = []
    for kind, width in columns[1]:
        raw = held[at : at + width]
        at += width
        if kind == 0:
            found.append(None)
        elif kind > 11:
            found.append(raw.decode("utf-8", "replace") if kind % 2 else raw)
        elif kind == 7:
            found.append(float(np.frombuffer(raw, ">f8")[0]))
        else:
            found.append(kind - 8 if kind >= 8 else int.from_bytes(raw, "big", signed=True))
    return tuple(found)


class Log(Struct, frozen=True):
    """A write-ahead log: the pages it puts in place of the file's, and whether whole deeds follow after a page that is
    `torn`: SQLite forgets them without a word.
    """

    pages: dict[int, bytes]
    size: int = USUAL_SIZE
    torn: bool = False


def log_of(path: Path) -> Path:
    """Where the write-ahead log of a journal is."""
    return Path(f"{path}-wal")


def amiss(path: Path, log: Log) -> str:
    """What is wrong with a file and its log that SQLite passes over in silence, in words; '' for nothing."""
    if log.pages and not path.stat().st_size:
        return "it is empty, and newer entries lie beside it (…-wal)"
    return "the newest entries beside it (…-wal) are torn in the middle" if log.torn else ""


def read_log(path: Path) -> Log:
    """What a write-ahead log holds of deeds that were done to the end. A page that is torn costs its own deed; each
    is told by its own sum, which carries on from the sum that stands written in the page before it. A last deed that is
    torn says nothing: whoever is killed before a deed counts leaves the same, others write over its beginning, and no
    whole deed ever follows it. Raises OSError.
    """
    if not path.exists():
        return Log({})
    data = path.read_bytes()
    head = [int.from_bytes(data[n : n + 4], "big") for n in range(0, 32, 4)]
    size = 65536 if head[2] == 1 else head[2]
    if len(data) < 32 or head[0] not in LOG_MAGIC or not 512 <= size <= 65536 or size & (size - 1):
        return Log({})
    frames = (len(data) - 32) // (size + 24)
    if not frames:
        return Log({})
    raw = np.frombuffer(data, np.uint8, frames * (size + 24), 32).reshape(frames, size + 24)
    heads = raw[:, :24].copy().view(">u4").astype(np.uint32)
    before = np.vstack([np.array([head[6:8]], np.uint32), heads[:-1, 4:6]])
    summed = np.hstack([raw[:, :8], raw[:, 24:]]).copy().view(LOG_MAGIC[head[0]]).astype(np.uint32)
    own = (heads[:, 2:4] == np.array(head[4:6], np.uint32)).all(1)
    whole = own & (_sums(before, summed) == heads[:, 4:6]).all(1)
    pages: dict[int, bytes] = {}
    torn = lost = False
    first = 0
    for n in np.flatnonzero(heads[:, 1] > 0).tolist():  # where deeds end
        deed = range(first, n + 1)
        first = n + 1
        if whole[deed].all():
            torn = torn or lost
            pages |= {int(heads[k, 0]): raw[k, 24:].tobytes() for k in deed}
        else:
            lost = True
    return Log(pages, size, torn)


def _sums(before: NDArray[np.uint32], words: NDArray[np.uint32]) -> NDArray[np.uint32]:
    """Sums (n, 2) of frames whose words are (n, 2k), carried on from `before` (n, 2): s += x + t, t += y + s for each
    pair of words x, y, modulo 2³².
    """
    s, t = before[:, 0].copy(), before[:, 1].copy()
    for n in range(0, words.shape[1], 2):  # all frames at once
        s += words[:, n] + t
        t += words[:, n + 1] + s
    return np.column_stack([s, t])


def put_in(file: BinaryIO, log: Log) -> None:
    """Write the pages of a log into a copy of its file, and say in its header that nothing lies beside it."""
    for number, page in log.pages.items():
        file.seek((number - 1) * log.size)
        file.write(page)
    file.seek(18)
    file.write(b"\x01\x01")
