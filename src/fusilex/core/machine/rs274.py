"""Reading of RS-274 (NGC) programmes, as far as ours go: words, comments, parameters, expressions, sub-programmes.

After Kramer, Proctor, Messina: The NIST RS274NGC Interpreter, Version 3 (NISTIR 6556, 2000); sub-programmes by name
(``o<pick> sub`` … ``o<pick> endsub``, ``o<pick> call [1] [2]``) as its later readers have them, and inside them
``o<name> if [#1 GE 5]`` … ``o<name> endif``. Arguments are #1, #2 … inside a sub-programme; ``#<name>`` and numbers
from #31 on, which may be counted out as ``#[500 + #1]``, are parameters of the whole programme.
"""

from __future__ import annotations

import operator
import re
from collections.abc import Callable, Iterator

from msgspec import Struct, field

MOST_DEEP, MOST_LINES, MOST_BLOCKS, LONGEST = 8, 400_000, 200_000, 400
_NUMBER = re.compile(r"[+-]?(\d+\.?\d*|\.\d+)")
_WORD = re.compile(r"[A-Za-z]")
_SUB = re.compile(r"[oO]<([A-Za-z0-9_]+)>\s*(sub|endsub|call|if|endif)\b(.*)$")
_OPERATOR = re.compile(r"(MOD|GE|GT|LE|LT|EQ|NE)\b", re.IGNORECASE | re.A)
_COMPARED: dict[str, Callable[[float, float], bool]] = {
    "GE": operator.ge,
    "GT": operator.gt,
    "LE": operator.le,
    "LT": operator.lt,
    "EQ": operator.eq,
    "NE": operator.ne,
}


class BadBlock(ValueError):
    """A line that is no block of ours; the sentence says what was expected and found."""


class Block(Struct, frozen=True):
    """A line as it is done: its words in order, the comment on it, and the number of the line it comes from."""

    words: tuple[tuple[str, float], ...]
    comment: str
    line: int

    def value(self, letter: str) -> float | None:
        """The number behind a letter, None where the block has none."""
        return next((number for name, number in self.words if name == letter), None)

    def codes(self, letter: str) -> list[float]:
        """All numbers behind a letter, such as several G in one block."""
        return [number for name, number in self.words if name == letter]


class Reader(Struct):
    """Takes a programme line by line and gives the blocks it comes to."""

    parameters: dict[str, float] = field(default_factory=dict)
    subs: dict[str, list[tuple[int, str]]] = field(default_factory=dict)
    _open: str = ""
    _count: int = 0
    _blocks: int = 0

    def feed(self, text: str) -> Iterator[Block]:
        """The blocks of the next line: none inside a sub-programme, many where one is called. Raises `BadBlock`."""
        self._count += 1
        if self._count > MOST_LINES or len(text) > LONGEST:
            raise BadBlock(f"at most {MOST_LINES} lines of {LONGEST} characters")
        found = _SUB.match(text.strip())
        if found is None:
            if self._open:
                self.subs[self._open].append((self._count, text))
            else:
                yield from self._line(text, self._count, (), 0)
            return
        name, what, rest = found[1].lower(), found[2].lower(), found[3]
        if what == "sub":
            if self._open:
                raise BadBlock(f"o<{name}> begins inside o<{self._open}>")
            self._open, self.subs[name] = name, []
        elif what == "endsub":
            if self._open != name:
                raise BadBlock(
                    f"o<{name}> ends, but o<{self._open}> is open" if self._open else f"o<{name}> was not begun"
                )
            self._open = ""
        elif self._open:
            self.subs[self._open].append((self._count, text))
        elif what == "call":
            yield from self._call(name, rest, self._count, (), 0)
        else:
            raise BadBlock(f"o<{name}> {what} stands outside a sub-programme")

    def finish(self) -> None:
        """The programme ends here. Raises `BadBlock` inside a sub-programme."""
        if self._open:
            raise BadBlock(f"o<{self._open}> is not ended")

    def _call(self, name: str, rest: str, line: int, outer: tuple[float, ...], deep: int) -> Iterator[Block]:
        if name not in self.subs:
            raise BadBlock(f"o<{name}> is called and nowhere defined")
        if deep >= MOST_DEEP:
            raise BadBlock(f"sub-programmes call one another more than {MOST_DEEP} deep")
        given = _Text(_bare(rest)[0], lambda key: self._parameter(key, outer))
        arguments: list[float] = []
        while not given.at_end():
            arguments.append(given.bracketed())
        left_out: list[str] = []  # conditions under way, from the first that does not hold
        under_way: list[str] = []
        own = tuple(arguments)
        for number, text in self.subs[name]:
            inner = _SUB.match(text.strip())
            what, label = (inner[2].lower(), inner[1].lower()) if inner else ("", "")
            if inner and what == "if":
                under_way.append(label)
                if left_out or not self._holds(inner[3], own):
                    left_out.append(label)
            elif what == "endif":
                if not under_way or under_way.pop() != label:
                    raise BadBlock(f"o<{label}> endif without its if")
                left_out = left_out[:-1]
            elif left_out:
                continue
            elif inner and what == "call":
                yield from self._call(label, inner[3], number, own, deep + 1)
            else:
                yield from self._line(text, number, own, deep)
        if under_way:
            raise BadBlock(f"o<{under_way[-1]}> if is not ended")

    def _holds(self, condition: str, arguments: tuple[float, ...]) -> bool:
        read = _Text(_bare(condition)[0], lambda key: self._parameter(key, arguments))
        value = read.bracketed()
        if not read.at_end():
            raise BadBlock(f"one condition was expected, not “{condition.strip()[:20]}”")
        return value != 0

    def _line(self, text: str, line: int, arguments: tuple[float, ...], deep: int) -> Iterator[Block]:
        self._blocks += 1
        if self._blocks > MOST_BLOCKS:
            raise BadBlock(f"the programme comes to more than {MOST_BLOCKS:,} blocks")
        code, comment = _bare(text)
        if code.strip() in ("", "%"):
            if comment:
                yield Block((), comment, line)
            return
        read = _Text(code, lambda key: self._parameter(key, arguments))
        words: list[tuple[str, float]] = []
        settings: list[tuple[str, float]] = []
        while not read.at_end():
            if read.here() == "#":
                key = read.key()
                read.expect("=")
                settings.append((key, read.value()))
                continue
            letter = read.letter()
            if letter != "N":
                words.append((letter, read.value()))
            else:
                read.value()
        self.parameters.update(settings)
        yield Block(tuple(words), comment, line)

    def _parameter(self, key: str, arguments: tuple[float, ...]) -> float:
        if key.isdigit() and 1 <= int(key) <= len(arguments):
            return arguments[int(key) - 1]
        if key not in self.parameters:
            raise BadBlock(f"#{key if key.isdigit() else f'<{key}>'} has no value")
        return self.parameters[key]


def _bare(text: str) -> tuple[str, str]:
    """A line without its comments, and what they say."""
    code: list[str] = []
    comment: list[str] = []
    inside = False
    for letter in text:
        if letter == "(" and not inside:
            inside = True
        elif letter == ")" and inside:
            inside = False
            comment.append(" ")
        elif letter == ";" and not inside:
            break
        else:
            (comment if inside else code).append(letter)
    if inside:
        raise BadBlock("a comment is not ended")
    return "".join(code), "".join(comment).strip()


class _Text:
    """A line while it is read from left to right."""

    def __init__(self, text: str, parameter: Callable[[str], float]) -> None:
        self.text, self.parameter, self.i, self.deep = text, parameter, 0, 0

    def here(self) -> str:
        while self.i < len(self.text) and self.text[self.i].isspace():
            self.i += 1
        return self.text[self.i] if self.i < len(self.text) else ""

    def at_end(self) -> bool:
        return self.here() == ""

    def expect(self, what: str) -> None:
        if self.here() != what:
            raise BadBlock(f"“{what}” was expected at “{self.text[self.i :][:20]}”")
        self.i += 1

    def letter(self) -> str:
        if not _WORD.match(self.here() or " ") or not self.here().isascii():
            raise BadBlock(f"a word was expected at “{self.text[self.i :][:20]}”")
        self.i += 1
        return self.text[self.i - 1].upper()

    def key(self) -> str:
        self.expect("#")
        if self.here() == "<":
            end = self.text.find(">", self.i)
            if end < 0:
                raise BadBlock("a parameter's name is not ended")
            name = self.text[self.i + 1 : end].strip().lower()
            self.i = end + 1
            return name
        if self.here() == "[":
            number = self.bracketed()
            if number != int(number) or not 31 <= number <= 9999:
                raise BadBlock(f"a parameter from #31 to #9999 was expected, not #[{number:g}]")
            return str(int(number))
        found = re.compile(r"\d{1,4}", re.A).match(self.text, self.i)
        if not found:
            raise BadBlock(f"a parameter was expected at “{self.text[self.i :][:20]}”")
        self.i = found.end()
        return str(int(found[0]))

    def value(self) -> float:
        here = self.here()
        if here == "[":
            return self.bracketed()
        if here == "#":
            return self.parameter(self.key())
        found = re.compile(_NUMBER.pattern, re.A).match(self.text, self.i)
        if not found:
            raise BadBlock(f"a number was expected at “{self.text[self.i :][:20]}”")
        self.i = found.end()
        return float(found[0])

    def bracketed(self) -> float:
        self.expect("[")
        self.deep += 1
        if self.deep > MOST_DEEP:
            raise BadBlock(f"brackets are more than {MOST_DEEP} deep")
        total = self._sum()
        while compared := self._operator(*_COMPARED):
            total = float(_COMPARED[compared](total, self._sum()))
        self.expect("]")
        self.deep -= 1
        return total

    def _operator(self, *names: str) -> str:
        """The operator of several letters that stands here, taken; '' where it is none of these."""
        self.here()
        found = _OPERATOR.match(self.text, self.i)
        if not found or found[0].upper() not in names:
            return ""
        self.i = found.end()
        return found[0].upper()

    def _sum(self) -> float:
        total = self._product()
        while self.here() in ("+", "-"):
            sign = self.text[self.i]
            self.i += 1
            total = total + self._product() if sign == "+" else total - self._product()
        return total

    def _product(self) -> float:
        result = self._signed()
        while sign := self._operator("MOD") or (self.here() if self.here() in ("*", "/") else ""):
            self.i += sign != "MOD"
            other = self._signed()
            if sign != "*" and other == 0:
                raise BadBlock("a division by nothing")
            result = result * other if sign == "*" else result / other if sign == "/" else result % other
        return result

    def _signed(self) -> float:
        sign = 1.0
        while self.here() == "-":
            self.i += 1
            sign = -sign
        return sign * self.value()
