"""What a file is: by its own X2 attributes first, then the words and letters of its name, then its content."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from pathlib import PurePosixPath

from msgspec import Struct

from fusilex.core.problems import BadInput
from fusilex.formats.lists.design_lists import table_kind
from fusilex.formats.lists.grids import is_spreadsheet
from fusilex.formats.lists.tables import best_table
from fusilex.formats.lists.temperature_log import LOG
from fusilex.formats.panel_file import is_panel
from fusilex.formats.side_names import side_of_layer, words_of

STATED, LIKELY, GUESSED, UNKNOWN, CHOSEN = "stated", "likely", "guessed", "unknown", "chosen"
MOST_TABLE_BYTES = 8 * 2**20


class Guess(Struct, frozen=True):
    """`kind` is the reader to use: gerber, components, drill, netlist, placements, bom, log, panel or other.

    `sure` is how far to trust it: stated by the file, likely by its name or columns, guessed from its shapes, or
    unknown.
    """

    kind: str
    role: str
    side: str | None
    because: str
    sure: str = LIKELY


_X2 = re.compile(rb"TF\.FileFunction,([^*\n]+)")
_WORDS = [  # role, side, pattern over the name with separators as spaces
    ("paste", r"paste|stencil|cream|\bsp ?[tb]|pasten?maske|p[âa]te |pasta|brasure"),
    (
        "mask",
        r"mask|resist|solder ?stop|stop ?lack|l(?:ö|oe|o)tstopp?|\bsm ?[tb]|vernis|[ée]pargne|m[áa]scara|maschera",
    ),
    ("silk", r"silk|legend|overlay|ident|screen|best(?:ü|ue|u)ckungsdruck|\bss ?[tb]|s[ée]rigra"),
    (
        "outline",
        (
            r"outline|profile|edge|contour|border|umriss|kontur|contorno|perfil|bordo|board ?shape|dimension"
            r"|keep ?out|mechanical"
        ),
    ),
    ("copper", r"copper|\bcu\b|kupfer|cuivre|cobre|\brame\b|signal|layer|tracks?|metal|etch|conductors?"),
]
_INNER = r" inner| in ?\d| mid ?\d|innen| l[3-9] "
_LETTERS = {  # the old two-letter habit: side, then what it is
    "gtl": ("copper", "top"),
    "gbl": ("copper", "bottom"),
    "gts": ("mask", "top"),
    "gbs": ("mask", "bottom"),
    "gtp": ("paste", "top"),
    "gbp": ("paste", "bottom"),
    "gto": ("silk", "top"),
    "gbo": ("silk", "bottom"),
    "gko": ("outline", None),
    "gm1": ("outline", None),
    "gml": ("outline", None),
    "gm": ("outline", None),
    "cmp": ("copper", "top"),
    "sol": ("copper", "bottom"),
    "stc": ("mask", "top"),
    "sts": ("mask", "bottom"),
    "crc": ("paste", "top"),
    "crs": ("paste", "bottom"),
    "plc": ("silk", "top"),
    "pls": ("silk", "bottom"),
    "smt": ("mask", "top"),
    "smb": ("mask", "bottom"),
    "sst": ("silk", "top"),
    "ssb": ("silk", "bottom"),
    "spt": ("paste", "top"),
    "spb": ("paste", "bottom"),
    "oln": ("outline", None),
    "bor": ("outline", None),
    "top": ("copper", "top"),
    "bot": ("copper", "bottom"),
}
_FUNCTIONS = {
    "mask": ("sm", "mk", "sr", "ms"),
    "silk": ("sk", "ss", "lg", "ov", "si"),
    "paste": ("sp", "pa", "pm", "ps"),
    "copper": ("cu", "co", "el"),
}
for _role, _twos in _FUNCTIONS.items():  # a letter for the side before or behind two for what it is: .tsm .bsk .pmt
    for _two in _twos:
        for _letter, _side in (("t", "top"), ("b", "bottom")):
            _LETTERS.setdefault(_letter + _two, (_role, _side))
            _LETTERS.setdefault(_two + _letter, (_role, _side))


_INNER_ENDING = re.compile(r"g(?P<plane>p)?l?(?P<g>\d{1,2})l?|in(?P<in>\d{1,2})|l(?P<l>[2-9]|\d\d)")
PLANE = "an inner plane, which may be drawn as what is not copper: left aside"
_FOR_PEOPLE = (
    r" (?:assembly|assy|fab(?:rication)?|court ?yard|crtyd|adhes\w*|glue|drawings?|dwg|dimensions?|user|eco\d?"
    r"|comments?|keep ?out|drill ?(?:map|guide)|drillmap|margin|bestueckungsplan|bestückungsplan|klebstoff) "
)
_APERTURE = re.compile(
    rb"^\s*D\d{2,3}[\s,;]+(?:ROUND|CIRC|RECT|SQUARE|OVAL|OBLONG|OBROUND|OCTAGON|THERMAL|DONUT)", re.M | re.I
)
NO_APERTURES = "a layer without its apertures (RS-274-D): have it exported as RS-274X"


def identify(name: str, data: bytes) -> Guess:
    """Best guess for one file, with the reason in words."""
    head = data[:6000]
    if b"\x00" in head:  # packed, drawn, or a list in another encoding
        return _table(name, data)
    if b"%FS" in head or b"%MO" in head or re.search(rb"%AD[DC]?D?\d\d", head) or b"%TF" in head:
        return _gerber(name, head)
    tools = re.search(rb"^T\d+", head, re.M)
    header = bool(re.search(rb"^M48", head, re.M) or (tools and re.search(rb"^%\s*$", head, re.M)))
    if header or (tools and re.search(rb"^X[-+\d.]+Y[-+\d.]+\s*$", head, re.M)):
        stated = _X2.search(head)
        plated = "non-plated" if (stated and stated[1].startswith(b"NonPlated")) or not_plated(name) else "plated"
        words = "Excellon drill header" if header else "tools and coordinates without a header"
        return Guess("drill", "drill", None, f"{words}, {plated}", STATED if stated else LIKELY)
    if re.search(rb"^P\s+UNITS", head, re.M) or re.search(rb"^3[126]7", head, re.M):
        return Guess("netlist", "netlist", None, "IPC-D-356A records", STATED)
    if is_panel(data):
        return Guess("panel", "other", None, "panel description", STATED)
    if re.search(rb"^(?:G54)?D\d\d+\*", head, re.M) and re.search(rb"D0?[123]\*", head):
        return Guess("other", "other", None, NO_APERTURES, UNKNOWN)
    if re.search(rb"drill (?:report|file report|table|statistics)|hole (?:size|count)", head, re.I):
        return Guess("other", "other", None, "a report of holes", LIKELY)
    if len(_APERTURE.findall(head)) > 2:
        return Guess("other", "other", None, "a table of apertures", LIKELY)
    return _table(name, data)


def undecided(guesses: Mapping[str, Guess]) -> dict[str, Guess]:
    """Layers that were guessed to be what another layer is, too: only one of them can be, so their names say
    nothing.
    """
    claims = Counter((g.role, g.side) for g in guesses.values() if g.kind == "gerber")
    return {
        file: Guess("gerber", "other", None, "its name says what another's says, too", UNKNOWN)
        for file, g in guesses.items()
        if g.kind == "gerber" and g.sure == GUESSED and claims[g.role, g.side] > 1
    }


def stated_layers(files: Mapping[str, bytes]) -> int:
    """How many copper layers the board has by what its bottom layer says of itself, 0 where nothing says."""
    found = (re.search(rb"TF\.FileFunction,Copper,L(\d{1,4}),Bot", data[:6000]) for data in files.values())
    return max((int(m[1]) for m in found if m), default=0)


_PROJECT = re.compile(rb"TF\.ProjectId,[^,*\n]*,[^,*\n]*,([^,*\n]+)")
_REVISION = re.compile(
    r"(?:^|[\W_])(?:rev(?:ision)?[\W_]?|r|v)(\d{1,2}(?:\.\d{1,2})?|(?<=rev)[A-Z]|(?<=rev[\W_])[A-Z])(?=[\W_]|$)", re.I
)


def revision_of(name: str, data: bytes) -> str:
    """The revision a file names: by its project attribute, else in its name (``r2``, ``rev B``, ``v1.3``); '' for
    none.
    """
    stated = _PROJECT.search(data[:6000])
    if stated:
        text = stated[1].decode("utf-8", "replace").strip()
        return "" if text.lower() in ("", "rev?", "?", "none") else _plain_revision(text)
    named = _REVISION.search(PurePosixPath(name).stem)
    return _plain_revision(named[1]) if named else ""


def _plain_revision(text: str) -> str:
    return re.sub(r"^(?:rev(?:ision)?|r|v)[\W_]*(?=[\dA-Z])", "", text.strip(), flags=re.I).upper()


def not_plated(name: str) -> bool:
    return bool(re.search(r"npth|non.?plated|unplated|nicht.?durchkontaktiert", name, re.I))


def _gerber(name: str, head: bytes) -> Guess:
    stated = _X2.search(head)
    if stated:
        words = stated[1].decode("ascii", "replace").split(",")
        side = next((s for w, s in (("Top", "top"), ("Bot", "bottom")) if w in words), None)
        because = f"its own attribute says {','.join(words)}"
        if words[0] == "Component":
            return Guess("components", "placements", side, because, STATED)
        role = {"Copper": "copper", "Soldermask": "mask", "Paste": "paste", "Legend": "silk", "Profile": "outline"}.get(
            words[0], "other"
        )
        if role == "copper" and side is None:
            number = re.fullmatch(r"L(\d{1,4})", words[1]) if len(words) > 1 else None
            return (
                Guess("gerber", "inner", number[1], because, STATED)
                if number
                else Guess("gerber", "other", None, because, STATED)
            )
        return Guess("gerber", role, side, because, STATED)
    path = PurePosixPath(name)
    suffix = path.suffix.lower().lstrip(".")
    if suffix in _LETTERS:
        return Guess("gerber", *_LETTERS[suffix], f"ending .{suffix}")
    words_of_name = words_of(path)
    if within := _INNER_ENDING.fullmatch(suffix):
        if within["plane"]:
            return Guess("gerber", "other", None, PLANE)
        # .g1 and .in1 count the inner layers, .g2l and .l2 all layers from the top
        first = int(next(v for k, v in within.groupdict().items() if k != "plane" and v))
        layer = first if suffix.startswith("l") or re.fullmatch(r"g\d+l", suffix) else first + 1
        return Guess("gerber", "inner", str(layer), f"inner layer, ending .{suffix}")
    side = side_of_layer(words_of_name, [pattern for _, pattern in _WORDS])
    if (within := re.search(_INNER, words_of_name)) and not (side and within[0].strip().startswith("l")):
        number = re.search(r"\d+", words_of_name[within.start() :])
        count = int(number[0]) if number else 1
        layer = count if within[0].strip().startswith("l") else count + 1
        return Guess("gerber", "inner", str(layer), f"inner layer, “{within[0].strip()}” in its name")
    for role, pattern in _WORDS:
        found = re.search(pattern, words_of_name)
        if found:
            if role == "outline":
                return Guess("gerber", role, None, f"“{found[0].strip()}” in its name")
            if side:
                return Guess("gerber", role, side, f"“{found[0].strip()}” and side in its name")
    if aside := re.search(_FOR_PEOPLE, words_of_name):
        return Guess("gerber", "other", None, f"a drawing for people, “{aside[0].strip()}” in its name")
    if side and suffix in ("gbr", "ger", "pho", "art"):
        return Guess("gerber", "copper", side, "side in its name and nothing else", GUESSED)
    return Guess("gerber", "other", None, "a Gerber layer whose name says nothing", UNKNOWN)


def _table(name: str, data: bytes) -> Guess:
    nothing = Guess("other", "other", None, "none of the kinds that Fusilex reads", UNKNOWN)
    if len(data) > MOST_TABLE_BYTES and not is_spreadsheet(data):
        return nothing
    try:
        if (kind := table_kind(data, name)) is not None:
            words = (
                "columns for reference, x and y"
                if kind == "placements"
                else "columns for designators and what they are"
            )
            return Guess(kind, kind, None, words)
        if best_table(data, name, LOG) is not None:
            return Guess("log", "other", None, "temperature log")
    except BadInput as problem:
        if problem.found == "binary data":
            return Guess("other", "other", None, "not text", UNKNOWN)
        return Guess("other", "other", None, f"{problem.expected}: {problem.found}", UNKNOWN)
    words_of_name = re.sub(r"[^A-Za-z0-9]+", " ", name)
    if re.search(r"\bbom\b|bill.?of.?materials|parts?.?list|st(?:ü|ue|u)ckliste", words_of_name, re.I):
        return Guess("bom", "bom", None, "its name", GUESSED)
    if re.search(r"placement|pick|centroid|\bpos\b|\bxy\b|best(?:ü|ue|u)ckung", words_of_name, re.I):
        return Guess("placements", "placements", None, "its name", GUESSED)
    return nothing


def ending(name: str, names: Iterable[str]) -> str:
    """What is left of a file's name without the part it shares with the others: the same for every design of one
    source.
    """
    own = PurePosixPath(name).name.lower()
    alike = [n for n in (PurePosixPath(n).name.lower() for n in names) if n[:3] == own[:3]]
    return own[len(shared_start(alike)) :].lstrip("-_. ") or own if len(alike) > 1 else own


def shared_start(words: Sequence[str]) -> str:
    """The letters with which all words begin."""
    first, last = min(words), max(words)
    same = next((i for i, (a, b) in enumerate(zip(first, last, strict=False)) if a != b), min(len(first), len(last)))
    return first[:same]
