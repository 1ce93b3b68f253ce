"""What the workshop's own events add up to: what outlives every batch."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

from fusilex.journal.folding import add, fold
from fusilex.journal.store import Event


@dataclass
class WorkshopState:
    """`columns` and `roles` are habits of files by their signature; `bodies` what the workshop knows better than the catalogue."""

    columns: dict[str, dict[str, int]] = field(default_factory=dict)
    roles: dict[str, tuple[str, str | None]] = field(default_factory=dict)
    bodies: dict[str, dict[str, Any]] = field(default_factory=dict)
    last_id: int = 0
    deeds: list[str] = field(default_factory=list)
    undone: list[str] = field(default_factory=list)


def project_workshop(happened: Iterable[Event]) -> WorkshopState:
    """Fold the workshop's events, oldest first."""
    return fold(happened, WorkshopState, apply_workshop)


def apply_workshop(state: WorkshopState, item: Event) -> None:
    add(state, item, _HANDLERS)


def _columns(state: WorkshopState, item: Event, body: dict[str, Any]) -> None:
    state.columns[body["signature"]] = dict(body["columns"])


def _role(state: WorkshopState, item: Event, body: dict[str, Any]) -> None:
    state.roles[body["signature"]] = body["role"], body["side"]


def _body(state: WorkshopState, item: Event, body: dict[str, Any]) -> None:
    state.bodies[body["code"]] = body


_HANDLERS = {
    "columns_remembered": _columns,
    "role_remembered": _role,
    "body_set": _body,
}
