"""What stands on pages and is no table: drawings, formulas, music, puzzles, boxes to fill in.

Each maker returns markup that a browser sets, about ``wide`` points across.
"""

from __future__ import annotations

import html
from collections.abc import Callable

import numpy as np

from synth.press.words import Rng, make_sentence, pick
from synth.text import make_code, make_date, make_name, make_number, make_phrase

_STAVE, _STEPS = 5, 11
_MOST_BOXES = 60
_DEEPEST, _OFTEN = 3, 0.5


def _word(rng: Rng) -> str:
    return pick(rng, make_sentence(rng).rstrip(".").split())


def _say(x: float, y: float, text: str, size: float, anchor: str = "start") -> str:
    return (
        f"<text x='{x:.1f}' y='{y:.1f}' font-size='{size:.1f}' text-anchor='{anchor}' "
        f"fill='#000'>{html.escape(text)}</text>"
    )


def _line(x0: float, y0: float, x1: float, y1: float, weight: float = 0.6, more: str = "") -> str:
    return (
        f"<line x1='{x0:.1f}' y1='{y0:.1f}' x2='{x1:.1f}' y2='{y1:.1f}' stroke='#000' "
        f"stroke-width='{weight:.2f}' {more}/>"
    )


def _box(x: float, y: float, wide: float, high: float, more: str = "") -> str:
    return (
        f"<rect x='{x:.1f}' y='{y:.1f}' width='{wide:.1f}' height='{high:.1f}' fill='none' "
        f"stroke='#000' stroke-width='0.6' {more}/>"
    )


def _draw(parts: list[str], wide: float, high: float) -> str:
    size = f"width='{wide:.0f}pt' height='{high:.0f}pt' viewBox='0 0 {wide:.0f} {high:.0f}'"
    return f"<svg {size}>{''.join(parts)}</svg>"


def _panel(rng: Rng, x: float, y: float, wide: float, high: float, size: float) -> list[str]:
    """Return a graph: a frame, marks with figures along two sides, points or lines."""
    parts = [_box(x, y, wide, high)] if rng.random() < 0.6 else []
    parts += [_line(x, y + high, x + wide, y + high), _line(x, y, x, y + high)]
    top = float(rng.choice([1, 10, 50, 400, 6000]))
    steps = int(rng.integers(3, 8))
    grid = rng.random() < 0.3
    for k in range(steps + 1):
        at = y + high * (1 - k / steps)
        parts.append(_line(x - 3, at, x + (wide if grid else 0), at, 0.4))
        parts.append(_say(x - 5, at + size / 3, f"{top * k / steps:g}"[:5], size, "end"))
    first = int(rng.integers(0, 1980))
    for k in range(steps + 1):
        at = x + wide * k / steps
        parts.append(_line(at, y + high - (high if grid else 0), at, y + high + 3, 0.4))
        parts.append(_say(at, y + high + 4 + size, str(first + k * 5), size, "middle"))
    count = int(rng.integers(8, 60))
    xs = np.sort(rng.uniform(x, x + wide, count))
    ys = y + high * np.clip(0.5 + np.cumsum(rng.normal(0, 0.08, count)), 0.02, 0.98)
    kind = int(rng.integers(4))
    if kind == 0:
        path = " ".join(f"{a:.1f},{b:.1f}" for a, b in zip(xs, ys, strict=True))
        parts.append(f"<polyline points='{path}' fill='none' stroke='#000' stroke-width='0.8'/>")
    elif kind == 1:
        parts += [
            f"<circle cx='{a:.1f}' cy='{b:.1f}' r='1.6'/>" for a, b in zip(xs, ys, strict=True)
        ]
    elif kind == 2:
        bar = wide / count
        parts += [
            f"<rect x='{x + bar * k:.1f}' y='{b:.1f}' width='{bar * 0.7:.1f}' "
            f"height='{y + high - b:.1f}' fill='#999'/>"
            for k, b in enumerate(ys)
        ]
    else:  # points with names
        chosen = list(zip(xs, ys, strict=True))[::4]
        parts += [_say(a, b, _word(rng), size) for a, b in chosen]
    if rng.random() < 0.5:
        parts.append(_say(x + wide / 2, y - 4, make_phrase(rng), size * 1.15, "middle"))
    if rng.random() < 0.5:
        parts.append(_say(x + wide / 2, y + high + 6 + 2.2 * size, _word(rng), size, "middle"))
    if rng.random() < 0.4:
        for k in range(int(rng.integers(2, 5))):
            at = y + 8 + k * size * 1.4
            parts.append(_line(x + wide * 0.65, at, x + wide * 0.72, at))
            parts.append(_say(x + wide * 0.74, at + size / 3, _word(rng), size))
    return parts


def draw_graphs(rng: Rng, wide: float) -> str:
    """Return one graph, or several beside and below each other."""
    across, down = (int(v) for v in rng.choice([1, 1, 2, 3], 2))
    own, high = wide / across, float(rng.uniform(0.55, 0.9)) * wide / across
    size = float(rng.uniform(5, 8))
    parts = []
    for row in range(down):
        for col in range(across):
            parts += _panel(rng, col * own + 28, row * high + 18, own - 40, high - 52, size)
    return _draw(parts, wide, high * down)


def draw_strips(rng: Rng, wide: float) -> str:
    """Return graphs in frames that touch, a name on a band above each, words at the left."""
    across, down = int(rng.integers(1, 4)), int(rng.integers(1, 5))
    size, left = float(rng.uniform(5, 8)), float(rng.uniform(40, 90))
    own, high = (wide - left) / across, float(rng.uniform(40, 120))
    strip, names = size * 1.6, [_word(rng) for _ in range(int(rng.integers(2, 11)))]
    parts = []
    for row in range(down):
        top = row * high
        step = (high - strip) / len(names)
        for k, name in enumerate(names):
            at = top + strip + step * (k + 0.5)
            parts.append(_say(left - 5, at + size / 3, name, size, "end"))
            parts.append(_line(left - 3, at, left, at, 0.4))
        for col in range(across):
            x = left + col * own
            parts += [_box(x, top, own, strip), _box(x, top + strip, own, high - strip)]
            parts.append(_say(x + own / 2, top + strip - size * 0.4, _word(rng), size, "middle"))
            bars = rng.random() < _OFTEN
            middle = x + own * float(rng.uniform(0.2, 0.8))
            parts.append(_line(middle, top + strip, middle, top + high, 0.3))
            for k in range(len(names)):
                at = top + strip + step * (k + 0.5)
                a, b = np.sort(rng.uniform(x + 3, x + own - 3, 2)).tolist()
                parts.append(_line(a, at, b, at))
                if bars:
                    parts.append(_box(min(middle, b), at - step / 4, abs(b - middle), step / 2))
    for k in range(int(rng.integers(3, 7)) * across):
        x = left + (wide - left) * (k + 0.5) / (4 * across)
        parts.append(_say(min(x, wide - 8), down * high + size * 1.3, str(k), size, "middle"))
    return _draw(parts, wide, down * high + size * 2)


def draw_mosaic(rng: Rng, wide: float) -> str:
    """Return tiles whose areas are counts, with the names of both groups around them."""
    size, edge = float(rng.uniform(5, 9)), 34.0
    across, down = (int(v) for v in rng.integers(2, 6, 2))
    high = (wide - edge) * float(rng.uniform(0.6, 1.0))
    gap = float(rng.uniform(1, 5))
    widths = rng.dirichlet(np.full(across, 3.0)) * (wide - edge)
    parts = [_say(wide / 2, size, _word(rng), size * 1.2, "middle")]
    x = edge
    for col, own in enumerate(widths.tolist()):
        parts.append(_say(x + own / 2, size * 2.6, _word(rng), size, "middle"))
        y = size * 3.2
        for row, tall in enumerate((rng.dirichlet(np.full(down, 3.0)) * high).tolist()):
            grey = pick(rng, ("none", "none", "#bbb", "#777"))
            box = f"style='fill:{grey}'"
            parts.append(_box(x, y, max(1.0, own - gap), max(1.0, tall - gap), box))
            if col == 0:
                parts.append(_say(edge - 4, y + tall / 2, _word(rng), size, "end"))
            elif rng.random() < 0.1 * row:
                parts.append(_say(x + own / 2, y + tall / 2, str(col * row), size, "middle"))
            y += tall
        x += own
    return _draw(parts, wide, high + size * 4)


def draw_boxes(rng: Rng, wide: float) -> str:
    """Return boxes with words, joined by lines: who answers to whom, or what follows what."""
    size = float(rng.uniform(6, 9))
    levels = int(rng.integers(2, 6))
    parts: list[str] = []
    before: list[tuple[float, float]] = []
    high = float(rng.uniform(36, 60))
    for level in range(levels):
        count = int(rng.integers(1, 6))
        own = wide / count
        box = min(own * 0.8, float(rng.uniform(50, 120)))
        here = []
        for k in range(count):
            x, y = own * (k + 0.5), level * high + 4
            if rng.random() < 0.85:
                parts.append(_box(x - box / 2, y, box, high * 0.55, f"rx='{rng.choice([0, 4])}'"))
            words = [_word(rng) for _ in range(int(rng.integers(1, 3)))]
            parts += [
                _say(x, y + size * (1.2 + 1.1 * n), w, size, "middle") for n, w in enumerate(words)
            ]
            here.append((x, y))
        for x, y in here:
            if before:
                a, b = before[int(rng.integers(len(before)))]
                parts.append(_line(a, b + high * 0.55, x, y))
        before = here
    return _draw(parts, wide, levels * high + 6)


def draw_music(rng: Rng, wide: float) -> str:
    """Return staves with notes, some with words below."""
    gap = float(rng.uniform(3.2, 5.5))
    sung = rng.random() < 0.6
    each = gap * (_STEPS + 4) + (14 if sung else 0)
    systems = int(rng.integers(2, 9))
    parts = []
    for system in range(systems):
        top = system * each + 3 * gap
        parts += [_line(0, top + k * gap, wide, top + k * gap, 0.5) for k in range(_STAVE)]
        x = 26.0
        while x < wide - 8:
            if rng.random() < 0.15:
                parts.append(_line(x, top, x, top + 4 * gap))
                x += 8
                continue
            y = top + gap * int(rng.integers(-2, 11)) / 2
            full = "#000" if rng.random() < 0.7 else "none"
            parts.append(
                f"<ellipse cx='{x:.1f}' cy='{y:.1f}' rx='{gap * 0.62:.2f}' ry='{gap * 0.45:.2f}' "
                f"fill='{full}' stroke='#000' stroke-width='0.5' "
                f"transform='rotate(-20 {x:.1f} {y:.1f})'/>"
            )
            side = gap * 0.55 if y > top + 2 * gap else -gap * 0.55
            parts.append(_line(x + side, y, x + side, y - np.sign(side) * 3.3 * gap))
            if sung and rng.random() < 0.7:
                parts.append(_say(x, top + 8.5 * gap, _word(rng)[:5], 7.5, "middle"))
            x += float(rng.uniform(9, 26))
        if rng.random() < 0.3:
            parts.append(_say(0, top - gap, str(system * 4 + 1), 6))
    return _draw(parts, wide, systems * each)


def draw_puzzle(rng: Rng, wide: float) -> str:
    """Return squares, some black, some with a number or a letter."""
    count = int(rng.integers(6, 16))
    side = wide * float(rng.uniform(0.5, 0.95)) / count
    parts, number = [], 0
    black, numbered, filled = rng.uniform(0.0, 0.35), rng.uniform(0.1, 0.5), rng.choice([0, 0, 0.6])
    for row in range(count):
        for col in range(count):
            x, y = col * side, row * side
            if rng.random() < black:
                parts.append(_box(x, y, side, side, "style='fill:#000'"))
                continue
            parts.append(_box(x, y, side, side))
            if rng.random() < numbered:
                number += 1
                parts.append(_say(x + 1.5, y + side * 0.32, str(number), side * 0.28))
            if rng.random() < filled:
                letter = chr(65 + int(rng.integers(26)))
                parts.append(_say(x + side / 2, y + side * 0.8, letter, side * 0.6, "middle"))
    return _draw(parts, wide, count * side + 2)


def draw_map(rng: Rng, wide: float) -> str:
    """Return lines of the land, a net over it, and names here and there."""
    high = wide * float(rng.uniform(0.6, 1.1))
    steps = int(rng.integers(0, 9))
    parts = [_box(1, 1, wide - 2, high - 2)]
    for k in range(1, steps):
        parts.append(_line(wide * k / steps, 0, wide * k / steps, high, 0.3))
        parts.append(_line(0, high * k / steps, wide, high * k / steps, 0.3))
    for _ in range(int(rng.integers(1, 5))):
        points = rng.uniform(0.2, 0.8, 2) * (wide, high) + np.cumsum(
            rng.normal(0, wide / 25, (50, 2)), axis=0
        )
        path = " ".join(f"{a:.1f},{b:.1f}" for a, b in points)
        parts.append(f"<polyline points='{path}' fill='none' stroke='#333' stroke-width='0.8'/>")
    for _ in range(int(rng.integers(8, 45))):
        x, y = rng.uniform(10, wide - 50), rng.uniform(12, high - 6)
        said = _word(rng) if rng.random() < 0.7 else str(int(rng.integers(1, 90)))
        parts.append(_say(x, y, said, float(rng.choice([5.5, 7, 9]))))
    return _draw(parts, wide, high)


def draw_form(rng: Rng, wide: float) -> str:
    """Return boxes to fill in: a small name in each, and at times what was filled in."""
    parts: list[str] = []
    joined = rng.random() < 0.6
    y, made, small = 2.0, 0, float(rng.uniform(5, 7))
    filled = float(rng.choice([0.0, 0.5, 0.9]))
    names = ("Name", "Vessel", "Date", "Berth", "No.", "Owner", "Port", "Tons", "Signed", "Rate")
    for _ in range(int(rng.integers(3, 14))):
        high = float(rng.uniform(20, 34))
        count = int(rng.integers(1, 7))
        shares = rng.uniform(0.6, 2.0, count)
        edges = np.concatenate([[0], np.cumsum(shares / shares.sum())]) * (wide - 2) + 1
        made += count
        for x0, x1 in zip(edges[:-1].tolist(), edges[1:].tolist(), strict=True):
            gap = 0.0 if joined else 4.0
            parts.append(_box(x0, y, x1 - x0 - gap, high - gap))
            parts.append(_say(x0 + 2, y + small + 1, f"{made % 90} {pick(rng, names)}", small))
            if rng.random() < filled:
                made_up = (make_name, make_date, make_code, make_number, make_phrase)
                said = made_up[int(rng.integers(5))](rng)[: max(3, int((x1 - x0) / 6))]
                parts.append(_say(x0 + 4, y + high - gap - 3, said, small + 3))
        y += high
        if made > _MOST_BOXES:
            break
    return _draw(parts, wide, y + 4)


def draw_apparatus(rng: Rng, wide: float) -> str:
    """Return a drawing of lines, arcs and circles with names at its parts."""
    high = wide * float(rng.uniform(0.4, 0.9))
    parts = []
    for _ in range(int(rng.integers(5, 25))):
        x, y = rng.uniform(0.1, 0.9, 2) * (wide, high)
        kind = int(rng.integers(4))
        if kind == 0:
            parts.append(_box(x, y, rng.uniform(10, 90), rng.uniform(6, 60)))
        elif kind == 1:
            parts.append(
                f"<circle cx='{x:.1f}' cy='{y:.1f}' r='{rng.uniform(3, 40):.1f}' fill='none' "
                "stroke='#000' stroke-width='0.7'/>"
            )
        elif kind == 2:
            a, b = rng.uniform(0.1, 0.9, 2) * (wide, high)
            parts.append(_line(x, y, a, b, float(rng.choice([0.4, 0.8, 1.5]))))
        else:
            parts += [_line(x + 4 * k, y, x + 4 * k - 6, y + 14, 0.4) for k in range(8)]
    for _ in range(int(rng.integers(4, 22))):
        x, y = rng.uniform(0.05, 0.9, 2) * (wide, high)
        said = _word(rng) if rng.random() < 0.6 else pick(rng, ("A", "b", "1", "12", "x", "25 mm"))
        parts.append(_say(x, y, said, float(rng.uniform(6, 9))))
        if rng.random() < 0.5:
            parts.append(_line(x, y, x + rng.normal(0, 30), y + rng.normal(0, 30), 0.4))
    return _draw(parts, wide, high)


def _letter(rng: Rng) -> str:
    return f"<mi>{pick(rng, 'abcdefghknmprstuvxyzαβγδλμσω')}</mi>"


def _term(rng: Rng, depth: int = 0) -> str:
    """Return a piece of a formula."""
    if depth >= _DEEPEST:
        return _letter(rng) if rng.random() < _OFTEN else f"<mn>{int(rng.integers(1, 99))}</mn>"
    a, b, c = (_term(rng, depth + 1) for _ in range(3))
    low = "<mrow><mi>i</mi><mo>=</mo><mn>1</mn></mrow>"
    forms = (
        f"<mfrac><mrow>{a}<mo>+</mo>{b}</mrow><mrow>{c}</mrow></mfrac>",
        f"<msub>{_letter(rng)}{a}</msub>",
        f"<msup><mrow>{a}</mrow>{b}</msup>",
        f"<munderover><mo>∑</mo>{low}<mi>n</mi></munderover>{a}",
        f"<msqrt>{a}<mo>-</mo>{b}</msqrt>",
        _matrix(rng),
        *(_letter(rng) for _ in range(4)),
    )
    return forms[int(rng.integers(len(forms)))]


def _matrix(rng: Rng) -> str:
    rows, cols = (int(v) for v in rng.integers(2, 6, 2))
    body = "".join(
        "<mtr>" + "".join(f"<mtd>{_term(rng, _DEEPEST)}</mtd>" for _ in range(cols)) + "</mtr>"
        for _ in range(rows)
    )
    return f"<mo>(</mo><mtable>{body}</mtable><mo>)</mo>"


def draw_formulas(rng: Rng, wide: float) -> str:
    """Return formulas set by themselves, some over several lines that stand under each other."""
    out = []
    for k in range(int(rng.integers(1, 6))):
        sides = [
            "".join(f"{_term(rng)}<mo>{pick(rng, '+−·')}</mo>" for _ in range(rng.integers(1, 4)))
            + _term(rng)
            for _ in range(int(rng.integers(2, 5)))
        ]
        lines = "".join(
            f"<mtr><mtd>{sides[0] if n == 0 else ''}</mtd><mtd style='text-align:left'>"
            f"<mo>{pick(rng, '=≤≈')}</mo>{s}</mtd></mtr>"
            for n, s in enumerate(sides[1:])
        )
        number = f"<span style='float:right'>({k + 1}.{len(sides)})</span>"
        where = pick(rng, ("center", "center", "left"))
        out.append(
            f"<div style='text-align:{where};margin:6pt 0;color:#000'>"
            f"{number if rng.random() < 0.5 else ''}<math><mtable>{lines}</mtable></math></div>"
        )
    return f"<div style='max-width:{wide:.0f}pt'>{''.join(out)}</div>"


def draw_session(rng: Rng, wide: float) -> str:
    """Return what was typed into a machine and what it answered."""
    lines: list[str] = []
    for _ in range(int(rng.integers(2, 6))):
        lines.append(f"> {_word(rng)}({_word(rng)}, {int(rng.integers(90))})")
        kind = int(rng.integers(4))
        count = int(rng.integers(4, 40))
        if kind == 0:  # values, as many on a line as find room, each line with the first's number
            values = [make_number(rng)[:7].rjust(8) for _ in range(count)]
            lines += [
                f"[{k + 1}]".rjust(5) + "".join(values[k : k + 7]) for k in range(0, count, 7)
            ]
        elif kind == 1:
            lines += [f"{_word(rng)}: {make_phrase(rng)}" for _ in range(count // 4 + 1)]
        elif kind == 2:
            lines += [
                "  " * int(rng.integers(1, 5)) + f"- {_word(rng)} = {make_number(rng)[:6]}"
                for _ in range(count // 3 + 2)
            ]
        else:
            lines.append(make_sentence(rng)[:64])
        lines.append("")
    text = html.escape("\n".join(lines))
    return (
        f"<pre style='font-family:monospace;font-size:{rng.uniform(6.5, 9):.1f}pt;"
        f"color:#000;max-width:{wide:.0f}pt;overflow:hidden'>{text}</pre>"
    )


DRAWINGS: dict[str, Callable[[Rng, float], str]] = {
    "graphs": draw_graphs,
    "strips": draw_strips,
    "mosaic": draw_mosaic,
    "boxes": draw_boxes,
    "music": draw_music,
    "puzzle": draw_puzzle,
    "map": draw_map,
    "form": draw_form,
    "apparatus": draw_apparatus,
    "formulas": draw_formulas,
    "session": draw_session,
}
"""What can be drawn, by name."""
