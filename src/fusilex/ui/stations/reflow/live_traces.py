"""The curves of a live run: what was measured over what was predicted; by eye what was predicted alone."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from fusilex.bench.stations.reflow.live import LiveLog
from fusilex.core.heat.predict import Predicted
from fusilex.core.reflow.record import Trace


def predicted_at(found: Predicted | None, name: str) -> Trace | None:
    """The curve that the twin predicts where a probe sits: its part's joints, else the mean of all."""
    if found is None:
        return None
    ref, _, cell = name.removeprefix("probe ").strip().partition("@")
    at = int(cell) - 1 if cell.isdecimal() else 0
    own = [k for k, j in enumerate(found.joints) if j.part == ref and j.cell == at]
    curves = found.run.watched[:, own or range(len(found.joints)), 0]
    return Trace(found.run.time, np.asarray(curves.mean(axis=1)))


def predicted_of(found: Predicted, names: Sequence[str]) -> dict[str, Trace]:
    """What is predicted where each probe sits; by eye of the joint that melts last and of the hottest."""
    if names:
        return {f"{name} predicted": curve for name in names if (curve := predicted_at(found, name)) is not None}
    ends = ((found.last, "last"), (found.hottest, "hottest"))
    return {
        f"{found.joints[k].part} predicted, {what}": Trace(found.run.time, found.run.watched[:, k, 0])
        for k, what in ends
    }


def live_traces(log: LiveLog, predicted: Mapping[str, Trace]) -> tuple[dict[str, Trace], Trace | None]:
    """Curves by name, and the one that the window's gates hang on."""
    traces: dict[str, Trace] = {}
    for k, name in enumerate(log.names):
        t, c = log.curve(k)
        if len(t) > 1:
            traces[name] = Trace(t, c)
        if (beside := predicted.get(f"{name} predicted")) is not None:
            traces[f"{name} predicted"] = beside
    if not log.names:
        traces |= predicted
    return traces, next(iter(predicted.values()), None) if log.names else None
