"""The one type in which every station answers: go, care, stop or can't tell."""

from __future__ import annotations

from collections.abc import Iterable
from enum import StrEnum

from msgspec import Struct
from msgspec.structs import replace

from fusilex.core.units import show_number


class Level(StrEnum):
    """Worst first when sorted by `rank`."""

    STOP = "stop"
    CARE = "care"
    UNKNOWN = "unknown"
    GO = "go"

    @property
    def rank(self) -> int:
        return list(Level).index(self)

    @property
    def words(self) -> str:
        return "can't tell" if self is Level.UNKNOWN else self.value


class Rule(Struct, frozen=True):
    """What is compared with what, and where the limit comes from."""

    text: str
    source: str


class Because(Struct, frozen=True):
    """One number (or word) behind a judgement, with its unit."""

    what: str
    value: float | int | str
    unit: str = ""

    def text(self) -> str:
        value = show_number(self.value) if isinstance(self.value, float) else str(self.value)
        return (
            f"{self.what}"
            f" {value}{' ' if self.unit and self.unit != '%' else ''}{' %' if self.unit == '%' else self.unit}"
        )


class Judgement(Struct, frozen=True):
    """One answer. `rule` names the rule behind it; `refs` are the parts it speaks of; `do` is for the hands."""

    rule: str
    level: Level
    subject: str
    headline: str
    because: tuple[Because, ...] = ()
    do: str = ""
    refs: tuple[str, ...] = ()

    @property
    def key(self) -> str:
        """Stable name of this judgement within a batch, to hang an overruling on."""
        return f"{self.rule}:{self.subject}"

    def of(self, what: str) -> Judgement:
        """The same about a certain board, print or load, which its key then names."""
        return replace(self, subject=f"{self.subject}, {what}")

    def as_dict(self) -> dict[str, object]:
        return {
            "rule": self.rule,
            "level": self.level.value,
            "subject": self.subject,
            "headline": self.headline,
            "because": [{"what": b.what, "value": b.value, "unit": b.unit} for b in self.because],
            "do": self.do,
        }


def worst_first(judgements: Iterable[Judgement]) -> list[Judgement]:
    """Stop, care, can't tell, go; in the order given within a level."""
    return sorted(judgements, key=lambda j: j.level.rank)
