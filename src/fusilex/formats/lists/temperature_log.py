"""Temperature logs of an oven run as CSV: a time column and one or more probe columns, in the units their headers
say.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import datetime

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from fusilex.core.problems import BadInput
from fusilex.formats.lists.numbers import number
from fusilex.formats.lists.tables import ListKind, Table, read_table

_TIME_UNIT = (
    r"s|secs?|seconds?|min(?:utes?)?|ms|msecs?|milli ?s(?:ec(?:ond)?s?)?|millis|h|hours?|h+ ?m+ ?s+|m+ ?s+|h+ ?m+"
)
LOG = ListKind(
    {
        "time": (
            r"(?:(?:elapsed|run|log|relative) ?)?(?:t|time|times?tamp|clock|zeit|elapsed|duration)"
            rf"(?: ?[\(\[]?(?:{_TIME_UNIT})[\)\]]?)?|{_TIME_UNIT}"
        ),
        "temperature": (
            r"temp(?:erature)?s?(?: .*)?|probe.*|t ?\d+.*|tc ?\d*.*|thermocouple.*|ch(?:annel)? ?\d+.*"
            r"|(?:.* )?deg(?:rees?)? ?[cfk]|.*[°º˚] ?[cfk][\)\]]?|.*[\(\[][cfk][\)\]]|.* [cfk]|.*celsius.*"
            r"|.*fahrenheit.*|.*kelvin.*|board.*|air.*|pcb.*"
        ),
    },
    {},
    ("time", "temperature"),
)
_NOT_MEASURED = re.compile(
    r"set ?-?point|target|\bsp\b|soll|demand|duty|power|output|limit|^(?:set|dial)(?: °?c)?$", re.I
)
"""Columns of what was asked for, which is no record of what was."""
_MISSING = ("", "nan", "n/a", "na", "-", "--", "---", "null", "none", "err", "error", "open", "ol", "fault", "inf")
_CLOCK = re.compile(r"(?:(\d+):)?(\d{1,4}):(\d{1,2}(?:[.,]\d+)?)")
_SIGNED_UNIT = re.compile(
    r"[°º˚]\s*([CFK])(?![A-Za-z])|\bdeg(?:rees?)?[\s_]*([CFK])(?![A-Za-z])|(celsius|fahrenheit|kelvin)", re.I
)
_BRACKETED_UNIT = re.compile(r"[\(\[]\s*([CFK])\s*[\)\]]", re.I)
_LAST_LETTER = re.compile(r"[\s_.\-]([A-Za-z])$")
_ROOM_F = (50.0, 100.0)
"""A first reading in this range is a room in °F, or a warm start in °C."""
LEAST_SAMPLES = 10
COARSE_STEP = 100.0


class TemperatureLog(Struct, frozen=True, eq=False):
    """`time_s` has n samples from 0, not falling; `probes_c` maps a probe's name to n temperatures in °C (NaN where
    missing).

    `silent` names columns without a single reading.
    """

    time_s: NDArray[np.float64]
    probes_c: dict[str, NDArray[np.float64]]
    silent: tuple[str, ...] = ()


def read_log(data: bytes, name: str, least: int = LEAST_SAMPLES) -> TemperatureLog:
    """Read a log: time in s, min, ms, h, clock or date; °C, °F or K by the headers. Raises `BadInput` with line and
    column.
    """
    table = read_table(data, name, LOG)
    at = table.fields["time"]
    columns = [i for i, head in enumerate(table.columns) if i != at and _is_probe(head)]
    rows = [(row, line) for row, line in zip(table.rows, table.lines, strict=True) if not _again(row, table)]
    if not columns:
        raise BadInput(name, "a column of measured temperatures", ", ".join(table.columns)[:80], "line 1")
    time = _times(rows, at, table, name)
    values = np.array([[_reading(row, i, name, line, table.columns[i]) for i in columns] for row, line in rows])
    if len(time) < least:
        raise BadInput(name, f"at least {least} samples", str(len(time)))
    units = _units([table.columns[i] for i in columns], name)
    filled = np.isfinite(values).sum(axis=0)
    if not (filled >= least).any():
        raise BadInput(name, f"at least {least} temperatures of one probe", "fewer")
    probes: dict[str, NDArray[np.float64]] = {}
    silent = []
    for k, (i, unit) in enumerate(zip(columns, units, strict=True)):
        label = _probe_name(table.columns[i], bool(unit))
        if filled[k] == 0:
            silent.append(label)
            continue
        celsius = _celsius(values[:, k], unit, table.columns[i], name)
        beyond = np.flatnonzero((celsius < -60) | (celsius > 600))
        if len(beyond):
            place = f"line {rows[beyond[0]][1]}, column {table.columns[i]}"
            raise BadInput(name, "temperatures between -60 and 600 °C", f"{celsius[beyond[0]]:.0f}", place)
        twin = probes.get(label)
        if twin is not None and np.nanmax(np.abs(twin - celsius), initial=0.0) < 1.0:
            continue  # one probe in two units
        probes[label if twin is None else f"{label} {k + 1}"] = celsius
    return TemperatureLog(time - time[0], probes, tuple(silent))


def _is_probe(head: str) -> bool:
    words = re.sub(r"[\s_./#-]+", " ", head).strip()
    return bool(re.fullmatch(LOG.wording["temperature"], words, re.I)) and not _NOT_MEASURED.search(words)


def _again(row: Sequence[str], table: Table) -> bool:
    """The header once more, as loggers write it when they start anew."""
    return [cell.strip() for cell in row] == [cell.strip() for cell in table.columns]


def _times(rows: Sequence[tuple[Sequence[str], int]], at: int, table: Table, name: str) -> NDArray[np.float64]:
    head = re.sub(r"[\s_./#:\-]+", " ", table.columns[at])
    times = []
    clock = any(at < len(row) and ":" in row[at] for row, _ in rows)
    for row, line in rows:
        if at >= len(row) or not row[at].strip():
            raise BadInput(name, "a time in every line", "a short line", f"line {line}")
        text = row[at].strip()
        times.append(_clock_s(text, name, line, head) if clock else number(text, name, line, table.columns[at])[0])
    t = np.array(times)
    if clock and (drops := np.flatnonzero(np.diff(t) < -12 * 3600.0)).size:
        for drop in drops.tolist():  # past midnight
            t[drop + 1 :] += 24 * 3600.0
    falling = np.flatnonzero(np.diff(t) < 0)
    if len(falling):
        found = f"{rows[falling[0] + 1][0][at].strip()} after {rows[falling[0]][0][at].strip()}"
        raise BadInput(name, "times that do not fall", found, f"line {rows[falling[0] + 1][1]}")
    if clock:
        return t
    scale = _unit_s(head)
    if scale is None and len(t) > 1 and np.median(np.diff(t)) >= COARSE_STEP:
        found = f"“{table.columns[at].strip()}” in steps of {np.median(np.diff(t)):g}"
        raise BadInput(name, "a unit in the header of the times, such as time (ms) or time (s)", found, "line 1")
    return t * (1.0 if scale is None else scale)


def _unit_s(head: str) -> float | None:
    """Seconds in the unit that a header of times names, None where it names none."""
    for pattern, scale in (
        (r"\bms\b|msec|milli", 1e-3),
        (r"\bmin|\bm\b", 60.0),
        (r"\bh\b|hour|\bstd\b", 3600.0),
        (r"\bs\b|sec", 1.0),
    ):
        if re.search(pattern, head, re.I):
            return scale
    return None


def _clock_s(text: str, name: str, line: int, head: str) -> float:
    """Seconds of ``3:07``, ``1:02:03.5`` or a date with a time."""
    if found := _CLOCK.fullmatch(text):
        first, second, third = float(found[1] or 0), float(found[2]), float(found[3].replace(",", "."))
        if found[1] is None and re.search(r"\bh+ ?m+\b(?! ?s)", head, re.I):
            first, second, third = second, third, 0.0
        if third < 60 and (found[1] is None or second < 60):
            return first * 3600 + second * 60 + third
    try:
        return datetime.fromisoformat(text.replace("/", "-").replace(",", ".")).timestamp()
    except ValueError as error:
        raise BadInput(name, "a time such as 83, 1:23 or 0:01:23.5", f"“{text[:32]}”", f"line {line}") from error


def _reading(row: Sequence[str], column: int, name: str, line: int, head: str) -> float:
    if column >= len(row) or row[column].strip().lower() in _MISSING:
        return float("nan")
    return number(row[column], name, line, head)[0]


def _units(heads: Sequence[str], name: str) -> list[str]:
    """C, F, K or '' for each header: by a sign or word, else a letter in brackets, else a letter at the end.

    Letters at the end are names where any of them can be no unit: probe A, probe B … probe F.
    """
    stems: dict[str, set[str]] = {}
    for head in heads:
        if not _signed(head) and (found := _LAST_LETTER.search(head.strip())):
            stems.setdefault(head.strip()[: found.start()].lower(), set()).add(found[1].upper())
    units = []
    for head in heads:
        signed = _signed(head)
        if len(signed) > 1:
            raise BadInput(name, "one unit in a header", f"“{head.strip()}”", "line 1")
        letter = _LAST_LETTER.search(head.strip())
        named = letter and stems.get(head.strip()[: letter.start()].lower(), set()) - {"C", "F", "K"}
        units.append(
            next(iter(signed))
            if signed
            else letter[1].upper()
            if letter and not named and letter[1].upper() in "CFK"
            else ""
        )
    return units


def _signed(head: str) -> set[str]:
    words = {next(w for w in found.groups() if w)[0].upper() for found in _SIGNED_UNIT.finditer(head)}
    return words or {found[1].upper() for found in _BRACKETED_UNIT.finditer(head)}


def _celsius(values: NDArray[np.float64], unit: str, head: str, name: str) -> NDArray[np.float64]:
    """Temperatures in °C. Refuses where no header says the unit and the first reading fits a room in °F."""
    first = float(values[np.isfinite(values)][0])
    if not unit and _ROOM_F[0] < first < _ROOM_F[1]:
        found = f"“{head.strip()}” beginning at {first:g}, which may be °F"
        raise BadInput(name, "a unit in the header, such as temp (°C) or temp (°F)", found, "line 1")
    return (values - 32) / 1.8 if unit == "F" else values - 273.15 if unit == "K" else values


def _probe_name(column: str, has_unit: bool) -> str:
    """A column's words without its unit: ``probe U1 C`` is the probe U1, read in °C either way."""
    if not has_unit:
        return column.strip()
    words = re.sub(
        r"[\s_]*(?:[\(\[]?\s*[°º˚]\s*[CFK]\s*[\)\]]?|[\(\[]\s*[CFK]\s*[\)\]]|[\s_.\-][CFK]"
        r"|[\s_]*deg(?:rees?)?[\s_]*[CFK])$",
        "",
        column.strip(),
        flags=re.I,
    ).strip()
    return words or column.strip()
