"""The small language of conditions and requirements: comparisons, `and or not in`, arithmetic, names and literals.

An expression is data: it evaluates itself on a configuration, says which parameters it names and writes itself down.
There are no calls and no attributes, so nothing that a plan file says can run code.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Literal

from pellux.core.space.values import Value, same, word

EPSILON = 1e-9  # how far a comparison of equals counts as broken

# Binding strength, weakest first; a child that binds weaker than its parent is written in brackets.
OR, AND, NOT, COMPARE, SUM, PRODUCT, SIGN, POWER, ATOM = range(9)


class Inactive(Exception):
    """The expression names a parameter that has no value in this configuration."""


class Senseless(Exception):
    """The expression has no value here: text in arithmetic, a division by zero."""


@dataclass(frozen=True)
class Literally:
    """A value as it is written."""

    value: Value
    strength = ATOM

    def evaluate(self, configuration: Mapping[str, Value]) -> Value:
        return self.value

    def children(self) -> tuple[Expression, ...]:
        return ()

    def __str__(self) -> str:
        return word(self.value)


@dataclass(frozen=True)
class Name:
    """A parameter, or a bare word of a choice when no parameter has that name (decided when the space is made)."""

    name: str
    strength = ATOM

    def evaluate(self, configuration: Mapping[str, Value]) -> Value:
        if self.name not in configuration:
            raise Inactive(self.name)
        return configuration[self.name]

    def children(self) -> tuple[Expression, ...]:
        return ()

    def __str__(self) -> str:
        return self.name


@dataclass(frozen=True)
class Arithmetic:
    """Two numbers under +, -, *, / or **."""

    operator: str
    left: Expression
    right: Expression

    @property
    def strength(self) -> int:
        return {"+": SUM, "-": SUM, "*": PRODUCT, "/": PRODUCT, "**": POWER}[self.operator]

    def evaluate(self, configuration: Mapping[str, Value]) -> Value:
        left, right = _figure(self.left, configuration), _figure(self.right, configuration)
        try:
            found = {"+": _add, "-": _subtract, "*": _multiply, "/": _divide, "**": _power}[self.operator](left, right)
        except (ZeroDivisionError, OverflowError) as error:
            raise Senseless(f"'{self}' has no value: {error}") from None
        if isinstance(found, complex) or not math.isfinite(found):
            raise Senseless(f"'{self}' has no finite value")
        return found

    def children(self) -> tuple[Expression, ...]:
        return self.left, self.right

    def __str__(self) -> str:
        lifted = 1 if self.operator == "**" else 0  # powers bind to the right, the others to the left
        left = _bracketed(self.left, self.strength + lifted)
        return f"{left} {self.operator} {_bracketed(self.right, self.strength + 1 - lifted)}"


@dataclass(frozen=True)
class Negative:
    """A number with its sign turned."""

    inner: Expression
    strength = SIGN

    def evaluate(self, configuration: Mapping[str, Value]) -> Value:
        return -_figure(self.inner, configuration)

    def children(self) -> tuple[Expression, ...]:
        return (self.inner,)

    def __str__(self) -> str:
        return f"-{_bracketed(self.inner, SIGN)}"


@dataclass(frozen=True)
class Comparison:
    """Two values compared; those that are not of one kind are never equal."""

    operator: Literal["==", "!=", "<", "<=", ">", ">="]
    left: Expression
    right: Expression
    strength = COMPARE

    def evaluate(self, configuration: Mapping[str, Value]) -> bool:
        left, right = self.left.evaluate(configuration), self.right.evaluate(configuration)
        if self.operator in ("==", "!="):
            return same(left, right) == (self.operator == "==")
        return self._excess(_number(self.left, left), _number(self.right, right)) <= 0

    def violation(self, configuration: Mapping[str, Value]) -> float:
        if self.evaluate(configuration):
            return 0.0
        left, right = self.left.evaluate(configuration), self.right.evaluate(configuration)
        if isinstance(left, str) or isinstance(right, str) or self.operator == "!=":
            return 1.0
        distance = abs(left - right) if self.operator == "==" else self._excess(left, right)
        return EPSILON + distance / (EPSILON + abs(left) + abs(right))

    def _excess(self, left: float, right: float) -> float:
        """How far the comparison is from holding; 0 or less when it holds."""
        gap = left - right if self.operator in ("<", "<=") else right - left
        return gap if self.operator in ("<=", ">=") or gap != 0 else EPSILON

    def children(self) -> tuple[Expression, ...]:
        return self.left, self.right

    def __str__(self) -> str:
        return f"{_bracketed(self.left, SUM)} {self.operator} {_bracketed(self.right, SUM)}"


@dataclass(frozen=True)
class Member:
    """`name in (a, b)` or `name not in (a, b)`."""

    item: Expression
    options: tuple[Expression, ...]
    negated: bool = False
    strength = COMPARE

    def evaluate(self, configuration: Mapping[str, Value]) -> bool:
        item = self.item.evaluate(configuration)
        return any(same(item, option.evaluate(configuration)) for option in self.options) != self.negated

    def violation(self, configuration: Mapping[str, Value]) -> float:
        return 0.0 if self.evaluate(configuration) else 1.0

    def children(self) -> tuple[Expression, ...]:
        return self.item, *self.options

    def __str__(self) -> str:
        options = ", ".join(str(option) for option in self.options)
        return f"{_bracketed(self.item, SUM)} {'not in' if self.negated else 'in'} ({options})"


@dataclass(frozen=True)
class Not:
    """The opposite of a truth."""

    inner: Expression
    strength = NOT

    def evaluate(self, configuration: Mapping[str, Value]) -> bool:
        return not _truth(self.inner, configuration)

    def violation(self, configuration: Mapping[str, Value]) -> float:
        return 0.0 if self.evaluate(configuration) else 1.0

    def children(self) -> tuple[Expression, ...]:
        return (self.inner,)

    def __str__(self) -> str:
        return f"not {_bracketed(self.inner, NOT)}"


@dataclass(frozen=True)
class Junction:
    """`and` or `or` of two or more."""

    operator: Literal["and", "or"]
    parts: tuple[Expression, ...]

    @property
    def strength(self) -> int:
        return AND if self.operator == "and" else OR

    def evaluate(self, configuration: Mapping[str, Value]) -> bool:
        """Whatever the order of its parts: one that decides by itself does so although another has no value."""
        decides, without = self.operator == "or", list[Inactive | Senseless]()
        for part in self.parts:
            try:
                if _truth(part, configuration) == decides:
                    return decides
            except (Inactive, Senseless) as missing:
                without.append(missing)
        if without:
            raise next((missing for missing in without if isinstance(missing, Inactive)), without[0])
        return not decides

    def violation(self, configuration: Mapping[str, Value]) -> float:
        found = [violation(part, configuration) for part in self.parts]
        return sum(found) if self.operator == "and" else min(found)

    def children(self) -> tuple[Expression, ...]:
        return self.parts

    def __str__(self) -> str:
        return f" {self.operator} ".join(_bracketed(part, self.strength + 1) for part in self.parts)


Expression = Literally | Name | Arithmetic | Negative | Comparison | Member | Not | Junction


def holds(expression: Expression, configuration: Mapping[str, Value]) -> bool:
    """Whether a condition is true; one that names an inactive parameter is not."""
    try:
        return _truth(expression, configuration)
    except (Inactive, Senseless):
        return False


def violation(expression: Expression, configuration: Mapping[str, Value]) -> float:
    """How far a requirement is from being met, 0 when it is; one that names an inactive parameter asks nothing."""
    try:
        if isinstance(expression, (Comparison, Member, Not, Junction)):
            return expression.violation(configuration)
        return 0.0 if _truth(expression, configuration) else 1.0
    except Inactive:
        return 0.0
    except Senseless:
        return 1.0


def names(expression: Expression) -> list[str]:
    """The parameters that an expression names, in order, each once."""
    return list(dict.fromkeys(node.name for node in walk(expression) if isinstance(node, Name)))


def walk(expression: Expression) -> Iterator[Expression]:
    """An expression and all that it is made of, from the outside in."""
    yield expression
    for child in expression.children():
        yield from walk(child)


def with_words(expression: Expression, parameters: frozenset[str]) -> Expression:
    """The expression with every bare word that names no parameter turned into a text."""
    match expression:
        case Name(name=name):
            return expression if name in parameters else Literally(name)
        case Arithmetic(operator=operator, left=left, right=right):
            return Arithmetic(operator, with_words(left, parameters), with_words(right, parameters))
        case Comparison(operator=operator, left=left, right=right):
            return Comparison(operator, with_words(left, parameters), with_words(right, parameters))
        case Negative(inner=inner):
            return Negative(with_words(inner, parameters))
        case Not(inner=inner):
            return Not(with_words(inner, parameters))
        case Member(item=item, options=options, negated=negated):
            return Member(with_words(item, parameters), tuple(with_words(o, parameters) for o in options), negated)
        case Junction(operator=operator, parts=parts):
            return Junction(operator, tuple(with_words(part, parameters) for part in parts))
    return expression


def _bracketed(expression: Expression, least: int) -> str:
    return f"({expression})" if expression.strength < least else str(expression)


def _truth(expression: Expression, configuration: Mapping[str, Value]) -> bool:
    found = expression.evaluate(configuration)
    if not isinstance(found, bool):
        raise Senseless(f"'{expression}' is neither true nor false")
    return found


def _number(expression: Expression, value: Value) -> float:
    if isinstance(value, (bool, str)):
        raise Senseless(f"'{expression}' is {word(value)}, not a number")
    return value


def _figure(expression: Expression, configuration: Mapping[str, Value]) -> float:
    return _number(expression, expression.evaluate(configuration))


def _add(left: float, right: float) -> float:
    return left + right


def _subtract(left: float, right: float) -> float:
    return left - right


def _multiply(left: float, right: float) -> float:
    return left * right


def _divide(left: float, right: float) -> float:
    return left / right


def _power(left: float, right: float) -> float:
    if abs(right) > 64:  # 9 ** 9 ** 9 would never come back
        raise OverflowError("the exponent is above 64")
    found: float = float(left) ** right
    return found
