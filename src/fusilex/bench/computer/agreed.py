"""Commands that a person at this computer saw and agreed to run: kept by their digest beside the settings, never in a
journal and never in a zip. What comes from outside brings words; it never brings an agreement.
"""

from __future__ import annotations

import json
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from fusilex.devices.command import Plan
from fusilex.formats.written.whole import write_whole

FORMAT = "fusilex-agreed-commands-1"


def agreed(plan: Plan) -> bool:
    """True where somebody agreed to exactly this here. A list that cannot be read holds nothing."""
    return plan.digest in _read()


def agree(plan: Plan, who: str) -> None:
    """Somebody saw it and agreed. Raises OSError where that cannot be kept."""
    now = datetime.now(UTC).isoformat(timespec="seconds")
    kept = {**_read(), plan.digest: {"words": plan.words, "program": plan.program, "at": now, "who": who}}
    place = _place()
    place.parent.mkdir(parents=True, exist_ok=True)
    text = json.dumps({"format": FORMAT, "agreed": kept}, indent=1)
    write_whole({place: f"{text}\n".encode()})
    place.chmod(0o600)


def _place() -> Path:
    from platformdirs import user_config_path

    return Path(user_config_path("fusilex", appauthor=False)) / "agreed-commands.json"


def _read() -> dict[str, Any]:
    try:
        whole = json.loads(_place().read_bytes())
    except (OSError, ValueError, RecursionError):
        return {}
    there = isinstance(whole, dict) and whole.get("format") == FORMAT and isinstance(whole.get("agreed"), dict)
    return whole["agreed"] if there else {}
