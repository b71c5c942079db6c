"""Reads the expressions of conditions and requirements from tokens, weakest binding first."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal, cast

from pellux.core.errors import NotationError
from pellux.core.space.expressions import Arithmetic, Comparison, Expression, Junction, Literally, Member, Name, Negative, Not
from pellux.core.space.limits import MOST_TERMS
from pellux.core.space.tokens import RESERVED, Token, quoted, tokens

COMPARISONS = ("==", "!=", "<", "<=", ">", ">=")
OPERAND = "a parameter, a number, a word, a quoted text or '('"
DEEPEST = 60  # brackets within brackets; past it somebody is trying to exhaust the stack


class ExpressionReader:
    """A cursor over the tokens of one line, with the rules of expressions."""

    def __init__(self, found: Sequence[Token], source: str, line: int) -> None:
        self._tokens, self._source, self._line = found, source, line
        self._place = 0
        self._depth = 0
        self._terms = 0

    def peek(self) -> Token:
        return self._tokens[self._place]

    def take(self) -> Token:
        token = self._tokens[self._place]
        self._place = min(self._place + 1, len(self._tokens) - 1)
        return token

    def accept(self, text: str) -> bool:
        if self.peek().text == text and self.peek().kind in ("mark", "dots", "word"):
            self.take()
            return True
        return False

    def need(self, text: str, expected: str) -> None:
        if not self.accept(text):
            raise self.fail(f"{self.peek()} does not fit here.", self.peek(), expected)

    def fail(self, problem: str, token: Token, expected: str = "") -> NotationError:
        problem = f"T{problem[1:]}" if problem.startswith("the ") else problem
        return NotationError(problem, line=self._line, column=token.column, source=self._source, expected=expected)

    def unexpected_in_expression(self) -> NotationError:
        token = self.peek()
        hint = "'==' for equality" if token.text == "=" else "'and', 'or', a comparison, arithmetic or the end of the line"
        if token.text == "(":
            return self.fail("There are no calls in an expression.", token, "'and', 'or', a comparison or arithmetic")
        return self.fail(f"{token} does not fit here.", token, hint)

    def quoted(self, token: Token) -> str:
        try:
            return quoted(token)
        except ValueError:
            raise self.fail("This text cannot be read: an escape that stands for no character.", token) from None

    # Grammar, weakest binding first

    def expression(self) -> Expression:
        return self._junction("or", lambda: self._junction("and", self._negation))

    def _junction(self, word: Literal["and", "or"], part: Callable[[], Expression]) -> Expression:
        parts = [part()]
        while self.accept(word):
            parts.append(part())
        # `a and (b and c)` reads as one junction, so that what is written reads back the same
        flat = [q for p in parts for q in (p.parts if isinstance(p, Junction) and p.operator == word else (p,))]
        return flat[0] if len(flat) == 1 else Junction(word, tuple(flat))

    def _negation(self) -> Expression:
        if self.accept("not"):
            return self._nested(lambda: Not(self._negation()))
        return self._comparison()

    def _comparison(self) -> Expression:
        left = self._sum()
        token = self.peek()
        if token.text in COMPARISONS and token.kind == "mark":
            self.take()
            operator = cast(Literal["==", "!=", "<", "<=", ">", ">="], token.text)
            found = Comparison(operator, left, self._sum())
            if self.peek().text in COMPARISONS:
                raise self.fail("Comparisons do not chain.", self.peek(), "'and' between two comparisons")
            return found
        if token.text == "not" and token.kind == "word":
            self.take()
            self.need("in", "'in'")
            return Member(left, self._options(), negated=True)
        if self.accept("in"):
            return Member(left, self._options())
        return left

    def _options(self) -> tuple[Expression, ...]:
        self.need("(", "'(' and a list of values")
        options = [self._sum()]
        while self.accept(","):
            options.append(self._sum())
        self.need(")", "',' or ')'")
        return tuple(options)

    def _sum(self) -> Expression:
        left = self._product()
        while self.peek().text in ("+", "-") and self.peek().kind == "mark":
            left = Arithmetic(self.take().text, left, self._product())
        return left

    def _product(self) -> Expression:
        left = self._signed()
        while self.peek().text in ("*", "/") and self.peek().kind == "mark":
            left = Arithmetic(self.take().text, left, self._signed())
        return left

    def _signed(self) -> Expression:
        if self.accept("-"):
            inner = self._nested(self._signed)
            literal = isinstance(inner, Literally) and isinstance(inner.value, (int, float)) and not isinstance(inner.value, bool)
            return Literally(-cast(Literally, inner).value) if literal else Negative(inner)  # type: ignore[operator]
        self.accept("+")
        return self._power()

    def _power(self) -> Expression:
        base = self._atom()
        return self._nested(lambda: Arithmetic("**", base, self._signed())) if self.accept("**") else base

    def _atom(self) -> Expression:
        token = self.take()
        self._terms += 1
        if self._terms > MOST_TERMS:
            raise self.fail(f"An expression has at most {MOST_TERMS} names and values.", token)
        if token.text == "(" and token.kind == "mark":
            inner = self._nested(self.expression)
            self.need(")", "')'")
            return inner
        if token.kind == "number":
            return Literally(int(token.text) if token.text.isdigit() else float(token.text))
        if token.kind == "string":
            return Literally(self.quoted(token))
        if token.kind == "word" and token.text not in RESERVED:
            if token.text in ("yes", "no"):
                return Literally(token.text == "yes")
            return Name(token.text) if token.text.isidentifier() else Literally(token.text)
        raise self.fail(f"{token} is not a value.", token, OPERAND)

    def _nested(self, inner: Callable[[], Expression]) -> Expression:
        self._depth += 1
        if self._depth > DEEPEST:
            raise self.fail(f"Expressions nest at most {DEEPEST} deep.", self.peek())
        found = inner()
        self._depth -= 1
        return found


def read_expression(text: str) -> Expression:
    """The expression a text holds, and nothing else."""
    reader = ExpressionReader(tokens(text, 1), text, 1)
    found = reader.expression()
    if reader.peek().kind != "end":
        raise reader.unexpected_in_expression()
    return found
