"""More files that are small to write and large to read: lists, records, batches in a zip, programmes, templates."""

from __future__ import annotations

import hashlib
import io
import json
import random
import zipfile
from collections.abc import Callable

from torture.bombs import HEAD, HERON, Made, heron, with_layer

AT = "2026-05-04T08:00:00.000+00:00"


def apertures() -> Made:
    """890,000 of them, none used."""
    return with_layer(HEAD + "".join(f"%ADD{n}C,0.2*%\n" for n in range(11, 890_011)) + "D10*\nX0Y0D03*\nM02*\n")


def far_arcs() -> Made:
    """150,000 arcs of a radius of 9e7 steps, 90 mm."""
    arcs = "".join(f"X{(n % 50) * 1_000_000}Y{n * 300}I90000000J0D01*\n" for n in range(150_000))
    return with_layer(f"{HEAD}G75*\nX0Y0D02*\nG03*\n{arcs}M02*\n")


def wide_arcs() -> Made:
    """150,000 whole circles as large as a layer may be."""
    arcs = "".join(f"X{n}Y0D02*\nX{n}Y0I4000000000J0D01*\n" for n in range(150_000))
    return with_layer(f"{HEAD}G75*\nG03*\n{arcs}M02*\n")


def slots() -> Made:
    lines = "".join(
        f"X{n % 300 * 0.1:.3f}Y{n // 300 * 0.1:.3f}G85X{n % 300 * 0.1 + 5:.3f}Y9.0\n" for n in range(110_000)
    )
    body = f"M48\nMETRIC,TZ\nT1C0.3\n%\nT1\n{lines}M30\n"
    return with_layer(HEAD + "X0Y0D03*\nM02*\n") | {"b.drl": body.encode()}


def whole_netlist() -> Made:
    """Half a million lines, ended as it should be."""
    lines = "".join(
        f"317N{n:<14}R{n:<5}-1   D0300PA00X+{n % 99999:06d}Y+{n // 9:06d}X0300Y0300R000S3\n" for n in range(500_000)
    )
    return heron() | {"heron-r2.ipc": ("P  UNITS CUST 0\n" + lines + "999\n").encode()}


def own_block() -> Made:
    """A block aperture that flashes itself, and one that flashes the one around it."""
    own = "%ABD20*%\nD20*\nX1000000Y0D03*\nD10*\nX0Y0D03*\n%AB*%\n"
    pair = "%ABD30*%\n%ABD31*%\nD30*\nX0Y0D03*\n%AB*%\nD31*\nX0Y0D03*\n%AB*%\n"
    return with_layer(f"{HEAD}{own}{pair}D20*\nX0Y0D03*\nD30*\nX0Y0D03*\nM02*\n")


def bundle(rows: bytes, more: Made | None = None, shop: bytes = b"", spoil: str = "") -> Made:
    """A batch's zip with the digests it should have."""
    files = {"events.jsonl": rows, "workshop.jsonl": shop, **(more or {})}
    listed = [{"path": n, "sha256": hashlib.sha256(d).hexdigest(), "bytes": len(d)} for n, d in files.items()]
    manifest = {"format": "fusilex-batch-1", "made_with": "x", "name": "B", "opened_at": AT, "files": listed}
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        made.writestr("manifest.json", json.dumps(manifest))
        for name, data in files.items():
            made.writestr(name, data)
    data = bytearray(out.getvalue())
    if spoil:
        with zipfile.ZipFile(io.BytesIO(data)) as made:
            at = next(i for i in made.infolist() if i.filename.startswith(spoil))
        start = at.header_offset + 30 + len(at.filename) + at.compress_size // 2
        data[start : start + 40] = bytes(40)
    return {"b.zip": bytes(data)}


def opened(boards: int, sha: str = "") -> bytes:
    cells = [{"serial": f"B1-{n}", "panel": 1 + n // 6, "cell": n % 6} for n in range(boards)]
    body = {"design": "Heron R2", "boards": cells, "batch": 1, "files": sha}
    row = {"number": 1, "deed": "a", "at": AT, "who": "", "place": "", "kind": "batch_opened", "body": body}
    return json.dumps(row).encode() + b"\n"


def handed_in() -> tuple[str, bytes]:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        for name, data in heron().items():
            made.writestr(name, data)
    return hashlib.sha256(out.getvalue()).hexdigest(), out.getvalue()


def blank_lines() -> Made:
    return bundle(opened(6) + b"\n" * (190 * 2**20))


def many_boards() -> Made:
    sha, data = handed_in()
    return bundle(opened(100_000, sha), {f"handed-in/{sha[:12]}-h.zip": data})


def torn_attachment() -> Made:
    sha, data = handed_in()
    return bundle(opened(6, sha), {f"handed-in/{sha[:12]}-h.zip": data}, spoil="handed-in/")


def torn_inside() -> Made:
    """The design's own zip is torn in a deflate stream, and its digest is right."""
    data = bytearray(handed_in()[1])
    data[len(data) // 2 : len(data) // 2 + 400] = bytes(400)
    sha = hashlib.sha256(data).hexdigest()
    return bundle(opened(6, sha), {f"handed-in/{sha[:12]}-h.zip": bytes(data)})


def zipped_zeros() -> Made:
    """400 MB of nothing, handed in with a batch."""
    sha, data = handed_in()
    zeros = {f"handed-in/{n}-zeros": bytes(95 * 2**20) for n in range(4)}
    return bundle(opened(6, sha), {f"handed-in/{sha[:12]}-h.zip": data, **zeros})


def deep_rows() -> Made:
    """A body as deep as a well."""
    row = opened(6).replace(b'"files": ""', b'"files": ' + b"[" * 200_000 + b"]" * 200_000)
    return bundle(row)


def readings() -> Made:
    rows = "".join(f"B{n % 199_000},v{n % 900},{n % 7}.1,V\n" for n in range(199_000))
    return {"r.csv": f"board,measurement,value,unit\n{rows}".encode()}


def patterns() -> Made:
    dice = random.Random(4)
    head = ",".join(["fault", "board", *(f"a{n}" for n in range(198))])
    rows = "".join(
        f"{int(dice.random() < 0.1)},B{n}," + ",".join(str(dice.randrange(9000)) for _ in range(198)) + "\n"
        for n in range(13_400)
    )
    return {"p.csv": f"{head}\n{rows}".encode()}


def shipped(kind: str, id: str) -> bytes:
    """A record as the workshop's file has it."""
    records = json.loads((HERON.parents[1] / "assets/workshop.json").read_text())["records"]
    return json.dumps(next(r for r in records if r["kind"] == kind and r["id"] == id)).encode()


def recursion() -> Made:
    """A programme whose piece calls itself, and one that calls two of the next, forty deep."""
    deep = "".join(f"o<a{n}> sub\no<a{n + 1}> call\no<a{n + 1}> call\no<a{n}> endsub\n" for n in range(40))
    return {
        "m.json": shipped("placer", "bench placer"),
        "p.ngc": f"{deep}o<a40> sub\nG4 P0\no<a40> endsub\no<a> sub\no<a> call\no<a> endsub\no<a0> call\no<a> call\nM2\n".encode(),
    }


def template() -> Made:
    turns = "{% for a in trips %}{% for b in trips %}{% for c in trips %}{{ c }}{% endfor %}{% endfor %}{% endfor %}"
    return {"m.json": shipped("placer", "bench placer"), "t.txt": (turns + "{{ trips * 999999999 }}").encode()}


def schedule() -> Made:
    return {
        "o.json": shipped("oven", "drawer oven"),
        "s.csv": b"time_s,set_c\n" + b"".join(b"%d,%d\n" % (n, 150) for n in range(3_000_000)),
    }


MORE: dict[str, Callable[[], Made]] = {
    made.__name__: made
    for made in (
        apertures, far_arcs, wide_arcs, slots, whole_netlist, own_block, blank_lines, many_boards, torn_attachment, torn_inside,
        zipped_zeros, deep_rows, readings, patterns, recursion, template, schedule,
    )
}  # fmt: skip
VERBS = {
    "log": "profile {}/log.csv --window leaded",
    **dict.fromkeys(
        ("blank_lines", "many_boards", "torn_attachment", "torn_inside", "zipped_zeros", "deep_rows"),
        "patterns {}/b.zip",
    ),
    "readings": "readings {}/r.csv",
    "patterns": "patterns {}/p.csv",
    "recursion": "simulate {0}/p.ngc --machine {0}/m.json",
    "template": f"programme {HERON} --machine {{0}}/m.json --seconds 1 --template {{0}}/t.txt",
    "schedule": f"oven predict {HERON} --oven {{0}}/o.json --setpoints {{0}}/s.csv",
}
