"""What a verb found out."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from fusilex.core.judgement import Judgement


@dataclass(frozen=True)
class Answer:
    """What a verb found out. `text` is for people, `data` (plain JSON) for scripts."""

    judgements: list[Judgement]
    data: dict[str, Any]
    text: str
