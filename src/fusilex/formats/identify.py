"""What a file is: by its own X2 attributes first, then its content, then the words and letters of its name."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import PurePosixPath

from fusilex.formats.lists import BOM_WORDS, PLACEMENT_WORDS
from fusilex.formats.panel_file import is_panel
from fusilex.formats.tables import SEPARATORS, recognise


@dataclass(frozen=True)
class Guess:
    """`kind` is the reader to use: gerber, drill, netlist, placements, bom, log, panel or other."""

    kind: str
    role: str
    side: str | None
    because: str


_X2 = re.compile(rb"TF\.FileFunction,([^*\n]+)")
_WORDS = [  # role, side, pattern over the name with separators as spaces
    ("paste", r"paste|stencil|cream"),
    ("mask", r"mask|resist|solder ?stop"),
    ("silk", r"silk|legend|overlay|ident"),
    ("outline", r"outline|profile|edge|contour|board ?shape|dimension|keep ?out"),
    ("copper", r"copper|cu|signal|layer|tracks?|metal"),
]
_BOTTOM, _TOP = r"bottom|bot|back|\bb\b|solder ?side|lower", r"top|front|\bf\b|component ?side|upper"
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
}


def identify(name: str, data: bytes) -> Guess:
    """Best guess for one file, with the reason in words."""
    head = data[:6000]
    if b"%FS" in head or b"%MO" in head or re.search(rb"%AD[DC]?D?\d\d", head) or b"%TF" in head:
        return _gerber(name, head)
    if re.search(rb"^M48", head, re.M) or (re.search(rb"^%\s*$", head, re.M) and re.search(rb"^T\d+", head, re.M)):
        stated = _X2.search(head)
        plated = (
            "non-plated"
            if (stated and stated[1].startswith(b"NonPlated")) or re.search(r"npth|non.?plated", name, re.I)
            else "plated"
        )
        return Guess("drill", "drill", None, f"Excellon drill header, {plated}")
    if re.search(rb"^P\s+UNITS", head, re.M) or re.search(rb"^3[126]7", head, re.M):
        return Guess("netlist", "netlist", None, "IPC-D-356A records")
    if is_panel(data):
        return Guess("panel", "other", None, "panel description")
    return _table(name, head)


def _gerber(name: str, head: bytes) -> Guess:
    stated = _X2.search(head)
    if stated:
        words = stated[1].decode("ascii", "replace").split(",")
        side = next((s for w, s in (("Top", "top"), ("Bot", "bottom")) if w in words), None)
        role = {"Copper": "copper", "Soldermask": "mask", "Paste": "paste", "Legend": "silk", "Profile": "outline"}.get(
            words[0], "other"
        )
        inner = role == "copper" and side is None
        return Guess("gerber", "other" if inner else role, side, f"its own attribute says {','.join(words)}")
    path = PurePosixPath(name)
    suffix = path.suffix.lower().lstrip(".")
    if suffix in _LETTERS:
        return Guess("gerber", *_LETTERS[suffix], f"ending .{suffix}")
    words_of_name = " " + re.sub(r"[^a-z0-9]+", " ", re.sub(r"([a-z])([A-Z])", r"\1 \2", path.stem).lower()) + " "
    side = "bottom" if re.search(_BOTTOM, words_of_name) else "top" if re.search(_TOP, words_of_name) else None
    for role, pattern in _WORDS:
        found = re.search(pattern, words_of_name)
        if found:
            if role == "outline":
                return Guess("gerber", role, None, f"“{found[0].strip()}” in its name")
            if side:
                return Guess("gerber", role, side, f"“{found[0].strip()}” and side in its name")
    if side and suffix in ("gbr", "ger", "pho", "art"):
        return Guess("gerber", "copper", side, "side in its name and nothing else")
    return Guess("gerber", "other", None, "a Gerber layer whose name says nothing")


def _table(name: str, head: bytes) -> Guess:
    if b"\x00" in head and head[:2] not in (b"\xff\xfe", b"\xfe\xff"):
        return Guess("other", "other", None, "not text")
    text = head.decode("utf-16" if head[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8", errors="replace")
    for line in text.splitlines()[:25]:
        for separator in SEPARATORS:
            cells = [c.strip().strip('"') for c in line.split(separator)]
            if len(cells) < 2:
                continue
            if {"ref", "x", "y"} <= recognise(cells, PLACEMENT_WORDS).keys():
                return Guess("placements", "placements", None, "columns for reference, x and y")
            if {"time", "temperature"} <= recognise(cells, LOG_WORDS).keys():
                return Guess("log", "other", None, "temperature log")
            bom = recognise(cells, BOM_WORDS).keys()
            if "refs" in bom and len(bom) > 1:
                return Guess("bom", "bom", None, "columns for designators and " + ", ".join(sorted(bom - {"refs"})))
    if re.search(r"\bbom\b|bill.?of.?materials|parts?.?list", re.sub(r"[^A-Za-z0-9]+", " ", name), re.I):
        return Guess("bom", "bom", None, "its name")
    if re.search(r"placement|pick|centroid|\bpos\b|\bxy\b", re.sub(r"[^A-Za-z0-9]+", " ", name), re.I):
        return Guess("placements", "placements", None, "its name")
    return Guess("other", "other", None, "none of the kinds that Fusilex reads")


LOG_WORDS = {
    "time": r"t|time|seconds?|s|elapsed|time ?\(?s(?:ec(?:onds)?)?\)?|elapsed ?\(?s\)?|minutes|time ?\(?min\)?",
    "temperature": r"temp(?:erature)?s?(?: .*)?|probe.*|t ?\d|tc ?\d?|.*\(?°?[cf]\)?|deg ?[cf]|celsius|fahrenheit|board.*|air.*",
}
