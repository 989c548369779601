"""Formulas of derived columns: our own small language, in plain words.

docs/formulas.md has it on one page. Numbers are reckoned in exact decimals.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, time, timedelta
from decimal import ROUND_HALF_UP, Context, Decimal, DecimalException
from typing import Literal, TypeAlias

from keel_line._shared.column_types import Value

Cell: TypeAlias = Value | None
"""A value; None where nothing stands."""

MOST_CHARACTERS, _MOST_DEPTH = 2000, 60
_EXACT = Context(prec=34)
_SHOWN_DIGITS = 16
_TOKEN = re.compile(
    r"\s*(?:(?P<number>\d+(?:\.\d+)?)|\{(?P<column>[^{}]*)\}|[\"“](?P<text>[^\"”]*)[\"”]"
    r"|(?P<word>[A-Za-z]+)|(?P<sign><=|>=|<>|[-+−–×*÷/()=≠<>≤≥,]))"
)
_SAME = {"−": "-", "–": "-", "*": "×", "/": "÷", "<>": "≠", "<=": "≤", ">=": "≥"}
_OVER_COLUMN = ("sum", "mean", "least", "most", "count")
_OF_DATE = ("year", "month", "day", "weekday")
WORDS = (*_OVER_COLUMN, *_OF_DATE, "if", "then", "else", "above", "rounded", "and", "or", "not")
"""The words of the language, for completion."""


class FormulaError(Exception):
    """A formula cannot be understood; ``at`` is the character where, from 0."""

    def __init__(self, words: str, at: int) -> None:
        super().__init__(words)
        self.at = at


@dataclass(frozen=True)
class _Token:
    kind: str
    text: str
    at: int


@dataclass(frozen=True)
class Node:
    """A part of a formula.

    ``kind`` is "value", "column", "above", "over", "date", "if", "not", "minus", "round" or an
    operator; ``name`` a column's name or a function; ``so_far`` counts the rows down to this one.
    """

    kind: str
    parts: tuple[Node, ...] = ()
    name: str = ""
    value: Cell = None
    so_far: bool = False


def parse_formula(text: str) -> Node:
    """Parse a formula.

    Raises
    ------
    FormulaError
        With the place of what cannot be understood.
    """
    if len(text) > MOST_CHARACTERS:
        raise FormulaError(f"A formula has {MOST_CHARACTERS:,} characters at most.", 0)
    parser = _Parser(_split(text), len(text))
    node = parser.side_by_side(0)
    parser.end()
    return node


def find_columns(node: Node) -> list[str]:
    """Return the names of the columns that a formula uses, each once."""
    own = [node.name] if node.kind in {"column", "above", "over"} else []
    for part in node.parts:
        own += find_columns(part)
    return list(dict.fromkeys(own))


def _split(text: str) -> list[_Token]:
    out: list[_Token] = []
    at = 0
    while text[at:].strip():
        match = _TOKEN.match(text, at)
        if match is None or match.lastgroup is None:
            at += len(text[at:]) - len(text[at:].lstrip())
            open_sign = text[at] in '{"“'
            words = f"“{text[at]}” is not closed." if open_sign else f"“{text[at]}” has no meaning."
            raise FormulaError(words, at)
        kind = match.lastgroup
        said = match[kind]
        begin = match.start(kind) - (kind in {"column", "text"})
        out.append(_Token(kind, _SAME.get(said, said) if kind == "sign" else said, begin))
        at = match.end()
    return out


class _Parser:
    """Reads tokens from left to right, the loosest binding first."""

    def __init__(self, tokens: Sequence[_Token], end: int) -> None:
        self._tokens, self._end = tokens, end
        self._at = 0

    def _peek(self) -> _Token:
        if self._at < len(self._tokens):
            return self._tokens[self._at]
        return _Token("end", "", self._end)

    def _take(self, *texts: str) -> str:
        """Return the next sign or word, and go on, if it is one of some; else empty."""
        token = self._peek()
        if token.kind in {"sign", "word"} and token.text.casefold() in texts:
            self._at += 1
            return token.text.casefold()
        return ""

    def _want(self, text: str) -> None:
        if not self._take(text):
            token = self._peek()
            found = f"“{token.text}” stands there" if token.text else "the formula ends there"
            raise FormulaError(f"“{text}” is expected; {found}.", token.at)

    def end(self) -> None:
        token = self._peek()
        if token.kind != "end":
            raise FormulaError(f"“{token.text}” is not expected here.", token.at)

    def side_by_side(self, depth: int) -> Node:
        if depth > _MOST_DEPTH:
            raise FormulaError("There are too many brackets in one another.", self._peek().at)
        parts = [self._choice(depth)]
        while self._take(","):
            parts.append(self._choice(depth))
        return parts[0] if len(parts) == 1 else Node("beside", tuple(parts))

    def _choice(self, depth: int) -> Node:
        if not self._take("if"):
            return self._either(depth)
        if depth > _MOST_DEPTH:
            raise FormulaError("There are too many ifs in one another.", self._peek().at)
        test = self._either(depth)
        self._want("then")
        yes = self._choice(depth + 1)
        self._want("else")
        return Node("if", (test, yes, self._choice(depth + 1)))

    def _either(self, depth: int) -> Node:
        node = self._both(depth)
        while self._take("or"):
            node = Node("or", (node, self._both(depth)))
        return node

    def _both(self, depth: int) -> Node:
        node = self._compared(depth)
        while self._take("and"):
            node = Node("and", (node, self._compared(depth)))
        return node

    def _compared(self, depth: int) -> Node:
        if self._take("not"):
            if depth > _MOST_DEPTH:
                raise FormulaError("There are too many nots in one another.", self._peek().at)
            return Node("not", (self._compared(depth + 1),))
        node = self._rounded(depth)
        sign = self._take("=", "≠", "<", ">", "≤", "≥")
        return Node(sign, (node, self._rounded(depth))) if sign else node

    def _added(self, depth: int) -> Node:
        node = self._multiplied(depth)
        while sign := self._take("+", "-"):
            node = Node(sign, (node, self._multiplied(depth)))
        return node

    def _multiplied(self, depth: int) -> Node:
        node = self._single(depth)
        while sign := self._take("×", "÷"):
            node = Node(sign, (node, self._single(depth)))
        return node

    def _rounded(self, depth: int) -> Node:
        node = self._added(depth)
        while self._take("rounded"):
            self._want("to")
            token = self._peek()
            if token.kind != "number" or "." in token.text or int(token.text) > 12:
                raise FormulaError("Type how many decimals to keep, from 0 to 12.", token.at)
            self._at += 1
            node = Node("round", (node,), value=Decimal(token.text))
        return node

    def _single(self, depth: int) -> Node:
        token = self._peek()
        if self._take("-"):
            if depth > _MOST_DEPTH:
                raise FormulaError("There are too many signs in a row.", token.at)
            return Node("minus", (self._single(depth + 1),))
        if self._take("("):
            node = self.side_by_side(depth + 1)
            self._want(")")
            return node
        return self._atom(token, depth)

    def _atom(self, token: _Token, depth: int) -> Node:
        self._at += 1
        if token.kind in {"number", "text"}:
            plain: Value = Decimal(token.text) if token.kind == "number" else token.text
            return Node("value", value=plain)
        if token.kind == "column":
            above = bool(self._take("above"))
            return Node("above" if above else "column", name=_name(token))
        word = token.text.casefold()
        if token.kind == "word" and word in _OVER_COLUMN:
            return self._over(word)
        if token.kind == "word" and word in _OF_DATE:
            self._want("of")
            return Node("date", (self._single(depth + 1),), name=word)
        if token.kind == "end":
            raise FormulaError("Something is missing at the end.", token.at)
        hint = " Columns stand in { }, texts in “ ”." if token.kind == "word" else ""
        raise FormulaError(f"“{token.text}” is not expected here.{hint}", token.at)

    def _over(self, word: str) -> Node:
        self._want("of")
        token = self._peek()
        if token.kind != "column":
            raise FormulaError("A column in { } is expected.", token.at)
        self._at += 1
        so_far = bool(self._take("so"))
        if so_far:
            self._want("far")
        return Node("over", name=f"{_name(token)}", value=word, so_far=so_far)


def _name(token: _Token) -> str:
    name = " ".join(token.text.split())
    if not name:
        raise FormulaError("A column's name is missing.", token.at)
    return name


# --- reckoning ---


@dataclass(frozen=True)
class Reckoned:
    """A formula's values, and why there is none in some rows."""

    values: list[Cell]
    troubles: dict[int, str]


class _Trouble(Exception):  # noqa: N818 - never leaves this module
    pass


def reckon(node: Node, columns: Mapping[str, Sequence[Cell]], rows: int) -> Reckoned:
    """Reckon a formula in each row.

    ``columns`` has the values of each column that it uses, by its name.
    """
    over = {key: _run_over(key[0], columns[key[1]], so_far=key[2]) for key in _find_over(node)}
    values: list[Cell] = []
    troubles: dict[int, str] = {}
    evaluate = _compile(node, columns, over)
    for row in range(rows):
        try:
            values.append(evaluate(row))
        except _Trouble as trouble:
            values.append(None)
            troubles[row] = str(trouble)
        except (DecimalException, OverflowError, ValueError):
            values.append(None)
            troubles[row] = "The result is too large."
    return Reckoned(values, troubles)


_Key: TypeAlias = tuple[str, str, bool]
_Evaluate: TypeAlias = Callable[[int], Cell]


def _find_over(node: Node) -> set[_Key]:
    own: set[_Key] = {(str(node.value), node.name, node.so_far)} if node.kind == "over" else set()
    return own.union(*(_find_over(part) for part in node.parts))


def _run_over(word: str, values: Sequence[Cell], *, so_far: bool) -> list[Cell]:
    """Return a column's sum, mean, least, most or count, for each row."""
    total, count = Decimal(0), 0
    least: Cell = None
    most: Cell = None
    out: list[Cell] = []
    for value in values:
        if value is not None:
            count += 1
            if word in {"sum", "mean"} and isinstance(value, Decimal):
                total = _EXACT.add(total, value)
            if word == "least" and (least is None or _compare(value, least) < 0):
                least = value
            if word == "most" and (most is None or _compare(value, most) > 0):
                most = value
        mean = _EXACT.divide(total, Decimal(count)) if count else None
        now = {"sum": total, "mean": mean, "least": least, "most": most, "count": Decimal(count)}
        out.append(now[word])
    return out if so_far or not out else [out[-1]] * len(out)


def _compile(
    node: Node, columns: Mapping[str, Sequence[Cell]], over: dict[_Key, list[Cell]]
) -> _Evaluate:
    """Return a function from a row's number to the value of a part of a formula."""
    if node.kind in {"value", "column", "above", "over"}:
        return _compile_leaf(node, columns, over)
    parts = [_compile(part, columns, over) for part in node.parts]
    if node.kind in _LOGIC:
        return _LOGIC[node.kind](parts)
    if node.kind in {"minus", "round", "date"}:
        return _compile_single(node, parts[0])
    return _compile_pair(node.kind, *parts)


def _compile_leaf(
    node: Node, columns: Mapping[str, Sequence[Cell]], over: dict[_Key, list[Cell]]
) -> _Evaluate:
    if node.kind == "value":
        return lambda _row: node.value
    if node.kind == "over":
        run = over[str(node.value), node.name, node.so_far]
        return lambda row: run[row]
    own = columns[node.name]
    if node.kind == "above":
        return lambda row: own[row - 1] if row else None
    return lambda row: own[row]


def _choose(parts: list[_Evaluate]) -> _Evaluate:
    test, yes, no = parts
    return lambda row: yes(row) if _truth(test(row)) else no(row)


_LOGIC: dict[str, Callable[[list[_Evaluate]], _Evaluate]] = {
    "if": _choose,
    "and": lambda parts: lambda row: all(_truth(part(row)) for part in parts),
    "or": lambda parts: lambda row: any(_truth(part(row)) for part in parts),
    "not": lambda parts: lambda row: not _truth(parts[0](row)),
    "beside": lambda parts: lambda row: "".join(write_value(part(row)) for part in parts),
}


def _compile_single(node: Node, part: _Evaluate) -> _Evaluate:
    def evaluate(row: int) -> Cell:
        value = part(row)
        if value is None:
            return None
        if node.kind == "minus" and isinstance(value, Decimal):
            return -value
        if node.kind == "round" and isinstance(value, Decimal):
            step = Decimal(1).scaleb(-int(str(node.value)))
            return value.quantize(step, ROUND_HALF_UP, _EXACT)
        if node.kind == "date" and isinstance(value, date):
            number = {"year": value.year, "month": value.month, "day": value.day}.get(node.name)
            return Decimal(number) if number else value.strftime("%A")
        raise _Trouble("A date is needed." if node.kind == "date" else "A number is needed.")

    return evaluate


def _compile_pair(sign: str, first: _Evaluate, second: _Evaluate) -> _Evaluate:
    if sign in {"=", "≠", "<", ">", "≤", "≥"}:
        return lambda row: _test(sign, first(row), second(row))

    def evaluate(row: int) -> Cell:
        a, b = first(row), second(row)
        return None if a is None or b is None else _reckon_pair(sign, a, b)

    return evaluate


def _reckon_pair(sign: str, a: Value, b: Value) -> Cell:
    if isinstance(a, Decimal) and isinstance(b, Decimal):
        if sign == "÷":
            if not b:
                raise _Trouble("Nothing can be divided by 0.")
            return _EXACT.divide(a, b)
        ways = {"+": _EXACT.add, "-": _EXACT.subtract, "×": _EXACT.multiply}
        return ways[sign](a, b)
    if isinstance(a, date) and isinstance(b, date) and sign == "-":
        return Decimal((a - b).days)
    if isinstance(a, date) and isinstance(b, Decimal) and sign in {"+", "-"}:
        return a + timedelta(days=int(b) if sign == "+" else -int(b))
    spans = _as_span(a), _as_span(b)
    if spans[0] is not None and spans[1] is not None and sign in {"+", "-"}:
        return spans[0] + spans[1] if sign == "+" else spans[0] - spans[1]
    raise _Trouble(f"These cannot be put together by “{sign}”.")


def _as_span(value: Value) -> timedelta | None:
    if isinstance(value, time):
        return timedelta(hours=value.hour, minutes=value.minute, seconds=value.second)
    return value if isinstance(value, timedelta) else None


def _test(sign: str, a: Cell, b: Cell) -> bool:
    if a is None or b is None:
        same = (a is None and b is None) or a == "" or b == ""
        return same if sign == "=" else not same if sign == "≠" else False
    order = _compare(a, b)
    tests = {
        "=": order == 0,
        "≠": order != 0,
        "<": order < 0,
        ">": order > 0,
        "≤": order <= 0,
        "≥": order >= 0,
    }
    return tests[sign]


def _compare(a: Value, b: Value) -> Literal[-1, 0, 1]:
    if isinstance(a, str) or isinstance(b, str):
        a, b = write_value(a).casefold(), write_value(b).casefold()
    if type(a) is not type(b):
        raise _Trouble("These cannot be compared.")
    return -1 if a < b else 1 if a > b else 0  # type: ignore[operator] # of one type


def _truth(value: Cell) -> bool:
    if isinstance(value, bool):
        return value
    if isinstance(value, Decimal):
        return bool(value)
    if value is None:
        return False
    raise _Trouble("A comparison is needed after “if”.")


def write_value(value: Cell) -> str:
    """Return a value as a cell shows it."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, Decimal):
        digits = Context(prec=_SHOWN_DIGITS).plus(value)
        plain = f"{digits:f}"
        return (
            plain.rstrip("0").rstrip(".") if "." in plain and len(plain) > _SHOWN_DIGITS else plain
        )
    if isinstance(value, timedelta):
        minutes, seconds = divmod(int(abs(value).total_seconds()), 60)
        shown = f"{minutes // 60}:{minutes % 60:02}" + (f":{seconds:02}" if seconds else "")
        return f"-{shown}" if value < timedelta(0) else shown
    if isinstance(value, date):
        return value.isoformat()
    return value.strftime("%H:%M") if isinstance(value, time) else value
