"""What stands in manuals and is no table: contents, references, notes, programs, drawings."""

from __future__ import annotations

import html
from collections.abc import Callable, Sequence

import numpy as np

from synth.press.contents import make_program
from synth.press.drawings import DRAWINGS
from synth.text import make_code, make_name
from training.manuals.captions import find_phrases
from training.manuals.looks import choose
from training.manuals.markup import Manual, Part

_SHARE, _DRAWN, _NOTED = 0.45, 0.3, 0.25
_LONGEST, _LONGEST_NOTE = 64, 180
_SIZE = 600
_RECORDS = (2, 7)


def add_asides(manual: Manual, parts: list[Part], rng: np.random.Generator) -> None:
    """Put one or two asides among ``parts``, blocks of a manual, in nine of twenty manuals."""
    phrases = find_phrases(manual)
    if len(phrases) < 2 or rng.random() > _SHARE:
        return
    for _ in range(int(rng.integers(1, 3))):
        if rng.random() < _DRAWN:
            makers = (*DRAWINGS.values(), *[DRAWINGS["formulas"]] * 4)
            markup = choose(rng, *makers)(rng, float(rng.uniform(180, 420)))
        else:
            markup = choose(rng, *_MAKERS)(manual, phrases, rng)
        parts.insert(int(rng.integers(len(parts) + 1)), Part(markup, _SIZE))


def add_notes(manual: Manual, parts: list[Part], rng: np.random.Generator) -> None:
    """Put notes right under some of the tables among ``parts``, blocks of a manual."""
    phrases = find_phrases(manual)
    if len(phrases) < 2 or rng.random() > _NOTED:
        return
    mark = str(choose(rng, "* ", "a ", "Note: ", "Source: ", "† ", "1) ", "Notes. ", ""))
    look = (
        f"font-size:{rng.uniform(0.75, 1):.2f}em;margin-top:-{rng.uniform(0, 0.9):.2f}em;"
        f"font-style:{choose(rng, 'normal', 'normal', 'italic')};line-height:1.2"
    )
    for k in reversed([k for k, p in enumerate(parts) if p.table is not None]):
        lines = []
        for _ in range(int(rng.integers(0, 4))):
            said = mark + str(choose(rng, *phrases))[:_LONGEST_NOTE]
            lines.append(f"<div>{_say(manual, said, 'note')}</div>")
        if lines:
            parts.insert(k + 1, Part(f"<div style='{look}'>{''.join(lines)}</div>", _SIZE))


def _say(manual: Manual, text: str, role: str = "text") -> str:
    """Return the markup of a text that is outside of all tables."""
    return f'<span k="{manual.add(role, text)}">{html.escape(text)}</span>'


def _find_words(phrases: Sequence[str]) -> list[str]:
    """Return the words of phrases that are letters and figures alone, in small letters."""
    return [w for p in phrases for w in p.lower().split() if w.isalnum()] or ["item"]


def _type_lines(manual: Manual, lines: Sequence[str], role: str, look: str = "") -> str:
    """Return the markup of lines set as they are typed, in letters of one width."""
    marked = [
        f'<span k="{manual.add(role, " ".join(line.split()))}">{html.escape(line)}</span>'
        for line in lines
    ]
    text = "\n".join(marked)
    return f"<pre style='white-space:pre;font-size:0.85em;{look}'>{text}</pre>"


def _write_contents(manual: Manual, phrases: Sequence[str], rng: np.random.Generator) -> str:
    """Return a table of contents, of up to three levels."""
    dots = choose(rng, " . " * 80, "." * 160, "", " .  " * 60)
    numbered, deep = rng.random() < 0.75, int(rng.integers(1, 4))
    bold, apart = rng.random() < 0.5, float(rng.uniform(0, 0.7))
    step, hang = float(rng.uniform(0.8, 2)), choose(rng, "0.6em", "2em", "2.6em")
    numbers, page, out = [0] * deep, int(rng.integers(1, 60)), []
    for _ in range(int(rng.integers(5, 45))):
        level = min(int(rng.integers(deep)), 1 + sum(n > 0 for n in numbers))
        numbers[level] += 1
        numbers[level + 1 :] = [0] * (deep - level - 1)
        page += int(rng.integers(0, 6))
        said = str(choose(rng, *phrases))[:_LONGEST].rstrip(". ")
        label = ".".join(str(max(n, 1)) for n in numbers[: level + 1]) if numbered else ""
        key = manual.add("text", f"{label} {said} {page}".strip())
        top = level == 0 and deep > 1
        look = f"margin-top:{apart if top else 0:.2f}em;padding-left:{step * level:.2f}em"
        look += ";font-weight:bold" if top and bold else ""
        own_dots = "" if top and bold else dots
        out.append(
            f"<div style='display:flex;break-inside:avoid;{look}'>"
            f"<div style='margin-right:{hang if label else 0}'>"
            f'<span k="{key}">{label}</span></div>'
            f'<div style="white-space:nowrap"><span k="{key}">{html.escape(said)}</span></div>'
            "<div style='flex:1;overflow:hidden;white-space:nowrap;margin:0 0.4em;direction:rtl'>"
            f'<span k="{key}">{own_dots}</span></div><div><span k="{key}">{page}</span></div></div>'
        )
    return f"<div style='column-span:all'>{''.join(out)}</div>"


def _write_references(manual: Manual, phrases: Sequence[str], rng: np.random.Generator) -> str:
    """Return a list of literature, each behind its label."""
    kind, wide = int(rng.integers(3)), float(rng.uniform(2, 4))
    apart, out = float(rng.uniform(0, 0.6)), []
    for k in range(int(rng.integers(3, 16))):
        name = make_name(rng)
        label = (f"[{k + 1}]", f"[{name[:3]}{int(rng.integers(70, 99))}]", f"{k + 1}.")[kind]
        said = f"{name}. {choose(rng, *phrases)}. {int(rng.integers(1950, 2026))}."
        out.append(
            f"<div style='display:flex;margin-bottom:{apart:.2f}em'>"
            f"<div style='width:{wide:.1f}em;flex:none'>{_say(manual, label)}</div>"
            f"<div>{_say(manual, said)}</div></div>"
        )
    return "".join(out)


def _write_authors(manual: Manual, phrases: Sequence[str], rng: np.random.Generator) -> str:
    """Return a paper's authors beside each other, with where they are."""
    boxes = []
    for _ in range(int(rng.integers(2, 5))):
        lines = [
            make_name(rng),
            *(str(p)[:28] for p in rng.permutation(phrases)[: rng.integers(1, 4)]),
        ]
        boxes.append("".join(f"<div>{_say(manual, line)}</div>" for line in lines))
    where = choose(rng, "center", "left")
    inside = "".join(f"<div style='text-align:{where}'>{b}</div>" for b in boxes)
    return (
        f"<div style='display:flex;justify-content:{choose(rng, 'space-around', 'space-between')};"
        f"column-span:all;margin:1em 0'>{inside}</div>"
    )


def _write_heads(manual: Manual, phrases: Sequence[str], rng: np.random.Generator) -> str:
    """Return a line of two or three texts at the sides and in the middle, as pages are headed."""
    name = make_code(rng)
    middle = str(choose(rng, *phrases))[:40]
    texts = (name, middle, name) if rng.random() < 0.6 else (name, middle)
    said = "".join(f"<div>{_say(manual, t)}</div>" for t in texts)
    rule = choose(rng, "", "", "border-bottom:0.5pt solid #000")
    look = "display:flex;justify-content:space-between;column-span:all"
    return f"<div style='{look};{rule}'>{said}</div>"


def _write_program(manual: Manual, phrases: Sequence[str], rng: np.random.Generator) -> str:
    """Return a program whose lines are numbered at the left."""
    del phrases
    first, out = int(rng.integers(1, 400)), []
    for k, line in enumerate(make_program(rng, int(rng.integers(5, 30)))):
        key = manual.add("code", f"{first + k} {line.text}")
        out.append(
            f"<div style='display:flex;white-space:pre'><div style='width:3em;text-align:right;"
            f'margin-right:1em;flex:none\'><span k="{key}">{first + k}</span></div>'
            f'<div><span k="{key}">{html.escape(line.text)}</span></div></div>'
        )
    return f"<div style='font-family:monospace;font-size:0.8em'>{''.join(out)}</div>"


def _write_records(manual: Manual, phrases: Sequence[str], rng: np.random.Generator) -> str:
    """Return boxes of a few fields that arrows join, as data structures are drawn."""
    words = [w for p in phrases for w in str(p).split() if 2 < len(w) < 12] or ["next"]
    wide, high = float(rng.uniform(260, 420)), float(rng.uniform(120, 260))
    line = f"{rng.uniform(0.4, 1.0):.2f}pt solid #000"
    out: list[str] = []
    corners: list[tuple[float, float]] = []
    for _ in range(int(rng.integers(*_RECORDS))):
        x, y = float(rng.uniform(0, wide - 90)), float(rng.uniform(0, high - 50))
        if any(abs(x - a) < 95 and abs(y - b) < 75 for a, b in corners):
            continue
        corners.append((x, y))
        inside = "none" if rng.random() < 0.3 else line
        fields = "".join(
            f"<div style='border-bottom:{inside};padding:1pt 3pt'>"
            f"{_say(manual, str(choose(rng, *words)))}</div>"
            for _ in range(int(rng.integers(1, 5)))
        )
        out.append(
            f"<div style='position:absolute;left:{x:.0f}pt;top:{y:.0f}pt;border:{line};"
            f"width:{rng.uniform(38, 56):.0f}pt;overflow:hidden'>{fields}</div>"
        )
        if rng.random() < 0.5:
            beside = _say(manual, str(choose(rng, *words)))
            place = f"left:{x + 60:.0f}pt;top:{y:.0f}pt"
            out.append(f"<div style='position:absolute;{place}'>{beside}</div>")
    arrows = "".join(
        f"<line x1='{a + 50:.0f}' y1='{b + 8:.0f}' x2='{c:.0f}' y2='{d + 6:.0f}' stroke='#000' "
        "stroke-width='0.6'/>"
        for (a, b), (c, d) in zip(corners, corners[1:], strict=False)
    )
    return (
        f"<div style='position:relative;height:{high:.0f}pt;width:{wide:.0f}pt;break-inside:avoid;"
        f"font-size:7pt;margin:1em auto'><svg width='{wide:.0f}pt' height='{high:.0f}pt' "
        f"viewBox='0 0 {wide:.0f} {high:.0f}'>{arrows}</svg>{''.join(out)}</div>"
    )


def _write_grammar(manual: Manual, phrases: Sequence[str], rng: np.random.Generator) -> str:
    """Return rules of a grammar: names, a sign, and what they may be, each on a line."""
    words = _find_words(phrases)
    sign, bar = str(choose(rng, "::=", "::=", ":", "=", "->")), str(choose(rng, "|", "|", "/", ""))
    around = choose(rng, "<{}>", "{}", "{}", "'{}'")

    def say_some() -> str:
        count = int(rng.integers(1, 6))
        return " ".join(choose(rng, around, "{}").format(choose(rng, *words)) for _ in range(count))

    places, out = float(rng.uniform(3, 12)), []
    for _ in range(int(rng.integers(3, 12))):
        name = around.format(choose(rng, *words))
        for k in range(int(rng.integers(1, 6))):
            texts = (name if k == 0 else "", sign if k == 0 else bar, say_some())
            key = manual.add("text", " ".join(t for t in texts if t))
            boxes = "".join(
                f"<div style='min-width:{wide:.1f}em'>"
                f'<span k="{key}">{html.escape(t)}</span></div>'
                for t, wide in zip(texts, (places, 2.0, 0.0), strict=True)
            )
            out.append(f"<div style='display:flex;gap:0.5em;break-inside:avoid'>{boxes}</div>")
    face = choose(rng, "inherit", "monospace")
    return f"<div style='font-family:{face};font-size:0.9em;margin:0.8em 0'>{''.join(out)}</div>"


def _write_session(manual: Manual, phrases: Sequence[str], rng: np.random.Generator) -> str:
    """Return what was typed into a calculating program, and its numbered answers."""
    prompt, answer = choose(
        rng, ("(%i{})", "(%o{})"), ("In[{}]:", "Out[{}]:"), ("> ", ""), ("? ", "%{} ="), (">>>", "")
    )
    names, first, lines = "abcfgnxyz", int(rng.integers(1, 90)), []
    for k in range(first, first + int(rng.integers(2, 9))):
        x, y = choose(rng, *names), choose(rng, *names)
        a, b = (int(v) for v in rng.integers(2, 99, 2))
        asked = (f"{x}({a}*{y}^{b % 9})", f"{x}:{a}/({y}+{b})", f"{choose(rng, *phrases)}"[:40],
                 f"{x} = [{a}, {b}; {b}, {a}]", f"solve({x}^2-{a}={b},{x});")  # fmt: skip
        lines.append(f"{prompt.format(k)} {choose(rng, *asked)}")
        own, before = answer.format(k), " " * int(rng.integers(2, 24))
        kind = int(rng.integers(5))
        if kind == 0:  # a fraction, as letters of one width draw it
            wide = int(rng.integers(3, 12))
            top, low = f"{x}  + {a}", f"{b} {y}"
            lines += [f"{'':>{len(own)}}{before}{top}", f"{own}{before}{'-' * wide}",
                      f"{'':>{len(own)}}{before}{low}"]  # fmt: skip
        elif kind == 1:  # a power above its line
            raised = before + " " * (len(own) + int(rng.integers(1, 6)))
            lines += [f"{raised}{b % 9}", f"{own}{before}{x}  + {a} {y}"]
        elif kind == 2:  # a matrix
            lines.append(own)
            lines += [
                "[" + " ".join(f"{v:>4}" for v in rng.integers(0, 99, 3)) + "]" for _ in range(3)
            ]
        else:
            lines.append(f"{own}{before if kind == 3 else ' '}{a * b} {x}")
        lines += [""] * int(choose(rng, 0, 1))
    return _type_lines(manual, lines, "text")


def _write_commands(manual: Manual, phrases: Sequence[str], rng: np.random.Generator) -> str:
    """Return commands that are typed line by line, many with the same first word, often shaded."""
    words = _find_words(phrases)
    prompt = str(choose(rng, "$ ", "$ ", "# ", "> ", "", "% "))
    own = [str(choose(rng, *words)) for _ in range(2)]
    lines = []
    for _ in range(int(rng.integers(1, 9))):
        rest = " ".join(str(choose(rng, *words)) for _ in range(int(rng.integers(1, 4))))
        sign = str(choose(rng, "", "", "--", "-", "/"))
        lines.append(f"{prompt}{choose(rng, *own)} {sign}{rest}")
    look = choose(rng, "background:#e6e6e6", "background:#f2f2f2", "border:0.5pt solid #000", "")
    return _type_lines(manual, lines, "code", f"padding:{rng.uniform(0, 5):.1f}pt;{look}")


def _write_declarations(manual: Manual, phrases: Sequence[str], rng: np.random.Generator) -> str:
    """Return a record of a program: each field's type, then its name, under each other."""
    words = _find_words(phrases)
    kinds = ["int", "double", "char *", f"{choose(rng, *words)}_t", "unsigned long", "bool"]
    wide, end = int(rng.integers(8, 22)), str(choose(rng, ";", ";", ",", ""))
    begin, finish = choose(rng, ("typedef struct {", "}} {}_t;"), ("struct {} {{", "}};"))
    name = str(choose(rng, *words))
    lines = [begin if begin.endswith("struct {") else begin.format(name)]
    for _ in range(int(rng.integers(3, 25))):
        field = "_".join(str(choose(rng, *words)) for _ in range(int(rng.integers(1, 3))))
        remark = f"  /* {choose(rng, *phrases)[:30]} */" if rng.random() < 0.2 else ""
        lines.append(f"  {choose(rng, *kinds):<{wide}} {field}{end}{remark}")
    lines.append(finish.format(name))
    return _type_lines(manual, lines, "code")


def _write_fractions(manual: Manual, phrases: Sequence[str], rng: np.random.Generator) -> str:
    """Return equations with words and numbers over and under lines, each with its number."""
    words = _find_words(phrases)

    def say_some(most: int) -> str:
        signs = choose(rng, " + ", " · ", " − ", "/")
        count = int(rng.integers(1, most + 1))
        terms = (choose(rng, *words, str(int(rng.integers(1, 999)))) for _ in range(count))
        return _say(manual, str(signs).join(str(t) for t in terms))

    out = []
    for k in range(int(rng.integers(1, 5))):
        above, below = say_some(3), say_some(3)
        fraction = (
            f"<div style='text-align:center'><div style='border-bottom:0.5pt solid #000'>{above}"
            f"</div><div>{below}</div></div>"
        )
        more = f"<div>+</div><div>{say_some(1)}</div>" if rng.random() < 0.5 else ""
        number = _say(manual, f"({k + 1})") if rng.random() < 0.7 else ""
        out.append(
            "<div style='display:flex;align-items:center;justify-content:center;gap:0.5em;"
            f"margin:0.8em 0;break-inside:avoid'><div>{say_some(1)}</div>"
            f"<div>=</div>{fraction}{more}"
            f"<div style='margin-left:{rng.uniform(2, 8):.1f}em'>{number}</div></div>"
        )
    return "".join(out)


def _write_answers(manual: Manual, phrases: Sequence[str], rng: np.random.Generator) -> str:
    """Return numbered prompts at the left, with what was typed or, in the middle, the answer."""
    letter, first = choose(rng, ("%i", "%o"), ("in ", "out "), ("", "")), int(rng.integers(1, 90))
    wide, out = float(rng.uniform(3, 5)), []
    for k in range(first, first + int(rng.integers(2, 8))):
        typed = f"{choose(rng, *phrases)}"[:30] + ";"
        values = ", ".join(str(v) for v in rng.integers(0, 99, int(rng.integers(1, 8))))
        for sign, said, place in ((letter[0], typed, "left"), (letter[1], values, "center")):
            out.append(
                f"<div style='display:flex'><div style='width:{wide:.1f}em;flex:none'>"
                f"{_say(manual, f'({sign}{k})')}</div><div style='flex:1;text-align:{place}'>"
                f"{_say(manual, said)}</div></div>"
            )
    return f"<div style='margin:0.6em 0'>{''.join(out)}</div>"


_MAKERS: tuple[Callable[[Manual, Sequence[str], np.random.Generator], str], ...] = (
    *[_write_contents] * 3,
    *[_write_references] * 2,
    _write_authors,
    _write_heads,
    _write_program,
    *[_write_records] * 2,
    *[_write_grammar] * 2,
    *[_write_session] * 2,
    *[_write_commands] * 2,
    _write_declarations,
    _write_fractions,
    _write_answers,
)
