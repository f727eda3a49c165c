"""The grammar of expressions: text → tokens → a tree. Nothing here evaluates anything, and nothing outside the grammar
can be said.

expression := or | "if" expression "then" expression "else" expression or         := and ("or" and)* and        :=
not ("and" not)* not        := "not" not | comparison comparison := sum (("=" | "≠" | "<" | "≤" | ">" | "≥") sum
("within" sum)?)? sum        := product (("+" | "−" | "&") product)* product    := signed (("×" | "÷") signed)*
signed     := "−" signed | primary primary    := number | "text" | true | false | name | function "(" expression (","
expression)* ")" | "(" expression ")" name       := field | table "." column | type ":" field
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from decimal import Decimal
from functools import lru_cache

from jugum.errors import InputError

LETTERS_MAX = 2000  # nobody reads a longer one
DEPTH_MAX = 40  # the parser calls itself for each level
KEYWORDS = frozenset({"if", "then", "else", "and", "or", "not", "within", "true", "false"})
_SAME = {"-": "−", "*": "×", "/": "÷", "!=": "≠", "<>": "≠", "<=": "≤", ">=": "≥", "==": "="}
_TOKEN = re.compile(
    r"""\s*(?:
    (?P<number>\d+(?:\.\d+)?)
  | (?P<name>[A-Za-z][A-Za-z0-9_]*(?:[.:][A-Za-z][A-Za-z0-9_]*)*)
  | (?P<text>"[^"]*"|'[^']*'|“[^”]*”)
  | (?P<mark><=|>=|!=|<>|==|[-+−*×/÷&=≠<≤>≥(),])
    )""",
    re.VERBOSE,
)
_COMPARISONS = ("=", "≠", "<", "≤", ">", "≥")


class ExpressionError(InputError):
    """What is wrong with an expression, and where: `at` is the place of the letter, from 0."""

    def __init__(self, message: str, at: int) -> None:
        super().__init__(f"{message} (at letter {at + 1})")
        self.at = at


@dataclass(frozen=True)
class Literal:
    """A number, text or truth as written; `at` is its first letter, from 0."""

    value: Decimal | str | bool
    at: int


@dataclass(frozen=True)
class Name:
    """A field by its key; `at` is its first letter, from 0."""

    key: str
    at: int


@dataclass(frozen=True)
class Operation:
    """`sign` is one of not, −, +, ×, ÷, &, and, or, and the comparisons; a comparison may have a tolerance as third
    part."""

    sign: str
    parts: tuple[Node, ...]
    at: int


@dataclass(frozen=True)
class Call:
    """A function with its arguments; `at` is its first letter, from 0."""

    function: str
    parts: tuple[Node, ...]
    at: int


@dataclass(frozen=True)
class Condition:
    """`if … then … else …`, in this order; `at` is its first letter, from 0."""

    parts: tuple[Node, Node, Node]
    at: int


Node = Literal | Name | Operation | Call | Condition


@dataclass(frozen=True)
class _Token:
    kind: str
    text: str
    at: int


def _tokens(text: str) -> Iterator[_Token]:
    place = 0
    while text[place:].strip():
        match = _TOKEN.match(text, place)
        if match is None:
            at = place + len(text[place:]) - len(text[place:].lstrip())
            raise ExpressionError(f"“{text[at]}” has no meaning here", at)
        kind = group = str(match.lastgroup)
        found = match[group]
        if kind == "name" and found.lower() in KEYWORDS:
            kind, found = "word", found.lower()  # keywords may be written in capitals; keys of fields may not
        yield _Token(kind, _SAME.get(found, found), match.start(group))
        place = match.end()
    # The end is a token too, so that the parser can say what is missing there.
    yield _Token("end", "", len(text))


@lru_cache(maxsize=2000)
def parse(text: str) -> Node:
    """The tree of an expression; ExpressionError says what is wrong and at which letter."""
    if len(text) > LETTERS_MAX:
        raise ExpressionError(f"The expression has {len(text)} letters; at most {LETTERS_MAX} are taken", LETTERS_MAX)
    if not text.strip():
        raise ExpressionError("The expression is empty", 0)
    parser = _Parser(list(_tokens(text)))
    tree = parser.expression()
    parser.must("end", "", "the end")
    return tree


class _Parser:
    """Recursive descent, one method per rule of the grammar."""

    def __init__(self, tokens: list[_Token]) -> None:
        self.tokens = tokens
        self.place = 0
        self.depth = 0

    @property
    def now(self) -> _Token:
        return self.tokens[self.place]

    def take(self, kind: str, *texts: str) -> _Token | None:
        """The token here, taken, if it is of this kind and one of these texts."""
        token = self.now
        if token.kind != kind or (texts and token.text not in texts):
            return None
        self.place += 1
        return token

    def must(self, kind: str, text: str, meant: str) -> _Token:
        token = self.take(kind, text) if text else self.take(kind)
        if token is None:
            found = f"“{self.now.text}” stands" if self.now.text else "the expression ends"
            raise ExpressionError(f"Here {meant} is expected; {found}", self.now.at)
        return token

    def expression(self) -> Node:
        self.depth += 1
        if self.depth > DEPTH_MAX:
            raise ExpressionError(f"More than {DEPTH_MAX} levels of brackets can't be read", self.now.at)
        start = self.take("word", "if")
        if start is None:
            tree = self.joined("or", lambda: self.joined("and", self.negated))
        else:
            condition = self.expression()
            self.must("word", "then", "“then”")
            first = self.expression()
            self.must("word", "else", "“else”")
            tree = Condition((condition, first, self.expression()), start.at)
        self.depth -= 1
        return tree

    def joined(self, word: str, part) -> Node:  # type: ignore[no-untyped-def]
        tree: Node = part()
        while token := self.take("word", word):
            tree = Operation(word, (tree, part()), token.at)
        return tree

    def negated(self) -> Node:
        nots = []
        while token := self.take("word", "not"):
            nots.append(token)
        tree = self.comparison()
        for token in reversed(nots):
            tree = Operation("not", (tree,), token.at)
        return tree

    def comparison(self) -> Node:
        left = self.sum()
        token = self.take("mark", *_COMPARISONS)
        if token is None:
            return left
        right = self.sum()
        if self.take("word", "within"):
            return Operation(token.text, (left, right, self.sum()), token.at)
        return Operation(token.text, (left, right), token.at)

    def sum(self) -> Node:
        return self.chain(("+", "−", "&"), lambda: self.chain(("×", "÷"), self.signed))

    def chain(self, signs: tuple[str, ...], part) -> Node:  # type: ignore[no-untyped-def]
        tree: Node = part()
        while token := self.take("mark", *signs):
            tree = Operation(token.text, (tree, part()), token.at)
        return tree

    def signed(self) -> Node:
        minuses = []
        while token := self.take("mark", "−"):
            minuses.append(token)
        tree = self.primary()
        for token in reversed(minuses):
            tree = Operation("−", (tree,), token.at)
        return tree

    def primary(self) -> Node:
        if token := self.take("number"):
            return Literal(Decimal(token.text), token.at)
        if token := self.take("text"):
            return Literal(token.text[1:-1], token.at)
        if token := self.take("word", "true", "false"):
            return Literal(token.text == "true", token.at)
        if token := self.take("name"):
            return self.call(token) if self.take("mark", "(") else Name(token.text, token.at)
        self.must("mark", "(", "a field, a number, a text or a bracket")
        tree = self.expression()
        self.must("mark", ")", "a closing bracket")
        return tree

    def call(self, name: _Token) -> Node:
        parts: list[Node] = []
        if not self.take("mark", ")"):
            parts.append(self.expression())
            while self.take("mark", ","):
                parts.append(self.expression())
            self.must("mark", ")", "a comma or a closing bracket")
        return Call(name.text, tuple(parts), name.at)


def names_in(tree: Node) -> list[str]:
    """Keys of the fields an expression names, in their order, each once."""
    return list(dict.fromkeys(node.key for node in _nodes(tree) if isinstance(node, Name)))


def calls_in(tree: Node) -> set[str]:
    """Names of the functions an expression calls."""
    return {node.function for node in _nodes(tree) if isinstance(node, Call)}


def _nodes(tree: Node) -> list[Node]:
    """A tree's nodes, each before its parts."""
    found: list[Node] = []
    waiting: list[Node] = [tree]
    while waiting:
        node = waiting.pop(0)
        found.append(node)
        if not isinstance(node, Name | Literal):
            waiting = [*node.parts, *waiting]
    return found


def renamed(text: str, keys: dict[str, str]) -> str:
    """An expression's text with names changed (key → new key), letters else untouched."""
    places = [(token.at, token.text) for token in _tokens(text) if token.kind == "name" and token.text in keys]
    for at, name in reversed(places):
        text = text[:at] + keys[name] + text[at + len(name) :]
    return text
