"""Which journal is meant."""

from __future__ import annotations

import os
from pathlib import Path


def data_folder() -> Path:
    from platformdirs import user_data_path

    return user_data_path("fusilex", appauthor=False)


def journal_url(given: str | None, demo: bool = False) -> str:
    """Database URL: as given (URL or file), from FUSILEX_JOURNAL, else in the XDG data folder. The demo has its own."""
    text = given or os.environ.get("FUSILEX_JOURNAL")
    if text:
        return text if "://" in text else f"sqlite:///{Path(text).absolute()}"
    return f"sqlite:///{data_folder() / ('demo.sqlite' if demo else 'journal.sqlite')}"


def journal_urls(given: str | None) -> list[str]:
    """Journals to look for a board in: the one asked for, else the workshop's and then the demo's, where they exist."""
    if given or os.environ.get("FUSILEX_JOURNAL"):
        return [journal_url(given)]
    return [url for url in (journal_url(None), journal_url(None, demo=True)) if Path(url[len("sqlite:///") :]).exists()]
