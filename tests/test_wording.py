"""Judgements are data; their words come from one catalogue, in the reader's units; overrulings go by what is said and not
by how; F1 shows the very numbers that the rule goes by.
"""

from __future__ import annotations

import ast
import json
import re
from collections.abc import Iterator
from pathlib import Path

import pytest

from fusilex.bench.rooms import RULES
from fusilex.bench.stations.place.running.events import DRY, FIRST
from fusilex.core.inspection.causes import CAUSES, USUAL
from fusilex.core.inspection.faults import FAULT_WORDS
from fusilex.core.labels import names
from fusilex.core.placing.rejects import CAUSES as REJECTS
from fusilex.core.reflow.metrics import FIELD_OF
from fusilex.core.route.steps import METHODS
from fusilex.core.wording import catalogue, entry

SRC = Path(__file__).parents[1] / "src" / "fusilex"
WORDS = SRC / "assets" / "words"
ROOMS = sorted(p.stem for p in WORDS.glob("*.json") if p.stem != "names")
SLOT = re.compile(r"\{([^{}:]+)(?::([^{}]*))?\}")
TREES = {p: ast.parse(p.read_text()) for p in SRC.rglob("*.py")}


def literals(node: ast.AST) -> Iterator[str]:
    """The words that an expression may come to, with a * for what is filled in."""
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        yield node.value
    elif isinstance(node, ast.IfExp):
        yield from literals(node.body)
        yield from literals(node.orelse)
    elif isinstance(node, ast.JoinedStr):
        yield "".join(v.value if isinstance(v, ast.Constant) else "*" for v in node.values)


def said() -> Iterator[tuple[Path, str, frozenset[str]]]:
    """Every message that the code asks for, with the slots that it fills."""
    for path, tree in TREES.items():
        for node in ast.walk(tree):
            if isinstance(node, ast.Call) and getattr(node.func, "id", "") == "say" and node.args:
                slots = frozenset(k.arg or "**" for k in node.keywords)
                for case in literals(node.args[0]):
                    yield path, case, slots


def dynamic() -> Iterator[tuple[Path, ast.expr, frozenset[str]]]:
    """The same where the case is not written beside ``say``: by what its level is, or what was found."""
    for path, tree in TREES.items():
        for node in ast.walk(tree):
            named = isinstance(node, ast.Call) and getattr(node.func, "id", "") == "say" and bool(node.args)
            if named and not list(literals(node.args[0])):
                yield path, node.args[0], frozenset(k.arg or "**" for k in node.keywords)


ALL = {(rule, case): text for room in ROOMS for rule, own in catalogue(room).items() for case, text in own.says.items()}
CASES = {case for _, case in ALL}
INDIRECT = {
    "core/printing/landing.py", "core/printing/risks.py", "core/heat/group.py", "core/electrical/judge.py",
    "core/checks/layer_agreement.py", "core/design/connectivity.py", "core/checks/causes.py", "core/checks/advice.py", "core/wet_paste/age.py", "core/placing/centring.py",
    "core/placing/references.py", "core/bare_boards/finest.py", "core/bare_boards/making.py",
    "bench/report/costing.py", "bench/stations/rework/judging.py", "bench/stations/reflow/judging.py",
    "bench/intake/lists.py", "core/checks/two_lines.py", "core/kit/due.py", "core/design/derive.py",
    "core/checks/systematic.py", "core/reflow/metrics.py", "bench/stations/release/judging.py",
}  # fmt: skip
"""Modules where a case is named beside the message, in a table of levels or the like: its words stand there."""


def test_every_message_the_code_asks_for_is_in_the_catalogue_and_none_is_never_asked_for() -> None:
    patterns = {case for _, case, _ in said()}
    missing = sorted(c for c in patterns if "*" not in c and c not in CASES)
    assert not missing
    words = {
        node.value
        for path, tree in TREES.items()
        if str(path.relative_to(SRC)) in INDIRECT
        for node in ast.walk(tree)
        if isinstance(node, ast.Constant) and isinstance(node.value, str)
    }
    shapes = [re.compile(re.escape(c).replace(r"\*", ".+")) for c in patterns if "*" in c]
    dead = [
        (rule, case)
        for rule, case in ALL
        if case not in patterns and case not in words and not any(s.fullmatch(case) for s in shapes)
    ]
    assert not dead


def test_every_slot_of_a_message_is_filled_by_those_who_ask_for_it() -> None:
    quantities = {
        word
        for tree in TREES.values()
        for node in ast.walk(tree)
        if isinstance(node, ast.Call) and getattr(node.func, "id", "") == "Quantity" and node.args
        for word in literals(node.args[0])
    }
    given: dict[str, list[frozenset[str]]] = {}
    for _, case, slots in said():
        given.setdefault(case, []).append(slots)
    loose = [slots for _, _, slots in dynamic()]
    unfilled = []
    for (rule, case), text in ALL.items():
        named = {m[1] for m in SLOT.finditer(text)} - {"key", "refs"} - quantities
        by = [
            *given.get(case, []),
            *(s for c, many in given.items() if "*" in c or c not in CASES for s in many),
            *loose,
        ]
        if named and not any(named <= slots or "**" in slots for slots in by):
            unfilled.append((rule, case, sorted(named)))
    assert not unfilled


def test_messages_name_keys_by_what_they_do() -> None:
    named = {m[2] for text in ALL.values() for m in SLOT.finditer(text) if m[1] == "key"}
    assert named == names()["keys"].keys()
    bare = [(r, c) for (r, c), text in ALL.items() if re.search(r"(?<![\w{:])(F\d|Ctrl|[B-HJ-UW-Z] (to|for) )", text)]
    assert not bare


def test_every_rule_has_a_text_with_all_its_numbers_and_no_other_ones() -> None:
    for name, rule in RULES.items():
        text = f"{entry(name).rule} ({entry(name).source})"
        assert entry(name).rule and entry(name).source, name
        assert {m[1] for m in SLOT.finditer(text)} == set(rule.slots), name
        assert "{" not in rule.text(name) + rule.source(name)
    rules = {name for room in ROOMS for name, own in catalogue(room).items() if own.rule}
    assert rules - set(RULES) == {"workshop.due", "workshop.missing", "trace", "journal.whole"}


def trade() -> set[str]:
    """Words of the trade that messages name: defects, their causes and checks, metrics, methods, proofs."""
    told = {word for some in CAUSES.values() for cause in some for word in (cause.text, cause.check, *cause.evidence)}
    rejects = {word for some in REJECTS.values() for word in some}
    methods = {method for some in METHODS.values() for method in some}
    return (
        told | set(USUAL) | set(USUAL.values()) | set(FAULT_WORDS) | rejects | set(FIELD_OF) | methods | {DRY, FIRST}
    ) - {""}


def test_words_of_the_trade_stand_in_the_catalogue() -> None:
    assert set(names()["terms"]) == trade()


LENGTHS = {"headline": 90, "action": 120}


LABELLED = ("Quantity", "Coverage", "every")


def named() -> Iterator[str]:
    """What quantities are called, and what judgements miss, as far as it is written out."""
    for tree in TREES.values():
        for node in ast.walk(tree):
            if isinstance(node, ast.Call) and getattr(node.func, "id", "") in LABELLED and node.args:
                yield from (w for w in literals(node.args[0]) if "*" not in w)
            elif isinstance(node, ast.keyword) and node.arg == "missing":
                yield from words_in(node.value)
            elif isinstance(node, ast.Call) and getattr(node.func, "id", "") == "Judgement" and len(node.args) > 7:
                yield from words_in(node.args[7])
            elif isinstance(node, ast.Assign):
                targets = node.targets[0].elts if isinstance(node.targets[0], ast.Tuple) else node.targets
                values = node.value.elts if isinstance(node.value, ast.Tuple) and len(targets) > 1 else [node.value]
                for target, value in zip(targets, values, strict=False):
                    if getattr(target, "id", "") == "missing":
                        yield from words_in(value)


def words_in(node: ast.AST) -> Iterator[str]:
    """The words of tuples in an expression, such as ``("a log",) if … else ()``."""
    for tuple_ in (n for n in ast.walk(node) if isinstance(n, ast.Tuple)):
        yield from (e.value for e in tuple_.elts if isinstance(e, ast.Constant) and isinstance(e.value, str))


def test_what_quantities_are_called_stands_in_the_catalogue() -> None:
    assert sorted(set(named()) - {""} - set(names()["quantities"])) == []
    assert sorted(set(names()["quantities"]) - set(named())) == []


def test_texts_keep_to_a_line() -> None:
    for (rule, case), text in ALL.items():
        assert len(SLOT.sub("12345", text)) <= LENGTHS["action"], (rule, case)
        assert "  " not in text and not re.search(r"\b(nobody|somebody|eyes)\b", text, re.I), (rule, case)


@pytest.mark.parametrize("room", [*ROOMS, "names"])
def test_the_catalogue_is_plain_json_in_order(room: str) -> None:
    data = (WORDS / f"{room}.json").read_text()
    assert json.dumps(json.loads(data), indent=2, ensure_ascii=False) + "\n" == data
