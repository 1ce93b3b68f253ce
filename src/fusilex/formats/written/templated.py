"""A programme in whatever form a template of the user's gives it, without giving the template any power.

Only what a list of lines needs is there: loops over the programme's own lists, conditions, sums of numbers and a few
filters. Everything else of the template language is refused before it runs; loops, text and numbers have budgets.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from fusilex.core.problems import BadInput
from fusilex.formats.written.words import cell, comment

MOST_TEMPLATE, MOST_TEXT, MOST_TURNS = 100_000, 20_000_000, 2_000_000
FILTERS = ("abs", "default", "float", "int", "length", "lower", "round", "trim", "upper")
_ALLOWED = frozenset(
    [
        "Template",
        "Output",
        "TemplateData",
        "For",
        "If",
        "Assign",
        "Name",
        "Const",
        "Getattr",
        "Getitem",
        "Compare",
        "Operand",
        "And",
        "Or",
        "Not",
        "CondExpr",
        "Add",
        "Sub",
        "Mul",
        "Div",
        "FloorDiv",
        "Mod",
        "Neg",
        "Pos",
        "Filter",
        "Test",
    ]
)


class Listed(Sequence[Any]):
    """A list of the programme's; all loops of a template share one budget of turns."""

    def __init__(self, items: Sequence[Any], turns: list[int]) -> None:
        self.items, self.turns = items, turns

    def __getitem__(self, index: Any) -> Any:
        return self.items[index]

    def __len__(self) -> int:
        return len(self.items)

    def __iter__(self) -> Iterator[Any]:
        for item in self.items:
            self.turns[0] -= 1
            if self.turns[0] < 0:
                raise OverflowError(f"its loops take more than {MOST_TURNS:,} turns")
            yield item


def render(template: str, values: Mapping[str, Any], name: str = "template") -> str:
    """A template filled with plain values (text, numbers, lists and mappings of them). Raises `BadInput`."""
    from jinja2 import StrictUndefined, TemplateError, nodes
    from jinja2.sandbox import ImmutableSandboxedEnvironment

    class Environment(ImmutableSandboxedEnvironment):
        intercepted_binops = frozenset(["+", "-", "*", "/", "//", "%"])

        def call_binop(self, context: Any, operator: str, left: Any, right: Any) -> Any:
            if not all(isinstance(v, int | float) and abs(v) < 1e15 for v in (left, right)):
                raise TypeError(f"{operator} is for numbers")
            return super().call_binop(context, operator, left, right)

    if len(template) > MOST_TEMPLATE:
        raise BadInput(name, f"a template of at most {MOST_TEMPLATE} letters", str(len(template)))
    turns = [MOST_TURNS]
    environment = Environment(
        undefined=StrictUndefined, keep_trailing_newline=True, trim_blocks=True, lstrip_blocks=True
    )
    kept = {k: environment.filters[k] for k in FILTERS}
    environment.filters = {**kept, "fixed": _fixed, "note": comment, "cell": cell, "listed": _listed}
    environment.globals = {}
    try:
        tree = environment.parse(template)
        _check(tree, name, nodes)
        for loop in tree.find_all(nodes.For):
            loop.iter = nodes.Filter(loop.iter, "listed", [], [], None, None, lineno=loop.lineno)
        code = environment.compile(tree, name)
        made = environment.template_class.from_code(environment, code, environment.globals)
        parts, size = [], 0
        for piece in made.generate(_plain(dict(values), turns)):
            size += len(piece)
            if size > MOST_TEXT:
                raise OverflowError(f"it makes more than {MOST_TEXT:,} letters")
            parts.append(piece)
    except TemplateError as problem:
        line = getattr(problem, "lineno", None)
        raise BadInput(
            name, "a template that can be filled", _said(problem), f"line {line}" if line else ""
        ) from problem
    except (ArithmeticError, TypeError, ValueError, KeyError, IndexError, RecursionError) as problem:
        raise BadInput(name, "a template that can be filled", _said(problem)) from problem
    return "".join(parts)


def _check(tree: Any, name: str, nodes: Any) -> None:
    for node in tree.find_all(nodes.Node):
        kind = type(node).__name__
        at = f"line {node.lineno}"
        if kind not in _ALLOWED:
            raise BadInput(
                name,
                "loops, conditions, values, sums and filters",
                f"{kind.lower()}, which is not for templates here",
                at,
            )
        if kind == "Filter" and node.name not in (*FILTERS, "fixed", "note", "cell"):
            raise BadInput(name, f"a filter of {', '.join(sorted((*FILTERS, 'fixed', 'note', 'cell')))}", node.name, at)
        if kind == "Test" and node.name not in ("defined", "none", "odd", "even", "number", "string"):
            raise BadInput(name, "a test of defined, none, odd, even", node.name, at)
        if kind == "For" and node.recursive:
            raise BadInput(name, "a loop", "a loop inside itself", at)


def _said(problem: Exception) -> str:
    return " ".join(str(problem).split())[:200] or type(problem).__name__


def _listed(value: Any) -> Any:
    if not isinstance(value, Listed):
        raise TypeError("loops go over the programme's lists, such as trips, places, slots")
    return value


def _fixed(value: Any, digits: Any = 3) -> str:
    """A number with so many digits behind the point."""
    if not isinstance(digits, int) or not 0 <= digits <= 9:
        raise ValueError("fixed takes 0 to 9 digits")
    return f"{float(value):.{digits}f}"


def _plain(value: Any, turns: list[int]) -> Any:
    """Values as a template sees them: words without line ends or marks that a machine could take for orders."""
    if isinstance(value, str):
        return comment(value)[1:-1]
    if isinstance(value, Mapping):
        return {str(k): _plain(v, turns) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return Listed([_plain(v, turns) for v in value], turns)
    return value
