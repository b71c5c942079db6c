"""Reads and writes space notation (grammar: notation.ebnf beside this file)."""

from __future__ import annotations

import json

from pellux.core.errors import InvalidSpace, NotationError
from pellux.core.space.parameters import Choice, Fixed, Integer, Parameter, Real, Value, YesNo
from pellux.core.space.space import Space
from pellux.core.space.tokens import RESERVED, Token, tokens

LATER = {
    "if": "conditions",
    "require": "requirements",
    "~": "distributions",
    "start": "start values",
    "costly": "costly marks",
}


def parse(text: str) -> Space:
    """The space that a text in space notation describes; NotationError or InvalidSpace where it describes none."""
    found: list[Parameter] = []
    for number, source in enumerate(text.replace("\r\n", "\n").split("\n"), 1):
        line = _Line(source, number)
        if line.peek().kind == "end":
            continue
        parameter = line.parameter()
        if any(parameter.name == earlier.name for earlier in found):
            raise NotationError(
                f"'{parameter.name}' is defined on an earlier line.", line=number, column=line.first.column, source=source
            )
        found.append(parameter)
    return Space(tuple(found))


def write(space: Space) -> str:
    """A space in space notation, one aligned line a parameter; `parse(write(space)) == space`."""
    width = max((len(p.name) for p in space.parameters), default=0) + 1
    return "".join(f"{p.name + ':':<{width}} {_domain(p)}\n" for p in space.parameters)


class _Line:
    """A recursive-descent parser over the tokens of one line."""

    def __init__(self, source: str, number: int) -> None:
        self.source, self.number = source, number
        self.tokens = tokens(source, number)
        self.place = 0
        self.first = self.tokens[0]

    def peek(self) -> Token:
        return self.tokens[self.place]

    def take(self) -> Token:
        token = self.tokens[self.place]
        self.place = min(self.place + 1, len(self.tokens) - 1)
        return token

    def fail(self, problem: str, token: Token, expected: str = "") -> NotationError:
        return NotationError(problem, line=self.number, column=token.column, source=self.source, expected=expected)

    def accept(self, text: str) -> bool:
        if self.peek().text == text and self.peek().kind in ("mark", "dots", "word"):
            self.take()
            return True
        return False

    def parameter(self) -> Parameter:
        name = self.take()
        if name.text in LATER:
            raise self._later(name)
        if name.kind != "word" or name.text in RESERVED or not name.text.isidentifier():
            raise self.fail(f"{name} cannot name a parameter.", name, "a name such as rate")
        if not self.accept(":"):
            raise self.fail(f"After the name stands {self.peek()}.", self.peek(), "':'")
        domain = self.peek()
        try:
            parameter = self._domain(name.text)
        except NotationError:
            raise
        except InvalidSpace as error:
            raise self.fail(error.message, domain) from None
        rest = self.peek()
        if rest.kind != "end":
            raise self._later(rest) if rest.text in LATER else self._unexpected(rest, parameter)
        return parameter

    def _unexpected(self, token: Token, parameter: Parameter) -> NotationError:
        follows = {
            Real: "'int', 'log', 'step' or the end of the line",
            Integer: "'int', 'log', 'step' or the end of the line",
            Fixed: "'..', '|' or the end of the line",
        }
        return self.fail(f"{token} does not fit here.", token, follows.get(type(parameter), "'|' or the end of the line"))

    def _later(self, token: Token) -> NotationError:
        return self.fail(f"'{token.text}' is reserved: {LATER[token.text]} are not available in this version.", token)

    def _domain(self, name: str) -> Parameter:
        if self.peek().text == "~":
            raise self._later(self.peek())
        at = self.peek()
        first = self._literal("a number, a word or a quoted text")
        if self.peek().kind == "dots":
            return self._range(name, first, at)
        if self.peek().text in ("|", "*"):
            return self._choice(name, first)
        return Fixed(name=name, value=first)

    def _literal(self, expected: str) -> Value:
        token = self.take()
        if token.kind == "number":
            return _number(token.text)
        if token.kind == "string":
            return str(json.loads(token.text))
        if token.kind == "word" and token.text not in RESERVED:
            return {"yes": True, "no": False}.get(token.text, token.text)
        raise self.fail(f"{token} is not a value.", token, expected)

    def _range(self, name: str, low: Value, at: Token) -> Parameter:
        if isinstance(low, (str, bool)):
            raise self.fail(f"A range begins with a number, not with {at}.", at, "a number")
        self.take()
        token = self.take()
        if token.kind != "number":
            raise self.fail(f"A range ends with a number, not with {token}.", token, "a number")
        return self._qualified(name, low, _number(token.text), at)

    def _qualified(self, name: str, low: float, high: float, at: Token) -> Parameter:
        whole, log, step = False, False, None
        while True:
            comma = self.accept(",")
            token = self.peek()
            if token.text == "int" and not whole:
                whole = bool(self.take())
            elif token.text == "log" and not log:
                log = bool(self.take())
            elif token.text == "step" and step is None:
                self.take()
                size = self.take()
                if size.kind != "number":
                    raise self.fail(f"'step' is followed by {size}.", size, "a number")
                step = _number(size.text)
            elif comma and token.text not in LATER:
                raise self.fail(f"After the comma stands {token}.", token, "'int', 'log' or 'step'")
            else:
                break
        if not whole:
            return Real(name=name, low=float(low), high=float(high), log=log, step=None if step is None else float(step))
        for end in (low, high, step):
            if isinstance(end, float) and not end.is_integer():
                raise self.fail(f"{name}: an int range takes whole numbers. Got {end:g}.", at)
        return Integer(name=name, low=int(low), high=int(high), log=log, step=None if step is None else int(step))

    def _choice(self, name: str, first: Value) -> Parameter:
        options, weights = [first], [self._weight()]
        while self.accept("|"):
            options.append(self._literal("a number, a word or a quoted text"))
            weights.append(self._weight())
        if {type(option) for option in options} == {bool} and len(options) == 2:
            return YesNo(name=name, options=tuple(options), weights=tuple(weights))
        return Choice(name=name, options=tuple(options), weights=tuple(weights))

    def _weight(self) -> float:
        if not self.accept("*"):
            return 1.0
        token = self.take()
        if token.kind != "number":
            raise self.fail(f"A weight is a number, not {token}.", token, "a number above 0")
        weight = float(token.text)
        if not weight > 0:
            raise self.fail(f"A weight must be above 0. Got {token.text}.", token, "a number above 0")
        return weight


def _number(text: str) -> float | int:
    return int(text) if text.lstrip("+-").isdigit() else float(text)


def _domain(parameter: Parameter) -> str:
    match parameter:
        case Integer() | Real():
            step = "" if parameter.step is None else f" step {_figure(parameter.step)}"
            kind = " int" if isinstance(parameter, Integer) else ""
            log = " log" if parameter.log else ""
            return f"{_figure(parameter.low)} .. {_figure(parameter.high)}{kind}{log}{step}"
        case Choice():
            return " | ".join(
                word(option) + ("" if weight == 1 else f" *{_figure(weight)}")
                for option, weight in zip(parameter.options, parameter.weights, strict=True)
            )
        case Fixed():
            return word(parameter.value)
    raise TypeError(type(parameter).__name__)


def _figure(number: float) -> str:
    """The shortest text that reads back as the same number; whole reals lose their '.0'."""
    text = repr(number)
    return text[:-2] if text.endswith(".0") else text


def word(value: Value) -> str:
    """A value as space notation writes it."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, (int, float)):
        return repr(value)
    bare = all(part.isidentifier() and part.isascii() for part in value.replace("-", ".").split("."))
    if bare and value not in RESERVED and value not in ("yes", "no"):
        return value
    return json.dumps(value, ensure_ascii=False)
