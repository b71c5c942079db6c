"""Draws that meet the requirements, repair of points that do not, and the refusal of spaces where none can."""

from __future__ import annotations

import numpy as np
from numpy.random import Generator

from pellux.core.errors import InvalidSpace
from pellux.core.space.expressions import (
    Arithmetic,
    Comparison,
    Expression,
    Junction,
    Literally,
    Member,
    Name,
    Negative,
    Not,
    holds,
    names,
    violation,
    walk,
)
from pellux.core.space.parameters import Array, Choice, Fixed, Parameter
from pellux.core.space.space import Configuration, Space
from pellux.core.space.values import Value, same, word

TRIES = 64  # draws before repair
ROUNDS = 40  # passes of a repair
MOST_MOVED = 24  # parameters that one pass tries to move
LARGE = 100  # parameters and requirements past which a space is probed less often: a request has to be answered
PROBES = 400  # draws that look for an active parameter or a met requirement


def draw(space: Space, rng: Generator) -> dict[str, Value]:
    """A random configuration by the priors that meets the requirements, if rejection or repair can find one."""
    found = space.decode(rng.random(space.dimension))
    for _ in range(TRIES if space.requirements else 0):
        if space.fulfils(found):
            return found
        found = space.decode(rng.random(space.dimension))
    return found if space.fulfils(found) else repair(space, found, rng)


def repair(space: Space, configuration: Configuration, rng: Generator) -> dict[str, Value]:
    """A configuration near the given one that breaks the requirements least: no more if it can be helped, by changing
    one parameter at a time among those that a broken requirement names."""
    point = np.nan_to_num(space.encode(configuration), nan=0.5)
    best, broken = dict(configuration), space.violation(configuration)
    for _ in range(ROUNDS):
        if broken == 0:
            break
        named = {n for r in space.requirements if violation(r, best) for n in names(r)}
        places = [space.place[n] for n in sorted(named) if n in space.place]
        if not places:
            break
        many = len(places) > MOST_MOVED
        if many:
            places = sorted(int(i) for i in rng.choice(places, MOST_MOVED, replace=False))
        trial = _changed(point, places, rng)
        candidates = [space.decode(row) for row in trial]
        violations = [space.violation(c) for c in candidates]
        if many:  # one at a time would take as many passes as there are parameters
            trial = np.concatenate([trial, _together(point, places, trial, violations, broken)])
            candidates.append(space.decode(trial[-1]))
            violations.append(space.violation(candidates[-1]))
        place = int(np.argmin(violations))
        if violations[place] < broken:
            point, best, broken = trial[place], candidates[place], violations[place]
    return best


def _together(point: Array, places: list[int], trial: Array, violations: list[float], broken: float) -> Array:
    """Every coordinate where it was best by itself, as far as that was better than before; shape (1, dimension)."""
    merged = point.copy()
    for i, place in enumerate(places):
        own = range(8 * i, 8 * i + 8)
        best = min(own, key=violations.__getitem__)
        if violations[best] < broken:
            merged[place] = trial[best, place]
    return merged[None]


def _changed(point: Array, places: list[int], rng: Generator) -> Array:
    """Copies of a point: one coordinate moved to a fresh place or a little, now and then all of them."""
    rows = []
    for place in places:
        moved = np.repeat(point[None], 8, axis=0)
        moved[:4, place] = rng.random(4)
        moved[4:, place] = np.clip(point[place] + rng.normal(0, [0.02, 0.05, 0.1, 0.2]), 0, 1)
        rows.append(moved)
    all_moved = np.repeat(point[None], 8, axis=0)
    all_moved[:, places] = rng.random((8, len(places)))
    return np.concatenate([*rows, all_moved])


def verify(space: Space) -> Space:
    """The space, or InvalidSpace when an expression makes no sense or nothing can meet it."""
    for parameter in space.parameters:
        if parameter.condition is not None:
            _check_expression(space, parameter.condition, parameter.name)
    for requirement in space.requirements:
        _check_expression(space, requirement, "require")
    if space.conditional:
        _check_reached(space)
    if space.requirements:
        _check_satisfiable(space)
    return space


def _check_reached(space: Space) -> None:
    rng = np.random.default_rng(0)
    seen: set[str] = set()
    wanted = {p.name for p in space.parameters}
    for _ in range(PROBES):
        seen |= set(space.decode(rng.random(space.dimension)))
        if seen == wanted:
            return
    for parameter in reversed(space.order):  # the innermost first: whoever reaches one of them saw all before it
        if parameter.name not in seen:
            reached = _quick(space, parameter, rng)
            seen |= set(reached)
            if parameter.name not in reached:
                break
    for parameter in space.order:  # the outermost first: those behind one that is never reached only follow
        if parameter.name not in seen:
            reached = _reach(space, parameter, rng)
            if parameter.name not in reached:
                raise InvalidSpace(
                    f"{parameter.name}: its condition '{parameter.condition}' is never true in this space.", at=parameter.name
                )
            seen |= set(reached)


def _quick(space: Space, parameter: Parameter, rng: Generator) -> dict[str, Value]:
    """A configuration that comes as near as can be to having the parameter, by meeting one condition after the other."""
    assert parameter.condition is not None
    conditions = _conditions(space, parameter.condition)
    found: dict[str, Value] = {}
    for _ in range(8 if len(space.parameters) <= LARGE else 2):
        found = _one_by_one(space, conditions, rng)
        if parameter.name in found:
            break
    return found


def _reach(space: Space, parameter: Parameter, rng: Generator) -> dict[str, Value]:
    """A harder look for rare conditions."""
    assert parameter.condition is not None
    found = _quick(space, parameter, rng)
    if parameter.name in found:
        return found
    conditions = _conditions(space, parameter.condition)
    wanted = Space(space.parameters, (conditions[0] if len(conditions) == 1 else Junction("and", tuple(conditions)),))
    return repair(wanted, found, rng)


def _one_by_one(space: Space, conditions: list[Expression], rng: Generator) -> dict[str, Value]:
    """A configuration that meets conditions as far as it can be found by moving what each of them names, the outermost first."""
    point = rng.random(space.dimension)
    found = space.decode(point)
    for place, condition in enumerate(conditions):
        # Names that have no value now cannot be moved: nothing comes of trying.
        moved = [space.place[n] for n in names(condition) if n in space.place and n in found]
        for _ in range(TRIES):
            if holds(condition, found) or not moved:
                break
            trial = point.copy()
            trial[moved] = rng.random(len(moved))
            changed = space.decode(trial)
            if all(holds(earlier, changed) for earlier in conditions[:place]):
                point, found = trial, changed
    return found


def _conditions(space: Space, condition: Expression) -> list[Expression]:
    """A condition and those of the parameters it names, and of those that these name: each once, the outermost first."""
    ahead, wanted = list(names(condition)), set[str]()
    while ahead:
        name = ahead.pop()
        outer = space.by_name[name].condition
        if name not in wanted and outer is not None:
            ahead += names(outer)
        wanted.add(name)
    outer_ones = [p.condition for p in space.order if p.name in wanted and p.condition is not None]
    return [*dict.fromkeys(outer_ones), condition]


def _check_satisfiable(space: Space) -> None:
    rng = np.random.default_rng(2)
    least, nearest = np.inf, dict[str, Value]()
    for _ in range(24 if len(space.parameters) + len(space.requirements) <= LARGE else 2):
        found = draw(space, rng)
        broken = space.violation(found)
        if broken == 0:
            return
        if broken < least:
            least, nearest = broken, found
    requirement = next(r for r in space.requirements if violation(r, nearest))
    shown = ", ".join(f"{n} = {word(nearest[n])}" for n in names(requirement) if n in nearest)
    others = len(space.requirements) - 1
    together = f" together with the {'other' if others == 1 else f'{others} others'}" if others else ""
    raise InvalidSpace(
        f"The requirement '{requirement}' cannot be met{together}: the nearest found, {shown}, still breaks it.", at="require"
    )


def _check_expression(space: Space, expression: Expression, at: str) -> None:
    """Names must be parameters, numbers compared with numbers, and options be options."""
    where = "The requirement" if at == "require" else f"{at}: the condition"
    if not any(isinstance(node, Name) for node in walk(expression)):
        words = [str(node) for node in walk(expression) if isinstance(node, Literally) and isinstance(node.value, str)]
        unknown = f" {words[0]} is no parameter of this space." if words else ""
        raise InvalidSpace(f"{where} '{expression}' names no parameter.{unknown}", at=at)
    for node in walk(expression):
        match node:
            case Comparison(operator="==" | "!="):
                _check_same(space, node.left, node.right, where, at)
                _check_same(space, node.right, node.left, where, at)
            case Member(item=item, options=options):
                for option in options:
                    _check_same(space, item, option, where, at)
            case Comparison() | Arithmetic() | Negative():
                for child in node.children():
                    _check_number(space, child, where, at)
            case Not() | Junction():
                for child in node.children():
                    _check_truth(space, child, where, at)
    _check_truth(space, expression, where, at)


def _check_same(space: Space, side: Expression, other: Expression, where: str, at: str) -> None:
    if not isinstance(other, Literally):
        return
    if isinstance(side, Literally):
        raise InvalidSpace(f"{where} names '{side}', which is no parameter of this space.", at=at)
    if isinstance(side, Name):
        parameter = space.by_name[side.name]
        options: list[Value] = list(parameter.options) if isinstance(parameter, Choice) else []
        options += [parameter.value] if isinstance(parameter, Fixed) else []
        if options and not any(same(option, other.value) for option in options):
            allowed = ", ".join(word(option) for option in options)
            raise InvalidSpace(f"{where} compares {side} with {other}, which it never is. It takes: {allowed}.", at=at)
        if not options and isinstance(other.value, (str, bool)):
            raise InvalidSpace(f"{where} compares the number {side} with {other}.", at=at)


def _check_number(space: Space, side: Expression, where: str, at: str) -> None:
    if isinstance(side, Literally) and isinstance(side.value, (str, bool)):
        what = "which is no parameter of this space" if isinstance(side.value, str) else "which is not a number"
        raise InvalidSpace(f"{where} names '{side}', {what}.", at=at)
    if isinstance(side, Name):
        parameter = space.by_name[side.name]
        values = parameter.options if isinstance(parameter, Choice) else (getattr(parameter, "value", 0),)
        if any(isinstance(value, (str, bool)) for value in values):
            raise InvalidSpace(f"{where} uses {side} as a number; it is a choice of words.", at=at)
    if isinstance(side, (Comparison, Member, Not, Junction)):
        raise InvalidSpace(f"{where} uses '{side}' as a number; it is true or false.", at=at)


def _check_truth(space: Space, side: Expression, where: str, at: str) -> None:
    if isinstance(side, (Comparison, Member, Not, Junction)):
        return
    if isinstance(side, Name):
        parameter = space.by_name[side.name]
        options = parameter.options if isinstance(parameter, Choice) else (getattr(parameter, "value", 0),)
        if all(isinstance(option, bool) for option in options):
            return
    unknown = isinstance(side, Literally) and isinstance(side.value, str)
    what = "is no parameter of this space" if unknown else "is neither true nor false; compare it with something"
    raise InvalidSpace(f"{where}: '{side}' {what}.", at=at)
