"""An expression as a tree: what the parser makes of the tokens.

either   = both ("or" both)*
both     = compared ("and" compared)*
compared = sum (("<" | "<=" | ">" | ">=" | "=" | "!=") sum)?
sum      = product (("+" | "-") product)*
product  = signed (("*" | "/") signed)*
signed   = ("-" | "+" | "not") signed | power
power    = plain ("^" signed)?
plain    = number [unit] | channel | name | name "(" either ("," either)* ")" | "(" either ")"
"""

from dataclasses import dataclass

from tidybench.core.expression.tokens import ExpressionError, Lexeme, tokens

DEEPEST = 60
"""Brackets and functions within each other."""


@dataclass(slots=True, frozen=True)
class Number:
    column: int
    value: float
    unit: str | None = None


@dataclass(slots=True, frozen=True)
class ChannelRef:
    column: int
    id: str


@dataclass(slots=True, frozen=True)
class Signed:
    """`sign`: - or not."""

    column: int
    sign: str
    of: "Node"


@dataclass(slots=True, frozen=True)
class Pair:
    """Two sides and the sign (or word) between them, which stands at `column`."""

    column: int
    sign: str
    left: "Node"
    right: "Node"


@dataclass(slots=True, frozen=True)
class Call:
    column: int
    name: str
    arguments: tuple["Node", ...]


@dataclass(slots=True, frozen=True)
class UnitName:
    """A unit in brackets as an argument: in(x, [K])."""

    column: int
    unit: str


Node = Number | ChannelRef | Signed | Pair | Call | UnitName

COMPARISONS = ("<", "<=", ">", ">=", "=", "!=")
WORDS = ("and", "or", "not")


def parse(text: str) -> Node:
    """The tree of an expression. Raises ExpressionError."""
    return _Parser(tokens(text)).whole()


class _Parser:
    def __init__(self, found: list[Lexeme]) -> None:
        self._tokens = found
        self._at = 0
        self._depth = 0

    @property
    def _next(self) -> Lexeme:
        return self._tokens[self._at]

    def _take(self) -> Lexeme:
        token = self._next
        self._at += token.kind != "end"
        return token

    def _is(self, *texts: str) -> bool:
        return self._next.kind in ("sign", "name") and self._next.text in texts

    def whole(self) -> Node:
        if self._next.kind == "end":
            raise ExpressionError(1, "the expression is empty: say what it is calculated from")
        node = self._either()
        token = self._next
        if token.kind != "end":
            if token.kind == "sign" and token.text == ")":
                raise ExpressionError(token.column, "unmatched closing bracket")
            if token.kind == "sign" and token.text in COMPARISONS:
                raise ExpressionError(token.column, "one comparison at a time; join two with “and”")
            before = self._tokens[self._at - 1]
            if before.kind == "number" and token.kind == "name":
                raise ExpressionError(
                    token.column, f"a unit stands in brackets: {before.text} [{token.text}]"
                )
            raise ExpressionError(
                token.column, f"between this and what stands before, a sign is missing ({_shown(token)})"
            )
        return node

    def _either(self) -> Node:
        node = self._both()
        while self._is("or"):
            token = self._take()
            node = Pair(token.column, "or", node, self._both())
        return node

    def _both(self) -> Node:
        node = self._compared()
        while self._is("and"):
            token = self._take()
            node = Pair(token.column, "and", node, self._compared())
        return node

    def _compared(self) -> Node:
        node = self._sum()
        if self._is(*COMPARISONS):
            token = self._take()
            node = Pair(token.column, token.text, node, self._sum())
        return node

    def _sum(self) -> Node:
        node = self._product()
        while self._is("+", "-"):
            token = self._take()
            node = Pair(token.column, token.text, node, self._product())
        return node

    def _product(self) -> Node:
        node = self._signed()
        while self._is("*", "/"):
            token = self._take()
            node = Pair(token.column, token.text, node, self._signed())
        return node

    def _signed(self) -> Node:
        if self._is("-", "+", "not"):
            token = self._take()
            self._deeper(token)
            inner = self._signed()
            self._depth -= 1
            return inner if token.text == "+" else Signed(token.column, token.text, inner)
        return self._power()

    def _power(self) -> Node:
        node = self._plain()
        if self._is("^"):
            token = self._take()
            self._deeper(token)
            node = Pair(token.column, "^", node, self._signed())
            self._depth -= 1
        return node

    def _plain(self) -> Node:
        token = self._take()
        if token.kind == "number":
            unit = self._take().text if self._next.kind == "unit" else None
            value = float(token.text)
            if value - value != 0.0:
                raise ExpressionError(token.column, f"{token.text} is too large a number")
            return Number(token.column, value, unit)
        if token.kind == "channel":
            return ChannelRef(token.column, token.text)
        if token.kind == "unit":
            return UnitName(token.column, token.text)
        if token.kind == "name" and token.text not in WORDS:
            if not self._is("("):
                return ChannelRef(token.column, token.text)
            self._take()
            return Call(token.column, token.text, self._arguments(token))
        if token.kind == "sign" and token.text == "(":
            self._deeper(token)
            node = self._either()
            self._close(token)
            self._depth -= 1
            return node
        if token.kind == "end":
            raise ExpressionError(token.column, "the expression ends where a number or a channel is expected")
        raise ExpressionError(token.column, f"a number or a channel is expected, not {_shown(token)}")

    def _arguments(self, name: Lexeme) -> tuple[Node, ...]:
        self._deeper(name)
        found: list[Node] = []
        if not self._is(")"):
            found.append(self._either())
            while self._is(","):
                self._take()
                found.append(self._either())
        self._close(name)
        self._depth -= 1
        return tuple(found)

    def _close(self, opened: Lexeme) -> None:
        token = self._take()
        if token.kind != "sign" or token.text != ")":
            if token.kind == "end":
                raise ExpressionError(opened.column, "the bracket that opens here is not closed")
            raise ExpressionError(
                token.column, f"a sign or a closing bracket is expected, not {_shown(token)}"
            )

    def _deeper(self, token: Lexeme) -> None:
        self._depth += 1
        if self._depth > DEEPEST:
            raise ExpressionError(token.column, f"more than {DEEPEST} brackets within each other")


def _shown(token: Lexeme) -> str:
    if token.kind == "unit":
        return f"[{token.text}]"
    return f"“{token.text}”" if token.text else "the end"


def channels_in(node: Node) -> list[ChannelRef]:
    """The channels it names, in the order they stand in."""
    if isinstance(node, ChannelRef):
        return [node]
    if isinstance(node, Signed):
        return channels_in(node.of)
    if isinstance(node, Pair):
        return channels_in(node.left) + channels_in(node.right)
    if isinstance(node, Call):
        return [one for argument in node.arguments for one in channels_in(argument)]
    return []
