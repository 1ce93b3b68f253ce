"""Paste before the oven: its jar, the room, how long it may lie printed, and how much may be printed ahead."""
