"""What is written in made cells: numbers, dates, codes, names, words, phrases, symbols."""

from __future__ import annotations

import gzip
import zlib
from collections.abc import Callable, Mapping
from functools import cache
from pathlib import Path
from typing import Literal

import numpy as np

Group = Literal[
    "number", "date", "code", "name", "word", "phrase", "symbols", "look-alikes", "lone marks"
]
Rng = np.random.Generator

WORD_DIR = Path(__file__).resolve().parent.parent / ".cache" / "words"
WORD_PACKAGES = (
    "wbritish",
    "wamerican",
    "wfrench",
    "wngerman",
    "wspanish",
    "witalian",
    "wdutch",
    "wportuguese",
    "wswedish",
    "wdanish",
    "wnorwegian",
)
HELD_SHARE = 10  # one word in ten is kept out of training

MONTHS = [
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
]
DAYS = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"]
UNITS = [
    "kg",
    "t",
    "cwt",
    "lb",
    "oz",
    "g",
    "mg",
    "l",
    "ml",
    "gal",
    "m",
    "cm",
    "mm",
    "km",
    "ft",
    "in",
    "yd",
    "nm",
    "kn",
    "h",
    "min",
    "s",
    "days",
    "hrs",
    "pcs",
    "doz",
    "bags",
    "casks",
    "brl",
    "bbl",
    "kW",
    "V",
    "A",
    "Hz",
    "°C",
    "°F",
    "m²",
    "m³",
    "%",
    "‰",
]
CURRENCIES = ("£", "$", "€", "¥", "¢", "kr", "Fr", "£ ", "$ ", "€ ")
LOWER = "abcdefghijklmnopqrstuvwxyz"
UPPER = LOWER.upper()
ACCENTED = "àáâãäåæçèéêëìíîïðñòóôõöøùúûüýþÿßœšžÀÁÂÃÄÅÆÇÈÉÊËÌÍÎÏÐÑÒÓÔÕÖØÙÚÛÜÝÞŒŠŽ"
MARKS = ("*", "†", "‡", "§", "¹", "²", "³", "ª", "º", "**", "(a)", "(b)", "¶")
RARE = "£€¥¢°±×÷½¼¾²³¹µ§†‡•–—‘’“”…№✓«»¿¡ªº¶©®¦¬"
APOSTROPHES = ("'", "’")
DASHES = ("-", "–", "—", "-", "–")
LIKE_LETTERS = (
    "O0QoD",
    "Il1|i",
    "S5s",
    "B8R3",
    "Z2z7",
    "G6C0",
    "vVwWyY",
    "cCoOsSxXzZ",
    "rnm",
    "uvUV",
)
DIGITS = "0123456789"
PUNCT = "!\"#$%&'()*+,-./:;<=>?@[\\]^_`{|}~"


@cache
def load_words(package: str, *, held: bool) -> tuple[str, ...]:
    """Return the words of one fetched list, either the held-out tenth or the rest."""
    words: set[str] = set()
    for path in sorted((WORD_DIR / f"deb-{package}").rglob("usr/share/dict/*")):
        if not path.is_file() or path.is_symlink():
            continue
        raw = path.read_bytes()
        text = gzip.decompress(raw) if path.suffix == ".gz" else raw
        try:
            lines = text.decode("utf-8")
        except UnicodeDecodeError:
            lines = text.decode("latin-1")
        words.update(w for w in lines.split() if 1 < len(w) < 16)
    return tuple(w for w in sorted(words) if (zlib.crc32(w.encode()) % HELD_SHARE == 0) == held)


def _pick(rng: Rng, options: tuple[str, ...] | list[str] | str) -> str:
    return options[int(rng.integers(len(options)))]


def _digits(rng: Rng, count: int) -> str:
    return "".join(str(d) for d in rng.integers(0, 10, count))


def _grouped(digits: str, separator: str) -> str:
    head = len(digits) % 3 or 3
    parts = [digits[:head]] + [digits[i : i + 3] for i in range(head, len(digits), 3)]
    return separator.join(parts)


def _either(rng: Rng, options: list[tuple[float, Callable[[], str]]]) -> str:
    """Draw one of the weighted makers and return what it makes; the rest of 1 makes nothing."""
    roll = rng.random()
    for weight, make in options:
        if roll < weight:
            return make()
        roll -= weight
    return ""


def make_number(rng: Rng) -> str:
    """Draw a number in one of the forms that ledgers and forms use."""
    body = _plain_number(rng)
    front = _either(
        rng,
        [
            (0.08, lambda: _pick(rng, ("-", "–", "+", "±", "- ", "-"))),
            (0.10, lambda: _pick(rng, CURRENCIES)),
            (0.03, lambda: _pick(rng, ("<", ">", "~", "c. ", "No. ", "№ ", "@ ", "x", "× "))),
        ],
    )
    if front:
        return front + body
    if rng.random() < 0.05:
        return f"({body})"
    back = _either(
        rng,
        [
            (0.09, lambda: _pick(rng, ("%", " %", "%"))),
            (0.14, lambda: _pick(rng, ("", " ", " ")) + _pick(rng, UNITS)),
            (0.05, lambda: _pick(rng, ("-", " CR", " DR", "c", "d", "s", "°"))),
            (0.06, lambda: _pick(rng, MARKS)),
        ],
    )
    return body + back


def _plain_number(rng: Rng) -> str:
    counts, shares = [1, 2, 3, 4, 5, 6, 7, 9], [0.1, 0.2, 0.22, 0.2, 0.13, 0.08, 0.05, 0.02]
    digits = _digits(rng, int(rng.choice(counts, p=shares)))
    if len(digits) > 1 and digits[0] == "0" and rng.random() < 0.8:
        digits = str(rng.integers(1, 10)) + digits[1:]
    comma, point = (",", ".") if rng.random() < 0.72 else (".", ",")
    if rng.random() < 0.12:
        comma = _pick(rng, (" ", "'", " "))
    body = _grouped(digits, comma) if rng.random() < 0.6 else digits
    places = int(rng.choice([1, 2, 3, 4], p=[0.25, 0.55, 0.14, 0.06]))
    if rng.random() < 0.5:
        return body + point + _digits(rng, places)
    return body + _either(
        rng,
        [
            (0.06, lambda: _pick(rng, ("½", "¼", "¾", " ½", " 1/2", " 3/4", " 7/8"))),
            (0.06, lambda: "/" + _digits(rng, int(rng.integers(1, 4)))),
            (0.06, lambda: _pick(rng, ("-", "–", " - ", " to ")) + _digits(rng, len(digits))),
            (0.04, lambda: _pick(rng, "Ee") + _pick(rng, ("+", "-", "")) + _digits(rng, 2)),
            (0.04, lambda: f"-{_digits(rng, 2)}-{_digits(rng, 2)}"),
            (0.04, lambda: f"°{_digits(rng, 2)}'" + _pick(rng, ("", "N", "W", ' 30"'))),
        ],
    )


def make_date(rng: Rng) -> str:
    """Draw a date, a time or a span of dates in a common form."""
    day, month = int(rng.integers(1, 32)), int(rng.integers(12))
    year = int(rng.integers(1890, 2030))
    name = MONTHS[month] if rng.random() < 0.4 else MONTHS[month][:3]
    if rng.random() < 0.12:
        name = name.upper()
    sep = _pick(rng, "/.-")
    two = f"{year % 100:02d}"
    clock = f"{rng.integers(24):02d}{_pick(rng, ':.:')}{rng.integers(60):02d}"
    half = _pick(rng, ("am", "pm", "a.m.", "p.m.", "AM"))
    forms: list[str] = [
        f"{day} {name} {year}",
        f"{day} {name}",
        f"{name} {day}, {year}",
        f"{day:02d}{sep}{month + 1:02d}{sep}{year}",
        f"{day}{sep}{month + 1}{sep}{two}",
        f"{year}-{month + 1:02d}-{day:02d}",
        f"{name} {year}",
        f"{day}-{name}-{two}",
        f"{year}",
        f"{year}/{two}",
        f"{year}-{two}",
        clock,
        f"{clock}:{rng.integers(60):02d}",
        f"{rng.integers(1, 13)}.{rng.integers(60):02d} {half}",
        f"{_pick(rng, DAYS)[:3]} {day} {name}",
        f"{day}{_pick(rng, ('st', 'nd', 'rd', 'th'))} {name}",
        f"{day}–{day + 3} {name}",
        f"Q{rng.integers(1, 5)} {year}",
        f"{name} '{two}",
        f"{rng.integers(24):02d}{rng.integers(60):02d}",
        f"Week {rng.integers(1, 53)}",
        f"{_pick(rng, DAYS)}",
        f"{name}",
    ]
    return _pick(rng, forms)


def make_code(rng: Rng) -> str:
    """Draw an account, part or register code."""

    def some(pool: str, low: int, high: int) -> str:
        return "".join(_pick(rng, pool) for _ in range(int(rng.integers(low, high))))

    capitals, figures = some(UPPER, 1, 4), some("0123456789", 1, 5)
    stop = _pick(rng, ("", ". ", "."))
    forms = [
        f"{capitals} {figures}",
        f"{capitals}{_pick(rng, ('-', '/', '.', ''))}{_digits(rng, int(rng.integers(2, 6)))}",
        f"{_digits(rng, 2)}-{capitals}-{_digits(rng, 3)}",
        some(UPPER + "0123456789" * 2, 3, 9),
        some(UPPER + LOWER + "0123456789", 3, 8),
        f"{_digits(rng, 4)}/{_digits(rng, 2)}{_pick(rng, ('', 'A', 'B', 'c'))}",
        f"#{_digits(rng, int(rng.integers(2, 6)))}",
        f"{_pick(rng, UPPER)}{stop}{_pick(rng, UPPER)}{stop.strip()}",
        f"{_digits(rng, 3)}.{_digits(rng, 3)}.{_digits(rng, 2)}",
        # Short pieces apart, as berths, bays, grid squares and measures are written: without many
        # of them a reader learns to close the gap.
        f"{_pick(rng, UPPER)} {some('0123456789', 1, 4)}",
        f"{some('0123456789', 1, 4)} {_pick(rng, UPPER + LOWER)}",
        " ".join(
            some(_pick(rng, (UPPER, LOWER, "0123456789")), 1, 3)
            for _ in range(int(rng.integers(2, 4)))
        ),
        f"{some(UPPER, 1, 3)} {some('0123456789', 1, 3)} {_pick(rng, UPPER)}",
    ]
    return _pick(rng, forms)


def make_pseudo_word(rng: Rng) -> str:
    """Draw a pronounceable word that is in no dictionary."""
    onsets = [
        "b",
        "br",
        "c",
        "ch",
        "d",
        "dr",
        "f",
        "fl",
        "g",
        "gr",
        "h",
        "j",
        "k",
        "kl",
        "l",
        "m",
        "n",
        "p",
        "pr",
        "qu",
        "r",
        "s",
        "sh",
        "sk",
        "st",
        "t",
        "th",
        "tr",
        "v",
        "w",
        "y",
        "z",
    ]
    vowels = ["a", "e", "i", "o", "u", "ai", "ea", "ee", "oo", "ou", "y"]
    codas = ["", "", "n", "r", "l", "ck", "nd", "st", "rt", "m", "s", "x", "th", "ng"]
    count = int(rng.integers(1, 4))
    return "".join(
        _pick(rng, onsets) + _pick(rng, vowels) + _pick(rng, codas) for _ in range(count)
    )


def _case(rng: Rng, word: str) -> str:
    roll = rng.random()
    if roll < 0.45:
        return word
    return word.capitalize() if roll < 0.8 else word.upper()


def _word(rng: Rng, *, held: bool) -> str:
    roll = rng.random()
    if roll < 0.72:
        package = WORD_PACKAGES[0] if rng.random() < 0.6 else _pick(rng, WORD_PACKAGES)
        return _pick(rng, load_words(package, held=held))
    if roll < 0.94:
        return make_pseudo_word(rng)
    letters = LOWER if rng.random() < 0.6 else LOWER + ACCENTED
    return "".join(_pick(rng, letters) for _ in range(int(rng.integers(2, 9))))


def make_word(rng: Rng, *, held: bool = False) -> str:
    """Draw one word in some case, now and then with an accent, a hyphen or a stop."""
    word = _case(rng, _word(rng, held=held))
    roll = rng.random()
    if roll < 0.06:
        word += _pick(rng, (".", ",", ":", "?", "!", ";"))
    elif roll < 0.10:
        word += "-" + _word(rng, held=held)
    elif roll < 0.12:
        word = f"({word})"
    elif roll < 0.14:
        word += _pick(rng, MARKS)
    elif roll < 0.16:
        word = _pick(rng, ("‘{}’", "“{}”", '"{}"', "'{}'", "«{}»")).format(word)
    elif roll < 0.18:
        word += _pick(rng, ("'s", "’s"))
    return word


def make_name(rng: Rng, *, held: bool = False) -> str:
    """Draw a made-up person, vessel or place."""
    first, last = make_pseudo_word(rng).capitalize(), _word(rng, held=held).capitalize()
    forms = [
        f"{first} {last}",
        f"{first[0]}. {last}",
        f"{last}, {first[0]}.",
        f"{first} of {last}",
        f"{last} & Co.",
        f"{first} {_pick(rng, ('II', 'III', 'IV', 'V'))}",
        f"Mrs {last}",
        f"{first}",
        f"{last} Ltd",
        f"St {last}",
        f"{first[0]}.{last[0]}. {last}",
        f"{first.upper()} {last.upper()}",
        f"Capt. {last}",
        f"{first}-{last}",
        f"{last} ({first[0]})",
    ]
    return _pick(rng, forms)


def make_phrase(rng: Rng, *, held: bool = False) -> str:
    """Draw two to six words, at times with a number or stops among them."""
    words = [_word(rng, held=held) for _ in range(int(rng.integers(2, 6)))]
    roll = rng.random()
    if roll < 0.3:
        words = [w.lower() for w in words]
        words[0] = words[0].capitalize()
    elif roll < 0.42:
        words = [w.upper() for w in words]
    elif roll < 0.55:
        words = [w.capitalize() for w in words]
    if rng.random() < 0.25:
        words[int(rng.integers(len(words)))] = make_number(rng)
    if rng.random() < 0.12:
        words[-2] += _pick(rng, ",:;")
    if rng.random() < 0.15:
        words.insert(
            1, _pick(rng, ("&", "-", "–", "—", "of", "the", "to", "/", "+", "a", "in", "per", "I"))
        )
    if rng.random() < 0.15:
        words[-1] += _pick(rng, (".", "…", "!", "?", "."))
    return " ".join(words)


def make_symbols(rng: Rng) -> str:
    """Draw a short string heavy in rare signs, so that each is learnt."""
    roll = rng.random()
    if roll < 0.3:
        pool = RARE + PUNCT
        return "".join(_pick(rng, pool) for _ in range(int(rng.integers(1, 6))))
    if roll < 0.6:
        base = list(_digits(rng, int(rng.integers(2, 6))))
        base.insert(int(rng.integers(len(base) + 1)), _pick(rng, RARE + PUNCT + "…"))
        return "".join(base)
    if roll < 0.85:
        base = list(make_pseudo_word(rng))
        base.insert(int(rng.integers(len(base) + 1)), _pick(rng, RARE + PUNCT + ACCENTED))
        return "".join(base)
    return _pick(
        rng,
        (
            "-",
            "–",
            "—",
            "nil",
            "✓",
            "*",
            "do.",
            "N/A",
            "n/a",
            '"',
            "..",
            "…",
            "0",
            "1",
            "x",
            "X",
            "I",
            "l",
            "O",
            "No",
            "a",
            "A",
            "•",
            "§",
            "'",
            "7",
            "- -",
            "--",
            "=",
            "+",
        ),
    )


def make_look_alikes(rng: Rng, *, held: bool = False) -> str:
    """Draw a text that turns on signs of nearly one shape, each as often as its likes.

    The word lists know one kind of apostrophe only, and ranges of numbers mostly one kind of dash;
    paper knows all of them, and a face shows which it is.
    """
    quote, dash = _pick(rng, APOSTROPHES), _pick(rng, DASHES)
    word = _case(rng, _word(rng, held=held)).replace("'", quote)

    def own() -> str:
        return word if quote in word else word + quote + ("S" if word.isupper() else "s")

    def elided() -> str:
        return _pick(rng, ("O", "D", "L", "d", "l", "qu", "n", "N", "Qu", "dell")) + quote + word

    def enclosed() -> str:
        pair = _pick(rng, ("‘’", "“”", "''", '""', "«»", "‚’", "„“", "()", "[]", "{}"))
        return f"{pair[0]}{word}{pair[1]}" if rng.random() < 0.7 else word + _pick(rng, pair)

    def raised() -> str:
        figure = _digits(rng, int(rng.integers(1, 4)))
        return figure + _pick(rng, ("'", "’", '"', "”", "°", "º", "ª", "*", "²", "³", "²"))

    def span() -> str:
        low, high = (_digits(rng, int(rng.integers(1, 5))) for _ in range(2))
        return f"{low}{dash}{high}" if rng.random() < 0.75 else f"{low} {dash} {high}"

    def joined() -> str:
        other = _case(rng, _word(rng, held=held)).replace("'", quote)
        return f"{word}{dash}{other}" if rng.random() < 0.5 else f"{word} {dash} {other}"

    def negative() -> str:
        return dash + _pick(rng, ("", " ")) + make_number(rng).lstrip("+-–±$£€ ")

    def code() -> str:
        pool = _pick(rng, LIKE_LETTERS)
        count = int(rng.integers(1, 9))
        signs = [_pick(rng, pool if rng.random() < 0.6 else UPPER + DIGITS) for _ in range(count)]
        if count > 3 and rng.random() < 0.3:
            signs.insert(int(rng.integers(1, count)), _pick(rng, (*DASHES, "/", ".", " ")))
        return "".join(signs)

    def parted() -> str:
        left, right = (_digits(rng, int(rng.integers(1, 4))) for _ in range(2))
        return left + _pick(rng, (".", ",", ":", ";", "'", "’", " ")) + right

    def ended() -> str:
        return word + _pick(rng, (".", ",", ":", ";", "!", "l", "I", "i", "j", "…", "..", "•"))

    return _either(
        rng,
        [
            (0.16, own),
            (0.06, elided),
            (0.08, enclosed),
            (0.06, raised),
            (0.14, span),
            (0.10, joined),
            (0.04, negative),
            (0.18, code),
            (0.08, parted),
            (1.0, ended),
        ],
    )


def make_lone_mark(rng: Rng) -> str:
    """Draw what stands alone for nil, ditto or see below, and the short texts taken for it."""
    return _either(
        rng,
        [
            (0.5, lambda: _pick(rng, DASHES)),
            (0.12, lambda: _pick(rng, ('"', "”", "»", "''", ",,"))),
            (0.1, lambda: _pick(rng, ("--", "- -", "–-", "=", "-.", ".-", ".-."))),
            (0.13, lambda: _pick(rng, (".", "•", "..", "...", "…", "*", "+", "×", "x"))),
            (0.1, lambda: _pick(rng, ("1", "l", "I", "i", "|", "/", "!", "'", "’", ","))),
            (1.0, lambda: _pick(rng, ("0", "O", "o", "°", "7", "✓", "a", "†"))),
        ],
    )


_MAKERS: dict[Group, Callable[..., str]] = {
    "number": make_number,
    "date": make_date,
    "code": make_code,
    "name": make_name,
    "word": make_word,
    "phrase": make_phrase,
    "symbols": make_symbols,
    "look-alikes": make_look_alikes,
    "lone marks": make_lone_mark,
}
_WORDY = frozenset({"name", "word", "phrase", "look-alikes"})
GROUP_SHARES: dict[Group, float] = {
    "number": 0.33,
    "date": 0.12,
    "code": 0.12,
    "name": 0.11,
    "word": 0.15,
    "phrase": 0.10,
    "symbols": 0.07,
}

CODE_HEAVY_SHARES: dict[Group, float] = {
    "number": 0.26,
    "date": 0.12,
    "code": 0.30,
    "name": 0.09,
    "word": 0.11,
    "phrase": 0.07,
    "symbols": 0.05,
}

LOOK_ALIKE_SHARES: dict[Group, float] = {
    **{group: 0.7 * share for group, share in GROUP_SHARES.items()},
    "look-alikes": 0.3,
}

LONE_MARK_SHARES: dict[Group, float] = {
    **{group: 0.93 * share for group, share in LOOK_ALIKE_SHARES.items()},
    "lone marks": 0.07,
}


def make_text(
    rng: Rng, *, held: bool = False, shares: Mapping[Group, float] | None = None
) -> tuple[str, Group]:
    """Draw one cell's text and the group it belongs to.

    Parameters
    ----------
    rng
        Source of chance.
    held
        Draw words from the held-out tenth of the word lists.
    shares
        Share of each group; ``GROUP_SHARES`` unless said otherwise.
    """
    chosen = GROUP_SHARES if shares is None else shares
    groups = list(chosen)
    group = groups[int(rng.choice(len(groups), p=list(chosen.values())))]
    maker = _MAKERS[group]
    text = maker(rng, held=held) if group in _WORDY else maker(rng)
    return " ".join(text.split()), group
