"""The words of the command: verbs and their arguments."""

from __future__ import annotations

import argparse
from typing import NoReturn

from fusilex import __version__
from fusilex.core.shown import shown

DEMO_NAMES = ("heron", "wren")
WINDOW_NAMES = ("lead-free", "leaded", "bismuth")
MOST_SAID = 300


class Parser(argparse.ArgumentParser):
    """Says what is wrong with the words of a command in one sentence."""

    def error(self, message: str) -> NoReturn:
        text = shown(" ".join(message.split()))
        said = text if len(text) <= MOST_SAID else f"{text[:MOST_SAID]}…"
        self.exit(2, f"{self.prog}: {said}. `{self.prog} --help` says more.\n")


def parser() -> argparse.ArgumentParser:
    top = Parser(
        prog="fusilex",
        description="Bench companion for small-batch circuit board assembly. Without a verb it opens its window.",
    )
    top.add_argument("--version", action="version", version=f"Fusilex {__version__}")
    top.add_argument(
        "--demo", nargs="?", const="heron", default="", choices=DEMO_NAMES, help="open a demo batch: heron, or wren"
    )
    top.add_argument("--fresh", action="store_true", help="with --demo: start the demo batch anew")
    top.add_argument(
        "--journal", metavar="URL", help="database URL or file of the journal (default: the XDG data folder)"
    )
    verbs = top.add_subparsers(dest="verb", metavar="VERB")

    def verb(name: str, text: str) -> argparse.ArgumentParser:
        made = verbs.add_parser(name, help=text, description=text)
        made.add_argument("--json", action="store_true", help="print one JSON object with judgements and data")
        made.add_argument("--fail-on", choices=("care", "stop"), help="exit 1 when a judgement is this bad or worse")
        return made

    def of_board(name: str, text: str) -> argparse.ArgumentParser:
        made = verb(name, text)
        made.add_argument("folder")
        return made

    of_board("check", "what each file is, and whether they belong together")
    one = of_board("kit", "pull quantities with losses")
    one.add_argument("--boards", type=int, required=True, metavar="N")
    one = of_board("openings", "stencil openings with area and aspect ratio")
    one.add_argument("--foil", type=float, required=True, metavar="MM")
    one.add_argument("--paste", choices=WINDOW_NAMES, default="lead-free")
    one.add_argument("--coated", action="store_true", help="a coated or electroformed foil")
    one.add_argument("--reduced", metavar="FILE", help="write the paste layer with better openings as Gerber X2")
    one = of_board("align", "how the foil lies by what was seen, what to move, and where paste would land")
    one.add_argument("seen", metavar="SEEN.csv")
    one.add_argument("--foil", type=float, required=True, metavar="MM")
    one.add_argument("--side", choices=("top", "bottom"), default="top")
    one.add_argument("--hinge", choices=("top", "bottom", "left", "right"), default="top")
    one = verb("jar", "life of a jar of paste by the temperatures it lived at, and how long it has to warm up")
    one.add_argument("log", metavar="TEMPERATURES.csv")
    one.add_argument("--paste", required=True, metavar="ID")
    one.add_argument("--room", metavar="C,RH", help="temperature and humidity of the room, such as 22,45")
    one = of_board("dots", "paste by syringe: dots a pad, and a short way over them")
    one.add_argument("--needle", type=float, required=True, metavar="MM")
    one.add_argument("--paste", default="lead-free", metavar="ID")
    one = of_board("weighed", "prints on the scale against what the openings predict")
    one.add_argument("weights", metavar="WEIGHTS.csv")
    one.add_argument("--foil", type=float, required=True, metavar="MM")
    one.add_argument("--paste", default="lead-free", metavar="ID")
    one = of_board("refs", "transform from the design to measured reference points")
    one.add_argument("points", metavar="POINTS.csv", nargs="?")
    one.add_argument("--suggest", type=int, metavar="N", help="which N points to teach")
    one.add_argument("--hidden", default="", metavar="P1,P2", help="points that cannot be seen")
    one = of_board("programme", "who places what, and the placing machine's programme for one panel")
    one.add_argument(
        "--machine", required=True, action="append", metavar="MACHINE.json", help="several: they stand in a row"
    )
    one.add_argument("--boards", type=int, metavar="N", help="boards of the batch (default: one panel)")
    one.add_argument("--seconds", type=float, metavar="S", help="time to search (default: by size)")
    one.add_argument("--seed", type=int, default=0, metavar="K")
    one.add_argument("--side", choices=("top", "bottom"), default="top")
    one.add_argument("--gcode", metavar="FILE", help="write the programme as RS-274 G-code")
    one.add_argument("--template", metavar="FILE", help="fill a template with the programme and print it")
    one = verb("simulate", "what a placing machine does with a programme")
    one.add_argument("file", metavar="FILE.gcode")
    one.add_argument("--machine", required=True, metavar="MACHINE.json")
    one.add_argument("--seed", type=int, default=0, metavar="K")
    one.add_argument("--faults", action="store_true", help="with seeded faults")
    one = verb("profile", "metrics of an oven run against a paste's window")
    one.add_argument("log", metavar="LOG.csv")
    one.add_argument("--window", metavar="ID", required=True, help="a window that ships, or its record in a file")
    one = verb("oven", "fit an oven to its logs, predict a run, plan one")
    one.add_argument("what", choices=("fit", "predict", "plan"))
    one.add_argument("files", nargs="+", metavar="FILE", help="fit LOG.csv …; predict FOLDER; plan FOLDER")
    one.add_argument("--oven", required=True, metavar="OVEN.json")
    one.add_argument("--design", metavar="FOLDER", help="fit: the board that was in the oven")
    one.add_argument("--out", metavar="OVEN2.json", help="fit: write the oven's record with what was found")
    one.add_argument("--setpoints", metavar="SP.csv", help="predict: time_s,set_c or time_s,dial_c, and door")
    one.add_argument("--window", metavar="ID", default="lead-free", help="a window that ships, or a record's file")
    one.add_argument("--side", choices=("top", "bottom"), default="top")
    one.add_argument("--dial", action="store_true", help="plan: turns of a dial, not a curve")
    one.add_argument("--panels", type=int, default=1, metavar="N", help="so many panels in the oven at once")
    one.add_argument("--preheat", type=float, metavar="C", help="the oven is preheated to so many °C")
    one = of_board("tour", "the fewest fields of a microscope that show every joint, and a short way over them")
    one.add_argument("--field", metavar="W,H", required=True, help="what the microscope shows, mm")
    one.add_argument("--overlap", type=float, default=0.1, metavar="SHARE")
    one.add_argument("--side", choices=("top", "bottom"), default="top")
    one = verb("patterns", "what the faults of a record have in common")
    text = "a batch's zip, or a CSV: a row an opportunity, a column fault 0/1, any other columns"
    one.add_argument("file", metavar="BATCH.zip|RECORD.csv", help=text)
    one = verb("causes", "where a fault comes from, likeliest first, and what to check")
    one.add_argument("fault", metavar="FAULT")
    one.add_argument("--batch", metavar="BATCH.zip", help="rank by what this batch's faults have in common")
    one = verb("compare", "what differs on a picture of a board from one of a good board, part by part")
    one.add_argument("good", metavar="GOOD.png")
    one.add_argument("photo", metavar="PHOTO.jpg")
    one.add_argument("folder")
    one.add_argument("--side", choices=("top", "bottom"), default="top")
    one = of_board("probes", "what to probe, each reading with its chance of being bad and its time")
    one.add_argument("--max-gap", type=float, default=0.6, metavar="MM")
    one.add_argument("--minutes", type=float, metavar="M", help="the best plan in so many minutes, and what stays open")
    of_board("cuts", "the order in which a panel is cut, each cut with its tool, and what may crack")
    one = verb("readings", "odd boards, limits, capability and drift in readings of many boards")
    one.add_argument("file", metavar="FILE.csv", help="board,measurement,value,unit[,low,high][,uncertainty]")
    one = verb("trace", "what a board was made with; which boards a lot, jar, load, feeder, part or person is on")
    one.add_argument("what", metavar="WHAT", help="a serial, lot, jar, feeder, part number, person, or: load 3")
    one.add_argument("--csv", metavar="FILE", help="also write the boards as a list for a recall")
    one = verb("papers", "the record of one board, or of a whole batch")
    one.add_argument("serial", metavar="SERIAL|BATCH", help="a serial, what its label says, or a batch's number")
    one.add_argument("--html", metavar="FILE", help="also write the papers as one HTML page")
    one.add_argument("--pdf", metavar="FILE", help="also write the papers as PDF")
    one = verb("journal", "check a journal, keep what can be read of a damaged one, back it up, make a new one")
    one.add_argument("what", choices=("check", "rescue", "backup", "new"))
    one.add_argument("files", nargs="*", metavar="FILE", help="check [FILE]; rescue FILE NEW; backup NEW; new FILE")
    return top
