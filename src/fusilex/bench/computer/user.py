"""Who sits at this computer, as far as the system tells."""

from __future__ import annotations

import getpass

from fusilex.core.shown import shown


def user_name() -> str:
    """The name the person is logged in by, '' where nobody says."""
    try:
        return shown(getpass.getuser())[:60]  # a name may be in another alphabet's bytes
    except (KeyError, OSError):
        return ""
