"""How the bench says no."""

from fusilex.core.shown import shown

MOST_LETTERS = 400


class Refused(Exception):
    """What was asked makes no sense now; the sentence says why and what to do first."""

    def __init__(self, why: str) -> None:
        text = shown(" ".join(why.split()))  # what was typed may be pasted, and long
        half = MOST_LETTERS // 2
        super().__init__(text if len(text) <= MOST_LETTERS else f"{text[:half]} … {text[-half:]}")
