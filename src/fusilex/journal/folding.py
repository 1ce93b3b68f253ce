"""Folding events into a state, with undo and redo as events among them."""

from __future__ import annotations

from collections.abc import Callable, Container, Iterable, Mapping
from typing import Any, Protocol, TypeVar

from fusilex.journal.store import Event


class Folded(Protocol):
    """What every state keeps beside its own fields: the newest event, deeds done, and deeds that can be done again."""

    last_id: int
    deeds: list[str]
    undone: list[str]


State = TypeVar("State", bound=Folded)
Handler = Callable[[Any, Event, dict[str, Any]], None]


def fold(happened: Iterable[Event], start: Callable[[], State], apply: Callable[[State, Event], None]) -> State:
    """State after all events, oldest first. A deed is undone by ``undone`` and back again by ``redone``."""
    history = list(happened)
    undone: list[str] = []
    for item in history:
        if item.kind == "undone":
            undone.append(item.body["deed"])
        elif item.kind == "redone" and item.body["deed"] in undone:
            undone.remove(item.body["deed"])
    gone = set(undone)
    state = start()
    for item in history:
        if item.deed not in gone:
            apply(state, item)
        state.last_id = item.id
    # after something new was done, what was undone before it cannot come back
    newest = state.deeds[-1] if state.deeds else ""
    last_done = max((e.id for e in history if e.deed == newest), default=0)
    marks = {e.body["deed"]: e.id for e in history if e.kind == "undone"}
    state.undone = [d for d in undone if marks[d] > last_done]
    return state


def add(state: Folded, item: Event, handlers: Mapping[str, Handler], never_undone: Container[str] = ()) -> None:
    """Add one event in place; kinds without a handler are passed over."""
    state.last_id = max(state.last_id, item.id)
    handler = handlers.get(item.kind)
    if handler is None:
        return
    handler(state, item, item.body)
    if item.kind not in never_undone and (not state.deeds or state.deeds[-1] != item.deed):
        state.deeds.append(item.deed)
