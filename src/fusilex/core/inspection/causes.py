"""Where faults come from: for each fault word its causes, most likely first in small workshops, and what in a record
speaks for each. The order is only where one begins: evidence of the batch ranks them.
"""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct

FOR, BESIDE, AGAINST, ENOUGH = 6.0, 0.4, 0.4, 3
"""What the surest finding that speaks for a cause adds to it, and what share of that where it is only what cannot be
told from the finding; by what it is multiplied where enough faults were looked at and none does; how many are enough.
"""


class Cause(Struct, frozen=True):
    """A cause at a station, what to check there, and attributes at which its faults would gather, () where the record
    cannot say. `pins` are the values of the first of them that do.
    """

    station: str
    text: str
    check: str
    evidence: tuple[str, ...] = ()
    pins: tuple[str, ...] = ()


class Ranked(Struct, frozen=True):
    """A cause with its share among all for this fault, and what of the batch speaks for and against it."""

    cause: Cause
    share: float
    speaks_for: tuple[str, ...] = ()
    speaks_against: tuple[str, ...] = ()


_APERTURE = ("opening", "joint", "part")
_MACHINE = ("feeder", "nozzle", "head")
_SIDE_OF_PANEL = ("place on the board", "cell")
_MISALIGNED = Cause(
    "Print",
    "paste beside the pads: the foil lay off, turned, or slipped in the stroke",
    "Look through the foil at two far openings, move it as the alignment says.",
    ("print", "panel", "place on the board"),
)
_DIRTY = Cause(
    "Print",
    "too many prints since the foil was wiped beneath",
    "Wipe beneath, and wipe more often.",
    ("prints since wipe",),
)
_CLOGGED = Cause(
    "Print",
    "an opening is clogged",
    "Hold the foil against light at this opening, clean it, look at its next deposit.",
    _APERTURE,
)
_OLD_PASTE = Cause(
    "Print", "paste is old, dry, cold or was opened too long", "The jar's clock, its bead, a fresh jar.", ("jar",)
)
_APERTURES = Cause(
    "Ready",
    "the opening is too large, too small or too near its neighbour for this foil",
    "Area ratio and gap of these openings, the foil's thickness.",
    ("package", "joint", "part", "foil"),
)
_COLD = Cause(
    "Reflow",
    "too short or not hot enough above melting there",
    "The twin's margin of that joint, the oven's run, a probe at the part.",
    ("by the twin", "oven load", "copper near", "place on the board"),
)
_FAST = Cause("Reflow", "heated too fast towards melting", "Slope of the run before melting.", ("oven load",))
_SPENT = Cause("Reflow", "flux spent: a long soak, or a slow ramp", "Soak time of the run.", ("oven load",))
_PADS = Cause(
    "Make",
    "pads or leads are dirty or oxidised",
    "The date of bare boards and lots; clean, flux and see whether one wets.",
    ("lot", "panel", "board"),
)
_NOZZLE = Cause(
    "Place",
    "a nozzle is bent, chipped, worn, short or sticks in its holder",
    "The tip under magnification, its length and centre, the holder.",
    ("nozzle", "head"),
)
_FEEDER = Cause(
    "Place",
    "the pick point lies off the pocket, the pitch is wrong or the tape loose",
    "Pick point, pitch and tension of the feeder.",
    ("feeder", "part number", "value"),
)
_POINTS = Cause(
    "Place",
    "reference points were off: a bad click, a board that moved or was not clamped",
    "Teach the points again, look at the clamp.",
    ("panel", "board", *_SIDE_OF_PANEL),
)
_TAPE = Cause(
    "Place",
    "the tape lies another way round, or the footprint's zero is another",
    "How the part lies in its tape, the line's angle: one line only, on all boards, is the programme.",
    ("feeder", "value", "part number", "part"),
)
_HAND = Cause(
    "Place",
    "put down so by hand: the mark was not checked",
    "Marks once more before the oven, with the loupe.",
    ("placed by", "person"),
    ("hand",),
)
_BIN = Cause(
    "Kit",
    "another part was in the bin or on the reel",
    "Measure or read one from this bin; hold all boards since it was filled.",
    ("bin", "lot", "feeder", "value", "part number"),
)
_DROPPED = Cause(
    "Place", "picked and lost on the way: vacuum low, tip worn", "Hose, filter, tip; a slower way.", _MACHINE
)
_EMPTY = Cause("Place", "the tape was empty or its cover caught", "Look at the feeder before reloading.", ("feeder",))
_BUMPED = Cause("Place", "knocked off before the oven", "How panels are carried.", ("panel", "board"))
_AIR = Cause("Reflow", "blown or floated away: airflow, too much paste", "Fan, deposit size.", ("oven load", "cell"))
_MOVED = Cause("Reflow", "moved while molten", "Leave the load until it is solid.", ("oven load", "panel"))
_PRESSED = Cause(
    "Place", "pressed into the paste, or slid", "Part and board height in the programme.", ("nozzle", "head", "package")
)
_IRON = Cause(
    "Hand",
    "iron: too hot, too short, on one side only, or too little wire",
    "The tip's setting, both lead and pad heated, wire by the joint's volume.",
    ("soldered by", "part"),
)
_MOIST = Cause("Kit", "moisture in the body", "The floor-life clock of its lot; bake.", ("lot", "part number"))
_HOT = Cause("Reflow", "too hot or too long", "Peak and time of the run, the part's limit.", ("oven load",))
_UNEVEN = Cause(
    "Print", "uneven paste on the two ends", "Deposits of this part over successive prints.", (*_APERTURE, "print")
)
_COPPER = Cause(
    "Ready",
    "one pad hangs on more copper than the other and wets later",
    "Thermal relief at the part, a slower ramp through melting.",
    ("part", "value", "direction"),
)
_OFF = Cause(
    "Place", "placed off its middle", "Offsets of this feeder and nozzle; see what else they placed.", _MACHINE
)
_BALLS = Cause(
    "Print", "too much paste, or beside the pad", "Deposits; smaller openings or dots.", ("print", "package", "value")
)
_WARP = Cause(
    "Reflow", "the largest part melted last or never, or board and body warped", "A probe under it.", ("by the twin",)
)
_WINDOW = Cause("Ready", "a large pad printed in one opening traps gas", "Windows in the opening.", ("part", "package"))
_STRESS = Cause(
    "Release", "board bent: cut, screwed or dropped", "Distance from cuts and holes.", ("place on the board", "cell")
)
_BATH = ("pot", "wave")


def _bath(text: str, check: str) -> Cause:
    return Cause("Hand", f"pot or wave: {text}", check, ("soldered with", "bath", "dwell"), _BATH)


_BATH_BRIDGE = _bath("too slow, too long over preheat or in the solder, too little flux", "Speed, preheat, flux.")
_BATH_POOR = _bath("dwell too short, solder or board too cool, flux burnt off, wave low", "Dwell, preheat, height.")
_BATH_DRY = _bath("too fast, wave low, no flux, a part's shadow", "Speed, height, fluxer, which way boards go.")
_BATH_DIRTY = _bath(
    "pads or leads dirty, solder or flux contaminated, too cool", "Date of boards, the bath's analysis."
)
_BATH_HOLES = _bath("moisture from a cool board, a hole dirty or covered", "Preheat, bake, what covers the hole.")
_BATH_SPIKE = _bath("too slow, flux gone, solder too cool", "Bath temperature, flux, how boards leave the wave.")
_BATH_MASK = _bath("flux missing or unsuited, mask under-cured, too hot", "Flux, the mask, bath temperature.")
_BATH_ROUGH = _bath("vibration, touched before it was solid, uneven wave", "Conveyor, cooling, the wave's top.")

CAUSES: dict[str, tuple[Cause, ...]] = {
    "bridge": (_DIRTY, _MISALIGNED, _APERTURES, _PRESSED, _OFF, _OLD_PASTE, _FAST, _BATH_BRIDGE),
    "no solder": (_CLOGGED, _MISALIGNED, _APERTURES, _OLD_PASTE, _WARP, _IRON, _BATH_DRY),
    "insufficient": (_APERTURES, _CLOGGED, _OLD_PASTE, _MISALIGNED, _IRON, _BATH_POOR),
    "excess": (_APERTURES, _DIRTY, _MISALIGNED, _IRON),
    "cold joint": (_COLD, _MOVED, _SPENT, _IRON, _BATH_ROUGH),
    "solder balls": (_BALLS, _FAST, _OLD_PASTE, _MISALIGNED, _DIRTY),
    "tombstone": (_COPPER, _UNEVEN, _OFF, _FAST, _MISALIGNED),
    "misaligned": (_NOZZLE, _FEEDER, _POINTS, _AIR, _HAND),
    "rotated": (_TAPE, _HAND, _FEEDER),
    "missing": (_DROPPED, _EMPTY, _BUMPED, _AIR),
    "wrong part": (_BIN, _HAND),
    "inverted": (_FEEDER, _NOZZLE, _HAND),
    "billboard": (_FEEDER, _NOZZLE, _UNEVEN),
    "lifted part": (_COLD, _OFF, _IRON),
    "lifted lead": (_PRESSED, _WARP, _APERTURES, _IRON),
    "void": (_WINDOW, _SPENT, _PADS, _BATH_HOLES),
    "no wetting": (_PADS, _SPENT, _COLD, _OLD_PASTE, _BATH_DIRTY),
    "spike": (_IRON, _COLD, _BATH_SPIKE),
    "solder on mask": (_MISALIGNED, _BALLS, _IRON, _BATH_MASK),
    "cracked": (_MOIST, _STRESS, _PRESSED, _HOT),
    "burnt": (_HOT, _IRON),
    "contaminated": (_SPENT, _IRON, _PADS),
}
"""By fault word, the order in which to look."""


class Evidence(Struct, frozen=True):
    """What a batch's record says of one fault word: findings as (attribute, value, sentence), the surest first,
    each followed by what cannot be told from it; attributes whose values were looked at, and how many faults there are.
    """

    findings: tuple[tuple[str, str, str], ...] = ()
    attributes: frozenset[str] = frozenset()
    faults: int = 0


def _speaks(finding: tuple[str, str, str], cause: Cause) -> bool:
    """True for a finding at an attribute that speaks for a cause, at the values that do."""
    attribute, value, _ = finding
    pinned = cause.pins and attribute == cause.evidence[0]
    return attribute in cause.evidence and (not pinned or value in cause.pins)


def ranked(word: str, evidence: Evidence | None = None) -> list[Ranked]:
    """Causes of a fault, likeliest first, with for and against from a batch. Raises KeyError for no fault word.

    Each begins at 1 over its place; the surest finding that speaks for one adds to that, the second surest half as much
    and so on. The shares are a ranking, not a measured chance.

    >>> [round(r.share, 2) for r in ranked("spike")]
    [0.55, 0.27, 0.18]
    >>> seen = Evidence((("nozzle", "N2", "4 of 5 at nozzle N2"),), frozenset(("nozzle", "feeder")), 5)
    >>> ranked("misaligned", seen)[0].cause.station, ranked("misaligned", seen)[0].speaks_for
    ('Place', ('4 of 5 at nozzle N2',))
    """
    seen = evidence or Evidence()
    rows = []
    surest = list(dict.fromkeys(sentence for *_, sentence in seen.findings))
    named = [next(f for f in seen.findings if f[2] == sentence) for sentence in surest]
    for n, cause in enumerate(CAUSES[word], 1):
        own = [f for f in seen.findings if _speaks(f, cause)]
        told = tuple(dict.fromkeys(sentence for *_, sentence in own))
        asked = [name for name in cause.evidence if name in seen.attributes]
        none = not own and bool(asked) and seen.faults >= ENOUGH
        weight = (AGAINST if none else 1.0) / n
        if own:
            weight = 1 / n + FOR / (1 + surest.index(told[0])) * (1.0 if own[0] in named else BESIDE)
        against = (f"{seen.faults} faults do not gather at any {' or '.join(asked[:3])}",) if none else ()
        rows.append((weight, Ranked(cause, 0.0, told, against)))
    total = sum(weight for weight, _ in rows)
    made = [Ranked(r.cause, weight / total, r.speaks_for, r.speaks_against) for weight, r in rows]
    return sorted(made, key=lambda r: -r.share)


def checks(attribute: str, word: str, known: Mapping[str, tuple[Cause, ...]] = CAUSES) -> str:
    """What to check where faults gather at an attribute: what the likeliest cause with it says.

    >>> checks("nozzle", "misaligned")
    'The tip under magnification, its length and centre, the holder.'
    """
    found = next((cause for cause in known.get(word, ()) if attribute in cause.evidence), None)
    return found.check if found else USUAL.get(attribute, f"What this {attribute} has that others have not.")


USUAL: dict[str, str] = {
    "nozzle": _NOZZLE.check,
    "feeder": _FEEDER.check,
    "opening": _CLOGGED.check,
    "prints since wipe": _DIRTY.check,
    "lot": "The lot's bag and sheet; hold what else it went into.",
    "jar": _OLD_PASTE.check,
    "oven load": "The run's curve against the window.",
    "by the twin": _COLD.check,
    "board": "How this board was handled: it alone is odd.",
    "panel": "How this panel was printed, clamped and carried.",
    "copper near": "Heat at these joints: a longer soak, a slower ramp.",
    "person": "Show one another how it is done.",
}
"""What to check at an attribute that no cause of the fault names."""
