"""Looks of printed manuals by chance, as CSS."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from synth.faces import Face

_PAPERS = 0.5
_NEAR, _NUMBERED = 0.6, 0.7


def choose(rng: np.random.Generator, *options: Any) -> Any:
    """Return one of ``options`` by chance."""
    return options[int(rng.integers(len(options)))]


def choose_look(rng: np.random.Generator, name: str, faces: Sequence[Face]) -> str:
    """Return the style of a manual by chance, as CSS; ``name`` is its class and its page's."""
    plain = [f for f in faces if f.kind in {"sans", "serif", "narrow"}]
    typed = [f for f in faces if f.kind in {"mono", "typewriter"}]
    text, head, mono = choose(rng, *plain), choose(rng, *plain), choose(rng, *typed)
    head = text if rng.random() < 0.6 else head
    if rng.random() < 0.06:
        text = head = mono
    size = choose(rng, "210mm 297mm", "210mm 297mm", "8.5in 11in", "148mm 210mm", "7in 9.25in")
    small = size.startswith(("148", "7"))
    point = rng.uniform(7.5, 10) if small else rng.uniform(8, 12)
    margin = rng.uniform(10, 18) if small else rng.uniform(14, 32)
    columns = 1 if small or rng.random() < 0.82 else 2
    grey = int(choose(rng, 0, 0, 0, 60, 120, 180))
    colour = f"rgb({grey},{grey},{grey})"
    dash = choose(rng, *["solid"] * 6, "dotted", "dashed")
    line = f"{rng.uniform(0.3, 1.3):.2f}pt {dash} {colour}"
    thick = f"{rng.uniform(0.8, 2):.2f}pt solid {colour}"
    d = f".{name}"
    t = f"{d} table"
    out = [
        f"@page {name}{{size:{size};margin:{margin + 4:.1f}mm {margin:.1f}mm;"
        f"{_run_heads(rng, head.family)}}}",
        f"{d}{{page:{name};break-before:page;font:{point:.1f}pt/{rng.uniform(1.1, 1.5):.2f} "
        f"'{text.family}';column-count:{columns};column-gap:{rng.uniform(5, 9):.1f}mm}}",
        f"{d} h1,{d} h2,{d} h3,{d} h4,{d} h5{{font-family:'{head.family}';margin:0.9em 0 0.4em;"
        f"font-weight:{choose(rng, 'bold', 'bold', 'normal')}}}",
        f"{d} h1,{d} h2{{font-size:{rng.uniform(1.2, 1.8):.2f}em}}{d} h3,{d} h4,{d} h5"
        f"{{font-size:{rng.uniform(1.0, 1.2):.2f}em}}",
        f"{d} p{{margin:{rng.uniform(0.2, 0.9):.2f}em 0;"
        f"text-align:{choose(rng, 'justify', 'left')};"
        f"text-indent:{choose(rng, '0', '0', '1.2em')}}}",
        f"{d} li{{margin:{choose(rng, 0, 0.2, 0.5)}em 0}}{d} td p,{d} th p,{d} li p{{margin:0;"
        "text-indent:0}",
        f"{d} pre,{d} code{{font-family:'{mono.family}';font-size:{rng.uniform(0.8, 0.95):.2f}em}}",
        f"{d} pre{{white-space:pre-wrap;{choose(rng, '', 'margin-left:2em', 'background:#eee')}}}",
        f"{d} .note{{margin:0.6em 0;{choose(rng, '', 'padding:0.5em;border:' + line)};"
        f"{choose(rng, '', 'background:#eee;padding:0.4em', 'margin-left:2em')}}}",
        f"{d} .note .note{{border:0}}",
        f"{t}{{border-collapse:collapse;font-size:{choose(rng, 1, 1, 0.9, 0.85)}em;"
        f"margin:{rng.uniform(0.3, 1.4):.1f}em {choose(rng, '0', '0', 'auto', '1.5em')};"
        f"width:{choose(rng, 'auto', 'auto', 'auto', '100%', '100%', '85%')}}}",
        f"{t} td,{t} th{{padding:{choose(rng, 0, 0.5, 1, 2, 3):.1f}pt {rng.uniform(2, 9):.1f}pt;"
        f"vertical-align:{choose(rng, 'top', 'top', 'top', 'middle', 'baseline')};"
        f"text-align:{choose(rng, 'left', 'left', 'left', 'left', 'justify', 'center')}}}",
        f"{t} .n{{text-align:{choose(rng, 'left', 'right', 'right', 'center')}}}",
        f"{t} tbody th{{font-weight:{choose(rng, 'normal', 'bold')}}}",
        f"{t} thead th{{font-weight:{choose(rng, 'bold', 'bold', 'bold', 'normal')};"
        f"text-align:{choose(rng, 'left', 'left', 'center')};"
        f"vertical-align:{choose(rng, 'bottom', 'top', 'middle')}}}",
        f"{d} caption{{caption-side:{choose(rng, 'top', 'top', 'bottom')};padding:3pt 0;"
        f"font-weight:{choose(rng, 'normal', 'bold')};"
        f"text-align:{choose(rng, 'left', 'center', 'center')}}}",
        f"{d} tr{{break-inside:avoid}}",
        *(f"{t} {rule}" for rule in _choose_rules(rng, line, thick)),
        *(f"{t} {rule}" for rule in _choose_groups(rng, line)),
    ]
    if rng.random() < _PAPERS:
        out += _look_like_paper(rng, d, small=small)
    return "".join(out)


def _choose_groups(rng: np.random.Generator, line: str) -> list[str]:
    """Return what sets rows, columns and headings apart in groups, each after ``table``."""
    each = int(rng.integers(2, 7))
    gap = f"{rng.uniform(2, 9):.1f}pt"
    out = []
    if rng.random() < 0.2:
        ways = (f"padding-top:{gap}", f"border-top:{line}")
        out.append(f"tbody tr:nth-child({each}n+1) td{{{choose(rng, *ways)}}}")
    if rng.random() < 0.1:
        ways = (f"padding-left:{gap}", f"padding-left:{gap};border-left:{line}")
        out.append(f"tr>:nth-child({each}){{{choose(rng, *ways)}}}")
    if rng.random() < 0.6:
        out.append(f"thead th[colspan]{{border-bottom:{line};text-align:center}}")
    looks = ("font-weight:bold", "font-style:italic", "text-align:center", f"border-top:{line}", "")
    out.append(f"tr.s td{{{choose(rng, *looks)};padding-top:{choose(rng, '0', '1pt', gap)}}}")
    lasts = (f"border-top:{line}", "font-weight:bold", f"border-top:3pt double #000;padding:{gap}")
    return [*out, f"tr.t td{{{choose(rng, *lasts, '')}}}"]


def _look_like_paper(rng: np.random.Generator, d: str, *, small: bool) -> list[str]:
    """Return what makes a manual look like a paper: close lines, tight tables in the middle."""
    columns = 2 if not small and rng.random() < 0.35 else 1
    t = f"{d} table"
    return [
        f"{d}{{line-height:{rng.uniform(1.1, 1.25):.2f};column-count:{columns};hyphens:auto}}",
        f"{d} p{{text-align:justify;margin:{choose(rng, '0', '0', '0.4em')} 0;"
        f"text-indent:{choose(rng, '0', '1.2em', '1.5em')}}}",
        f"{t}{{margin:{rng.uniform(0.6, 1.5):.1f}em {choose(rng, 'auto', 'auto', 'auto', '0')};"
        f"width:auto;font-size:{choose(rng, 1, 1, 0.9, 0.8)}em}}",
        f"{t} td,{t} th{{padding:{choose(rng, 0, 0, 0.5, 1):.1f}pt {rng.uniform(2.5, 6.5):.1f}pt;"
        f"white-space:{choose(rng, 'normal', 'nowrap', 'nowrap')}}}",
        f"{t} :is(td,th):not(:first-child){{text-align:"
        f"{choose(rng, 'inherit', 'center', 'right', 'right')}}}",
        f"{d} caption{{text-align:{choose(rng, 'center', 'center', 'justify')};"
        f"padding:{rng.uniform(2, 9):.1f}pt 0}}",
    ]


def _choose_rules(rng: np.random.Generator, line: str, thick: str) -> list[str]:
    """Return the rules and grounds of a manual's tables, each after ``table``."""
    edge = choose(rng, line, thick)
    ends = [
        f"{{border-top:{edge};border-bottom:{edge}}}",
        f"thead tr:last-child th{{border-bottom:{line}}}",
    ]
    band = int(rng.integers(190, 245))
    shaded = f"thead th{{background:rgb({band},{band},{band})}}"
    dark = int(rng.integers(20, 110))
    kinds = [
        *[[]] * 3,
        *[[f":is(td,th){{border:{line}}}"]] * 4,
        [f"tr{{border-bottom:{line}}}", f"thead th{{border-bottom:{edge}}}"],
        [f"tr{{border-bottom:{line}}}", f"{{border-top:{edge};border-bottom:{edge}}}"],
        [f"thead tr:last-child th{{border-bottom:{edge}}}"],
        *[ends] * 4,
        [f"{{border:{edge}}}", f"thead tr:last-child th{{border-bottom:{line}}}"],
        [f"{{border:{edge}}}"],
        [f"tr:nth-child(even) td{{background:rgb({band},{band},{band})}}", *ends[:1]],
        [f"thead th{{background:rgb({dark},{dark},{dark});color:#fff}}"],
        [f"td+td{{border-left:{line}}}", ends[1]],
        [f"td:first-child{{border-right:{line}}}", *ends],
    ]
    return [*choose(rng, *kinds), *[shaded] * (rng.random() < 0.15)]


def _run_heads(rng: np.random.Generator, family: str) -> str:
    """Return running heads and page numbers at chance places of a page's margin, as CSS.

    Some stand as close to the text as one row of a table to the next.
    """
    words = ("Chapter", "Manual", "Reference", "Guide", "Version", "Section", "Notes", "Appendix")
    title = " ".join(str(choose(rng, *words)) for _ in range(int(rng.integers(1, 4))))
    title = f"{title} {int(rng.integers(1, 20))}.{int(rng.integers(9))}"
    number = choose(rng, "counter(page)", "'Page ' counter(page)", "'– ' counter(page) ' –'")
    look = (
        f"font-family:'{family}';font-size:{rng.uniform(7.5, 11):.1f}pt;"
        f"font-style:{choose(rng, 'normal', 'normal', 'italic')};"
        f"font-weight:{choose(rng, 'normal', 'normal', 'bold')};"
    )
    if rng.random() < _NEAR:
        look += f"vertical-align:bottom;padding-bottom:{rng.uniform(2, 22):.1f}pt;"
        look += choose(rng, "", "", "border-bottom:0.5pt solid #000;")
    said = {"left": f"'{title}'", "right": number, "center": f"'{choose(rng, *words)}'"}
    sides = choose(rng, (), ("left",), ("center",), ("right",), ("left", "right"), tuple(said))
    if len(sides) == 1:
        said[sides[0]] = f"'{title}'"
    out = "".join(f"@top-{side}{{content:{said[side]};{look}}}" for side in sides)
    if "right" not in sides and rng.random() < _NUMBERED:
        place = choose(rng, "bottom-center", "bottom-right", "bottom-left")
        near = f"vertical-align:top;padding-top:{rng.uniform(2, 22):.1f}pt"
        low = choose(rng, "", near)
        out += f"@{place}{{content:{number};font-size:{rng.uniform(7.5, 11):.1f}pt;{low}}}"
    return out
