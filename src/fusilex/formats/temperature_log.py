"""Temperature logs of an oven run as CSV: a time column and one or more probe columns."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fusilex.core.problems import BadInput
from fusilex.formats.tables import Kind, number, read_table

LOG = Kind(
    {
        "time": r"t|time|seconds?|s|elapsed|time ?\(?s(?:ec(?:onds)?)?\)?|elapsed ?\(?s\)?|minutes|time ?\(?min\)?",
        "temperature": r"temp(?:erature)?s?(?: .*)?|probe.*|t ?\d|tc ?\d?|.*\(?°?[cf]\)?|deg ?[cf]|celsius|fahrenheit|board.*|air.*",
    },
    {},
    ("time", "temperature"),
)


@dataclass(frozen=True, eq=False)
class TemperatureLog:
    """`time_s` has n samples from 0, rising; `probes_c` maps a probe's name to n temperatures in °C (NaN where missing)."""

    time_s: NDArray[np.float64]
    probes_c: dict[str, NDArray[np.float64]]


def read_log(data: bytes, name: str) -> TemperatureLog:
    """Read a log. Seconds or minutes, °C or °F by the header's words. Raises `BadInput` with line and column."""
    table = read_table(data, name, LOG)
    time_column = table.fields["time"]
    probes = [
        i
        for i, head in enumerate(table.columns)
        if i != time_column
        and head.strip()
        and re.fullmatch(LOG.wording["temperature"], re.sub(r"[\s_./#-]+", " ", head).strip(), re.I)
    ]
    times: list[float] = []
    values: list[list[float]] = []
    for row, line in zip(table.rows, table.lines, strict=True):
        if time_column >= len(row):
            raise BadInput(name, "a time in every line", "a short line", f"line {line}")
        times.append(number(row[time_column], name, line, table.columns[time_column])[0])
        values.append(
            [
                number(row[i], name, line, table.columns[i])[0] if i < len(row) and row[i].strip() else float("nan")
                for i in probes
            ]
        )
    if len(times) < 10:
        raise BadInput(name, "at least 10 samples", str(len(times)))
    t = np.array(times) * (60.0 if re.search("min", table.columns[time_column], re.I) else 1.0)
    falling = np.flatnonzero(np.diff(t) <= 0)
    if len(falling):
        raise BadInput(
            name,
            "times that rise",
            f"{times[falling[0] + 1]:g} after {times[falling[0]]:g}",
            f"line {table.lines[falling[0] + 1]}",
        )
    array = np.array(values, dtype=float)
    for column, index in enumerate(probes):
        if re.search(r"°?\bF\b|fahrenheit|\(°?f\)", table.columns[index], re.I):
            array[:, column] = (array[:, column] - 32) / 1.8
    if not np.isfinite(array).all(axis=0).any() and not (np.isfinite(array).sum(axis=0) >= 10).any():
        raise BadInput(name, "at least 10 temperatures of one probe", "fewer")
    beyond = np.argwhere((array < -60) | (array > 600))
    if len(beyond):
        line, column = beyond[0]
        raise BadInput(
            name,
            "temperatures between -60 and 600 °C",
            f"{array[line, column]:g}",
            f"line {table.lines[line]}, column {table.columns[probes[column]]}",
        )
    return TemperatureLog(t - t[0], {_probe_name(table.columns[i]): array[:, k] for k, i in enumerate(probes)})


def _probe_name(column: str) -> str:
    """A column's words without its unit: ``probe U1 C`` is the probe U1, read in °C either way."""
    words = re.sub(r"[\s_]*(?:\(?°[CF]\)?|\([CF]\)|(?<=[\s_])[CF])$", "", column.strip(), flags=re.I).strip()
    return words or column.strip()
