"""What every record has: a kind, a name, a note; and the ranges that their fields share."""

from __future__ import annotations

from typing import Annotated, ClassVar

import msgspec
from msgspec import Meta

Name = Annotated[str, Meta(min_length=1, max_length=60)]
Positive = Annotated[float, Meta(gt=0, le=1e6)]
Share = Annotated[float, Meta(gt=0, le=1)]


class Record(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One thing the workshop owns; `what` names its kind in JSON, `title` on the bench."""

    what: ClassVar[str] = ""
    title: ClassVar[str] = ""
    id: Name
    note: str = ""
