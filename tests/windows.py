"""Windows of three alloys as they are usual (paste makers' ranges): what ships has to say the same."""

from __future__ import annotations

from fusilex.core.reflow.windows import ProcessWindow

WINDOWS = {
    "lead-free": ProcessWindow("lead-free", 217, (150, 200), (0, 3), (60, 120), (40, 90), (235, 250), (0, 4), 480),
    "leaded": ProcessWindow("leaded", 183, (100, 150), (0, 3), (60, 120), (40, 90), (205, 225), (0, 4), 360),
    "bismuth": ProcessWindow("bismuth", 138, (90, 120), (0, 3), (60, 120), (40, 90), (155, 175), (0, 4), 360),
}
