"""Charts as SVG text: numbers in, marks out. No script, no outside file."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from html import escape

RAMP = ((70, 78, 96), (56, 104, 118), (52, 134, 128), (98, 163, 126), (164, 188, 118), (233, 212, 128))
INK, SOFT, RULE, SPRUCE, HONEY, EMBER = "#21302b", "#5d665f", "#d8cdb7", "#1f5d4c", "#b97908", "#ae4226"
Points = Sequence[tuple[float, float]]


def ramp(share: float) -> str:
    """The score ramp's colour: 0 worst, 1 best."""
    x = min(max(share, 0.0), 1.0) * (len(RAMP) - 1)
    i = min(int(x), len(RAMP) - 2)
    low, high = RAMP[i], RAMP[i + 1]
    return "rgb({},{},{})".format(*(round(a + (x - i) * (b - a)) for a, b in zip(low, high, strict=True)))


def ink_on(share: float) -> str:
    return INK if share > 0.52 else "#fffaf0"


@dataclass(frozen=True)
class Line:
    """A curve with its name; `dashed` for what is compared with."""

    name: str
    points: Points
    colour: str = SPRUCE
    dashed: bool = False
    dots: bool = False


def plot(lines: Sequence[Line], across: str, up: str, *, width: int = 330, height: int = 260, square: bool = True) -> str:
    """Curves over labelled axes; `square` axes run from 0 to 1."""
    every = [p for line in lines for p in line.points]
    if not every:
        return ""
    x_ends = (0.0, 1.0) if square else _ends([p[0] for p in every])
    y_ends = (0.0, 1.0) if square else _ends([p[1] for p in every])
    left, right, top, bottom = 52, width - 10, 12, height - 40

    def place(p: tuple[float, float]) -> tuple[float, float]:
        x = left + (p[0] - x_ends[0]) / (x_ends[1] - x_ends[0]) * (right - left)
        return x, bottom - (p[1] - y_ends[0]) / (y_ends[1] - y_ends[0]) * (bottom - top)

    parts = [_axes(x_ends, y_ends, place, (left, right, top, bottom), across, up)]
    for line in lines:
        parts.append(_line(line, [place(p) for p in line.points]))
    for row, line in enumerate(lines):
        y = top + 12 + 14 * row
        parts.append(
            f'<g transform="translate({right - 110},{y})"><line x1="0" x2="18" y1="-4" y2="-4" stroke="{line.colour}" stroke-width="2"'
            f'{DASH if line.dashed else ""}/><text x="23" font-size="11" fill="{INK}">{escape(line.name)}</text></g>'
        )
    return f'<svg viewBox="0 0 {width} {height}" width="{width}" role="img" aria-label="{escape(up)} over {escape(across)}">{"".join(parts)}</svg>'


DASH = ' stroke-dasharray="5 4"'


def _line(line: Line, at: Points) -> str:
    if line.dots:
        return "".join(f'<circle cx="{x:.1f}" cy="{y:.1f}" r="2" fill="{line.colour}" fill-opacity=".45"/>' for x, y in at)
    path = " ".join(f"{x:.1f},{y:.1f}" for x, y in at)
    return f'<polyline points="{path}" fill="none" stroke="{line.colour}" stroke-width="2"{DASH if line.dashed else ""}/>'


def _axes(
    x_ends: tuple[float, float], y_ends: tuple[float, float], place: object, box: tuple[int, int, int, int], across: str, up: str
) -> str:
    left, right, top, bottom = box
    parts = []
    for tick in ticks(*x_ends):
        x = left + (tick - x_ends[0]) / (x_ends[1] - x_ends[0]) * (right - left)
        parts.append(f'<line x1="{x:.1f}" x2="{x:.1f}" y1="{top}" y2="{bottom}" stroke="{RULE}"/>')
        parts.append(f'<text x="{x:.1f}" y="{bottom + 14}" font-size="10" fill="{SOFT}" text-anchor="middle">{tick:g}</text>')
    for tick in ticks(*y_ends):
        y = bottom - (tick - y_ends[0]) / (y_ends[1] - y_ends[0]) * (bottom - top)
        parts.append(f'<line x1="{left}" x2="{right}" y1="{y:.1f}" y2="{y:.1f}" stroke="{RULE}"/>')
        parts.append(f'<text x="{left - 5}" y="{y + 3:.1f}" font-size="10" fill="{SOFT}" text-anchor="end">{tick:g}</text>')
    middle = (left + right) / 2
    parts.append(f'<text x="{middle}" y="{bottom + 31}" font-size="11" fill="{INK}" text-anchor="middle">{escape(across)}</text>')
    parts.append(
        f'<text transform="translate(11,{(top + bottom) / 2}) rotate(-90)" font-size="11" fill="{INK}" text-anchor="middle">{escape(up)}</text>'
    )
    return "".join(parts)


def error_bar(mean: float, error: float, low: float, high: float, colour: str = SPRUCE, width: int = 180) -> str:
    """A mean with its standard error on an axis from low to high."""

    def x(value: float) -> float:
        return 6 + (value - low) / ((high - low) or 1.0) * (width - 12)

    return (
        f'<svg width="{width}" height="16" role="img" aria-label="{mean:.4g} ± {error:.2g}">'
        f'<line x1="{x(mean - error):.1f}" x2="{x(mean + error):.1f}" y1="8" y2="8" stroke="{colour}" stroke-width="3" stroke-opacity=".5"/>'
        f'<circle cx="{x(mean):.1f}" cy="8" r="4" fill="{colour}"/></svg>'
    )


def bar(value: float, most: float, error: float = 0.0, width: int = 220) -> str:
    """A bar from 0 with its error; values below 0 run in ember."""
    scale = (width - 20) / (most or 1.0)
    colour = SPRUCE if value >= 0 else EMBER
    end = abs(value) * scale
    return (
        f'<svg width="{width}" height="14" role="img" aria-label="{value:.4g}"><rect x="0" y="2" height="10" width="{end:.1f}" fill="{colour}"/>'
        f'<line x1="{max(end - error * scale, 0):.1f}" x2="{end + error * scale:.1f}" y1="7" y2="7" stroke="{INK}"/></svg>'
    )


def ticks(low: float, high: float) -> list[float]:
    """Round numbers within the ends, about five."""
    span = high - low
    step = 10 ** math.floor(math.log10(span / 4))
    step = next(step * m for m in (1, 2, 2.5, 5, 10) if span / (step * m) <= 5)
    first = math.ceil(low / step - 1e-9) * step
    return [round(first + i * step, 12) for i in range(int((high - first) / step + 1e-9) + 1)]


def _ends(values: Sequence[float]) -> tuple[float, float]:
    low, high = min(values), max(values)
    engine = 0.04 * (high - low) or abs(high) * 0.05 or 0.5
    return low - engine, high + engine
