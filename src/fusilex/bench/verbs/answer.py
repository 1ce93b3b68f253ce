"""What a verb found out."""

from __future__ import annotations

from typing import Any

from msgspec import Struct

from fusilex.core.judgement import Judgement


class Answer(Struct, frozen=True):
    """What a verb found out. `text` is for people, `data` (plain JSON) for scripts."""

    judgements: list[Judgement]
    data: dict[str, Any]
    text: str
