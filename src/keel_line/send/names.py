"""Names of sheets, of tables in workbooks, and of files; characters that no file may hold."""

from __future__ import annotations

import re
from pathlib import Path

_MOST_NAME, _MOST_LIST = 31, 200
_FORBIDDEN = re.compile(r"[\[\]:*?/\\]")
_UNSEEN = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]")
_RETURNS = re.compile(r"\r\n?")
_LIKE_CELL = re.compile(r"^(?:[A-Za-z]{1,3}\d+|[rRcC]\d*)$", re.ASCII)


def clean_text(text: str) -> str:
    r"""Return a text without the characters that XML cannot hold: controls, lone surrogates."""
    if text.isprintable():  # most are, and the quickest answer
        return text
    return _UNSEEN.sub("\ufffd", _RETURNS.sub("\n", text))


def name_sheet(wanted: str, taken: set[str]) -> str:
    r"""Return a sheet name that spreadsheets allow and that is not taken yet; adds it to ``taken``.

    Names are at most 31 characters, without ``[]:*?/\\`` or a quote at either end, and differ in
    more than case.
    """
    plain = _FORBIDDEN.sub(" ", clean_text(wanted)).replace("\n", " ").strip().strip("'").strip()
    plain = plain[:_MOST_NAME].strip("'").strip() or "Table"
    if plain.lower() == "history":  # a name that workbooks keep for themselves
        plain = "History of"
    name, number = plain, 2
    while name.lower() in taken:
        ending = f" ({number})"
        name = plain[: _MOST_NAME - len(ending)].rstrip("'") + ending
        number += 1
    taken.add(name.lower())
    return name


def name_list(wanted: str, taken: set[str]) -> str:
    """Return a name for a table in a workbook: letters, figures and underscores, not taken yet."""
    plain = re.sub(r"\W+", "_", wanted).strip("_")[:_MOST_LIST]
    if not plain or not (plain[0].isalpha() or plain[0] == "_") or _LIKE_CELL.match(plain):
        plain = f"Table_{plain}".rstrip("_")
    name, number = plain, 2
    while name.casefold() in taken:
        name = f"{plain}_{number}"
        number += 1
    taken.add(name.casefold())
    return name


def name_files(target: Path, tables: int) -> list[Path]:
    """Return the paths for a number of tables: ``target`` for one, several beside it.

    Several are called ``NAME-1.csv``, ``NAME-2.csv`` …
    """
    if tables <= 1:
        return [target]
    return [target.with_name(f"{target.stem}-{i}{target.suffix}") for i in range(1, tables + 1)]
