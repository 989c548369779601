"""What statistics programs print: estimates, comparisons, frames and matrices, as listings."""

from __future__ import annotations

import html
from collections.abc import Sequence

import numpy as np

from training.manuals.captions import find_phrases
from training.manuals.listings import ListingLook, write_listing
from training.manuals.looks import choose
from training.manuals.markup import Manual, MarkedCell, MarkedTable, Part

_SHARE = 0.2
_HEADINGS = (
    ("Estimate", "Std. Error", "t value", "Pr(>|t|)"),
    ("Estimate", "Std. Error", "z value", "Pr(>|z|)"),
    ("Df", "Sum Sq", "Mean Sq", "F value", "Pr(>F)"),
    ("Value", "Std.Error", "DF", "t-value", "p-value"),
    ("coef", "exp(coef)", "se(coef)", "z", "p"),
    ("npar", "AIC", "BIC", "logLik", "deviance", "Chisq", "Df", "Pr(>Chisq)"),
    ("Min.", "1st Qu.", "Median", "Mean", "3rd Qu.", "Max."),
    ("2.5 %", "97.5 %"),
    ("mean", "sd", "2.5%", "50%", "97.5%"),
    ("estimate", "lower", "upper"),
    ("n", "events", "median", "0.95LCL", "0.95UCL"),
    ("Variance", "Std.Dev."),
)
_STARS = ("***", "**", "*", ".", "")
_ABOVE = ("Coefficients:", "Random effects:", "Analysis of Variance Table", "$table", "")
_MOST_ROWS, _MOST_NAME, _SIZE = 12, 14, 400


def add_results(manual: Manual, parts: list[Part], rng: np.random.Generator) -> None:
    """Put one to three results among ``parts``, blocks of a manual, in one manual of five."""
    words = [
        word
        for phrase in find_phrases(manual)
        for word in phrase.replace("(", " ").replace(")", " ").split()
        if 2 < len(word) <= _MOST_NAME and word.isalpha()
    ]
    if len(words) < _MOST_ROWS or rng.random() > _SHARE:
        return
    for _ in range(int(rng.integers(1, 4))):
        maker = choose(rng, _make_estimates, _make_estimates, _make_frame, _make_matrix)
        rows = maker(words, rng)
        look = ListingLook(
            between=" " * int(choose(rng, 1, 1, 1, 2)),
            wrapped=60,
            side="figures",
            in_middle=False,
            stroke="",
            whole=False,
            ends=False,
            group=0,
            nameless=False,
        )
        table = _as_table(rows, manual)
        listed = write_listing(table, manual, look, rng)
        if listed is None:
            continue
        if rng.random() < 0.6:
            listed = _say_line(manual, str(choose(rng, *_ABOVE))) + listed
        if rows[0][-1] == "" and maker is _make_estimates:
            listed += _say_line(manual, "---") + _say_line(
                manual, "Signif. codes:  0 '***' 0.001 '**' 0.01 '*' 0.05 '.' 0.1 ' ' 1"
            )
        part = Part(listed, _SIZE, table)
        manual.parts.append(part)  # so that its table is known
        parts.insert(int(rng.integers(len(parts) + 1)), part)


def _say_line(manual: Manual, text: str) -> str:
    if not text:
        return ""
    return f'<pre><span k="{manual.add("text", text)}">{html.escape(text)}</span></pre>'


def _as_table(rows: Sequence[Sequence[str]], manual: Manual) -> MarkedTable:
    """Return rows of texts, the first of them headings, as a table."""
    cells = tuple(
        MarkedCell(r, c, text=manual.add("cell", text), inner=html.escape(text))
        for r, row in enumerate(rows)
        for c, text in enumerate(row)
        if text
    )
    return MarkedTable(len(rows), len(rows[0]), 1, cells)


def _make_estimates(words: Sequence[str], rng: np.random.Generator) -> list[list[str]]:
    """Return effects by their names; some with stars for what is far from chance."""
    heads = choose(rng, *_HEADINGS)
    names = ["(Intercept)"] * (rng.random() < 0.5)
    for _ in range(int(rng.integers(1, _MOST_ROWS))):
        name = str(choose(rng, *words)).lower()
        kind = int(rng.integers(5))
        names.append(
            (name, f"{name}{choose(rng, *words)}", f"{name}:{choose(rng, *words)}", name,
             f"{name}.{int(rng.integers(1, 9))}")[kind]
        )  # fmt: skip
    starred = "Pr(" in heads[-1] and rng.random() < 0.7
    digits = rng.integers(2, 6, len(heads))
    scale = 10.0 ** rng.uniform(-2, 3, len(heads))
    out = [["", *heads, *[""] * starred]]
    for name in names:
        values = []
        for k, head in enumerate(heads):
            if head in {"Df", "DF", "npar", "n", "events"}:
                values.append(str(int(rng.integers(1, 400))))
            elif head in {"Pr(>|t|)", "Pr(>|z|)", "Pr(>F)", "Pr(>Chisq)", "p", "p-value"}:
                values.append(_write_chance(rng))
            else:
                values.append(f"{rng.normal() * scale[k]:.{digits[k]}f}")
        if len(heads) > 3 and name == names[-1] and rng.random() < 0.3:
            values[-2:] = ["", ""]  # what is left over has no test
        stars = [str(choose(rng, *_STARS))] * starred
        out.append([name, *values, *stars])
    return out


def _write_chance(rng: np.random.Generator) -> str:
    kind = rng.random()
    if kind < 0.2:
        return str(choose(rng, "<2e-16", "< 2e-16", "<0.001", "<.0001"))
    if kind < 0.45:
        return f"{10 ** rng.uniform(-14, -4):.2e}"
    return f"{rng.random() ** 2:.{int(rng.integers(3, 6))}f}"


def _make_frame(words: Sequence[str], rng: np.random.Generator) -> list[list[str]]:
    """Return numbered rows of values under short names."""
    cols, count = int(rng.integers(1, 7)), int(rng.integers(3, 24))
    first = int(choose(rng, 1, 1, 1, 21, 95))
    out = [["", *(str(choose(rng, *words)).lower() for _ in range(cols))]]
    kinds = rng.integers(4, size=cols)
    levels = [[str(w) for w in rng.permutation(words)[:3]] for _ in range(cols)]
    tens = 10.0 ** rng.uniform(0, 4, cols)
    for k in range(count):
        row = [str(first + k)]
        for c, kind in enumerate(kinds.tolist()):
            value = rng.random() * tens[c]
            texts = (f"{value:.0f}", f"{value:.2f}", str(choose(rng, *levels[c])), f"{value:.1f}")
            row.append("NA" if rng.random() < 0.04 else texts[kind])
        out.append(row)
    return out


def _make_matrix(words: Sequence[str], rng: np.random.Generator) -> list[list[str]]:
    """Return figures in rows and columns that have numbers in brackets, or names."""
    cols, count = int(rng.integers(2, 8)), int(rng.integers(2, 12))
    named = rng.random() < 0.5
    digits, scale = int(rng.integers(0, 5)), 10.0 ** rng.uniform(0, 3)
    names = [str(choose(rng, *words)) for _ in range(max(cols, count))]
    out = [["", *(names[c] if named else f"[,{c + 1}]" for c in range(cols))]]
    for r in range(count):
        values = (f"{rng.normal() * scale:.{digits}f}" for _ in range(cols))
        out.append([names[r] if named else f"[{r + 1},]", *values])
    return out
