"""Reads and writes space notation (grammar: notation.ebnf beside this file)."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from pellux.core.errors import InvalidSpace, NotationError
from pellux.core.space.distributions import FAMILIES, Distributed
from pellux.core.space.expression_reader import ExpressionReader
from pellux.core.space.expressions import Expression
from pellux.core.space.feasibility import verify
from pellux.core.space.limits import MOST_CHARACTERS
from pellux.core.space.parameters import Choice, Fixed, Integer, Parameter, Real, YesNo
from pellux.core.space.space import Space
from pellux.core.space.tokens import RESERVED, Token, tokens
from pellux.core.space.values import Value, word

AFTER_RANGE = "'int', 'log', 'step', 'levels', 'start', 'costly', 'if' or the end of the line"
AFTER_CHOICE = "'|', '*', 'start', 'if' or the end of the line"
AFTER_FIXED = "'..', '|', 'if' or the end of the line"


@lru_cache(maxsize=256)
def parse(text: str) -> Space:
    """The space that a text in space notation describes; NotationError or InvalidSpace where it describes none."""
    if len(text) > MOST_CHARACTERS:
        raise InvalidSpace(f"The space has {len(text):,} characters; at most {MOST_CHARACTERS:,} are read.")
    found: list[Parameter] = []
    requirements: list[Expression] = []
    places: dict[str, _Line] = {}
    for number, source in enumerate(text.replace("\r\n", "\n").split("\n"), 1):
        line = _Line(source, number)
        if line.peek().kind == "end":
            continue
        if line.peek().text == "require":
            requirements.append(line.requirement())
            places.setdefault("require", line)
            continue
        parameter = line.parameter()
        if parameter.name in places:
            raise NotationError(
                f"'{parameter.name}' is defined on an earlier line.", line=number, column=line.first.column, source=source
            )
        places[parameter.name] = line
        found.append(parameter)
    return _checked(found, requirements, places)


def _checked(found: list[Parameter], requirements: list[Expression], places: dict[str, _Line]) -> Space:
    """The space; what is wrong between its lines is told with the line it shows on."""
    try:
        return verify(Space(tuple(found), tuple(requirements)))
    except NotationError:
        raise
    except InvalidSpace as error:
        line = places.get(error.at or "")
        if line is None:
            raise
        raise line.fail(error.message, line.clause or line.first) from None


def write(space: Space) -> str:
    """A space in space notation, one aligned line a parameter; `parse(write(space)) == space`."""
    width = max((len(p.name) for p in space.parameters), default=0) + 1
    lines = [f"{p.name + ':':<{width}} {write_parameter(p)}\n" for p in space.parameters]
    return "".join(lines + [f"require {requirement}\n" for requirement in space.requirements])


def write_parameter(parameter: Parameter) -> str:
    """What stands behind a parameter's name in space notation."""
    return _domain(parameter) + _suffix(parameter)


class _Line(ExpressionReader):
    """A recursive-descent parser over the tokens of one line."""

    def __init__(self, source: str, number: int) -> None:
        super().__init__(tokens(source, number), source, number)
        self.first = self.peek()
        self.clause: Token | None = None  # where a condition or requirement begins

    def requirement(self) -> Expression:
        self.take()
        self.clause = self.peek()
        found = self.expression()
        if self.peek().kind != "end":
            raise self.unexpected_in_expression()
        return found

    def parameter(self) -> Parameter:
        name = self.take()
        if name.kind != "word" or name.text in RESERVED or not name.text.isidentifier():
            raise self.fail(f"{name} cannot name a parameter.", name, "a name such as rate, or 'require'")
        if not self.accept(":"):
            raise self.fail(f"After the name stands {self.peek()}.", self.peek(), "':'")
        domain = self.peek()
        try:
            return self._domain(name.text)
        except NotationError:
            raise
        except InvalidSpace as error:
            raise self.fail(error.message, domain) from None

    def _domain(self, name: str) -> Parameter:
        at = self.peek()
        if at.text == "~":
            return self._distribution(name)
        first = self._literal("a number, a word, a quoted text or '~'")
        if self.peek().kind == "dots":
            return self._range(name, first, at)
        if self.peek().text in ("|", "*"):
            return self._choice(name, first)
        return Fixed(name=name, value=first, **self._qualifiers(AFTER_FIXED))

    def _distribution(self, name: str) -> Parameter:
        self.take()
        family = self.take()
        if family.text not in FAMILIES:
            raise self.fail(f"{family} is no distribution known here.", family, ", ".join(FAMILIES))
        self.need("(", "'('")
        arguments = [float(self._figure("a number"))]
        while self.accept(","):
            arguments.append(float(self._figure("a number")))
        self.need(")", "',' or ')'")
        more = self._qualifiers("'levels', 'start', 'costly', 'if' or the end of the line", ("levels",))
        return Distributed(name=name, family=family.text, arguments=tuple(arguments), **_real_start(more))

    def _literal(self, expected: str) -> Value:
        token = self.peek()
        if token.kind == "number" or token.text in ("+", "-"):
            return self._figure(expected)
        self.take()
        if token.kind == "string":
            return self.quoted(token)
        if token.kind == "word" and token.text not in RESERVED:
            return {"yes": True, "no": False}.get(token.text, token.text)
        raise self.fail(f"{token} is not a value.", token, expected)

    def _figure(self, expected: str) -> float | int:
        """A number with its sign."""
        sign = self.take().text if self.peek().text in ("+", "-") else ""
        token = self.take()
        if token.kind != "number":
            raise self.fail(f"{token} is not a number.", token, expected)
        return number(sign + token.text)

    def _range(self, name: str, low: Value, at: Token) -> Parameter:
        if isinstance(low, (str, bool)):
            raise self.fail(f"A range begins with a number, not with {at}.", at, "a number")
        self.take()
        last = self.peek()
        if last.kind != "number" and last.text not in ("+", "-"):
            raise self.fail(f"A range ends with a number, not with {last}.", last, "a number")
        high = self._figure("a number")
        more = self._qualifiers(AFTER_RANGE, ("int", "log", "step", "levels"))
        if not more.pop("int", False):
            step = more.pop("step", None)
            return Real(
                name=name, low=float(low), high=float(high), step=None if step is None else float(step), **_real_start(more)
            )
        for end in (low, high, more.get("step")):
            if isinstance(end, float) and not end.is_integer():
                raise self.fail(f"{name}: an int range takes whole numbers. Got {end:g}.", at)
        step = more.pop("step", None)
        return Integer(name=name, low=int(low), high=int(high), step=None if step is None else int(step), **more)

    def _qualifiers(self, follows: str, marks: tuple[str, ...] = ()) -> dict[str, Any]:
        """What may stand after a domain, each at most once, in any order; a condition ends the line."""
        found: dict[str, Any] = {}
        while True:
            comma = self.accept(",")
            token = self.peek()
            if token.text in found or token.text not in (*marks, "start", "costly", "if") or token.kind != "word":
                if token.kind == "end" and not comma:
                    return found
                raise self.fail(f"{token} does not fit here.", token, follows)
            self.take()
            if token.text in ("int", "log", "costly"):
                found[token.text] = True
            elif token.text == "step":
                found["step"] = self._figure("a number")
            elif token.text == "levels":
                found["levels"] = self._whole()
            elif token.text == "start":
                found["start"] = self._literal("the first value to try")
            else:
                self.clause = self.peek()
                found["condition"] = self.expression()
                if self.peek().kind != "end":
                    raise self.unexpected_in_expression()

    def _whole(self) -> int:
        token = self.take()
        if token.kind != "number" or not token.text.isdigit():
            raise self.fail(f"'levels' is followed by {token}.", token, "a whole number")
        return int(token.text)

    def _choice(self, name: str, first: Value) -> Parameter:
        options, weights = [first], [self._weight()]
        while self.accept("|"):
            options.append(self._literal("a number, a word or a quoted text"))
            weights.append(self._weight())
        kind = YesNo if {type(option) for option in options} == {bool} and len(options) == 2 else Choice
        return kind(name=name, options=tuple(options), weights=tuple(weights), **self._qualifiers(AFTER_CHOICE))

    def _weight(self) -> float:
        if not self.accept("*"):
            return 1.0
        token = self.peek()
        if token.kind != "number" and token.text not in ("+", "-"):
            raise self.fail(f"A weight is a number, not {token}.", token, "a number above 0")
        weight = float(self._figure("a number above 0"))
        if not weight > 0:
            raise self.fail(f"A weight must be above 0. Got {weight:g}.", token, "a number above 0")
        return weight


def number(text: str) -> float | int:
    """A number as it was written: whole ones stay whole."""
    return int(text) if text.lstrip("+-").isdigit() else float(text)


def _real_start(found: dict[str, Any]) -> dict[str, Any]:
    """The start of a real parameter is a float, also when it was written as a whole number."""
    start = found.get("start")
    return {**found, "start": float(start)} if isinstance(start, int) and not isinstance(start, bool) else found


def _domain(parameter: Parameter) -> str:
    match parameter:
        case Integer() | Real():
            step = "" if parameter.step is None else f" step {_figure(parameter.step)}"
            kind = " int" if isinstance(parameter, Integer) else ""
            log = " log" if parameter.log else ""
            return f"{_figure(parameter.low)} .. {_figure(parameter.high)}{kind}{log}{step}{_levels(parameter.levels)}"
        case Distributed():
            arguments = ", ".join(_figure(a) for a in parameter.arguments)
            return f"~ {parameter.family}({arguments}){_levels(parameter.levels)}"
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


def _levels(levels: int | None) -> str:
    return "" if levels is None else f" levels {levels}"


def _suffix(parameter: Parameter) -> str:
    start = "" if parameter.start is None else f", start {_start(parameter)}"
    costly = ", costly" if parameter.costly else ""
    condition = "" if parameter.condition is None else f" if {parameter.condition}"
    return start + costly + condition


def _start(parameter: Parameter) -> str:
    value = parameter.start
    return _figure(value) if isinstance(parameter, (Real, Distributed)) and isinstance(value, float) else word(value)  # type: ignore[arg-type]
