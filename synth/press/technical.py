"""Columns of tables as handbooks have them: what is typed, short figures, signs, sentences."""

from __future__ import annotations

from collections.abc import Callable

from synth.press.model import Align
from synth.press.words import Column, Rng, make_sentence, pick
from synth.text import make_code

_OFTEN = 0.5
_NAMES = ("rate", "berth", "open", "list", "tide", "sum", "day", "log", "set", "tons")


def make_technical(rng: Rng) -> Column:
    """Return a column of one of the kinds that handbooks have."""
    return _KINDS[int(rng.integers(len(_KINDS)))](rng)


def _make_names(rng: Rng) -> Column:
    ends = ("", "_no", ".open", "()", "*", " -v", "_max")
    head = pick(rng, ("Name", "Command", "Option", "Keyword"))
    return Column(
        head, "", lambda: pick(rng, _NAMES) + pick(rng, ends), "l", typed=rng.random() < _OFTEN
    )


def _make_calls(rng: Rng) -> Column:
    def make() -> str:
        first, second, third = (pick(rng, _NAMES) for _ in range(3))
        return f'{first}({second}, {third} = "{make_code(rng)}")'

    head = pick(rng, ("Call", "Form", "Usage"))
    return Column(head, "", make, "l", typed=rng.random() < _OFTEN)


def _make_counts(rng: Rng) -> Column:
    most = int(rng.choice([1, 2, 9, 99]))
    head = pick(rng, ("R²", "n", "Df", "p", "k", "0", "1", "No."))
    return Column(head, "", lambda: str(int(rng.integers(0, most + 1))), _align(rng, "lcr"))


def _make_measured(rng: Rng) -> Column:
    places, top = int(rng.integers(1, 5)), float(rng.choice([1, 3, 40]))
    least = -top if rng.random() < _OFTEN else 0.0

    def make() -> str:
        mark = pick(rng, ("", "", "", "*", "**", "²"))
        return f"{rng.uniform(least, top):.{places}f}{mark}"

    head = pick(rng, ("Mean", "S.E.", "Value", "Estimate", "Step 1", "10"))
    return Column(head, "", make, _align(rng, "cr"))


def _make_choices(rng: Rng) -> Column:
    words = pick(
        rng, ("yes no", "left right", "float int char", "off on", "frame sub-frame", "I R L S")
    ).split()
    return Column(pick(rng, ("Type", "Kind", "Set", "Side")), "", lambda: pick(rng, words), "l")


def _make_meanings(rng: Rng) -> Column:
    def make() -> str:
        return make_sentence(rng)[: int(rng.integers(12, 60))].strip()

    head = pick(rng, ("Meaning", "Description", "Notes", "Comments"))
    return Column(head, "", make, _align(rng, "llc"))


def _make_expressions(rng: Rng) -> Column:
    def make() -> str:
        sign = pick(rng, (":", "=", "+", "<:", "-", "x", "/"))
        return f"{pick(rng, _NAMES)} {sign} {pick(rng, _NAMES)}"

    head = pick(rng, ("Syntax", "Form", "Case", "Range"))
    return Column(
        head,
        "",
        make,
        _align(rng, "llc"),
        typed=rng.random() < _OFTEN,
        word_gap=float(rng.choice([0.0, 0.3, 0.6, 1.0])),
    )


def make_formula_column(rng: Rng) -> Column:
    """Return a column of formulas with low figures."""

    def make() -> str:
        a, b = (pick(rng, ("x", "y", "n", "a", "T", "CO", "H", "k")) for _ in range(2))
        i, j = (int(rng.integers(1, 9)) for _ in range(2))
        return pick(
            rng,
            (
                f"{a}{i}",
                f"{a}{i} + {b}{j}",
                f"{a}{i} = {j} {b}{i}",
                f"{a}{i}({b}{j} - {b}{i})",
                f"{j}{a}{i}{b}{j}",
                f"{a}{i} / {b}{j}",
            ),
        )

    head = pick(rng, ("Form", "Relation", "Symbol", "Value"))
    return Column(head, "", make, _align(rng, "lc"), formula=True)


def _align(rng: Rng, ways: str) -> Align:
    chosen: Align = pick(rng, tuple(ways))  # type: ignore[assignment]
    return chosen


_KINDS: tuple[Callable[[Rng], Column], ...] = (
    _make_names,
    _make_calls,
    _make_counts,
    _make_measured,
    _make_choices,
    _make_meanings,
    _make_expressions,
)
