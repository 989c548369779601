"""Collect every text that the program may show, with its place, to be read from top to bottom.

Run as ``python -m tools.words``. Placeholders of a text stand as ``{…}``.
"""

from __future__ import annotations

import ast
import re
import sys
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

SOURCE = Path(__file__).resolve().parent.parent / "src" / "keel_line"
PLACEHOLDER = "{…}"
_SHOWN_IN = ("ui", "cli.py", "settings.py")
_ERRORS = {"InputError", "OutputError", "DocketError", "KeelLineError", "UsageError", "reported_as"}
_TELLERS = _ERRORS | {"Failed", "Taken", "Notice", "Finding", "LineDoubt", "Verdict", "Reading"}
_NO_WORDS = re.compile(r"^[\W\d_]*$")
_CODE = re.compile(
    r"^[a-z0-9_.:/#-]+$|^(SELECT|INSERT|UPDATE|DELETE|PRAGMA|BEGIN|CREATE) |[{;]\s*\n|: #|px;"
    r"|border|CAST\(|_by_hand|_id, |^SQLITE_|ORDER BY|AND p\.|font-weight|white-space|^\{\w+\}$"
)
_STYLES = frozenset({"setStyleSheet", "setObjectName", "getLogger", "setFeature", "Tag", "compile"})


@dataclass(frozen=True, order=True)
class Words:
    """A text and where it stands: a module and a line."""

    module: str
    line: int
    text: str


MOST_CHARACTERS = 90
"""A text on screen is no longer than this, its placeholders left out."""

RETIRED = (
    "take back",
    "taken back",
    "takes it back",
    "put right",
    "puts right",
    "wants a look",
    "want a look",
    "pass unseen",
    "to look at",
    "looked at",
    "anew",
    "go out",
    "come out",
    "as it stands",
    "here stands",
    "goes by the ending",
    "put it to the test",
    "heading row more",
    "later in order",
    "what shall be",
    "lay on other",
    "any more",
)
"""Phrases that a newcomer had to read twice; docs/wording.md says what to write instead."""


def collect_words() -> list[Words]:
    """Return every text that may be shown, in the order of its modules and lines."""
    return sorted({words for path in sorted(SOURCE.rglob("*.py")) for words in _collect(path)})


def _collect(path: Path) -> Iterator[Words]:
    name = path.relative_to(SOURCE).as_posix()
    shown = name.startswith(_SHOWN_IN)
    tree = ast.parse(path.read_text(encoding="utf-8"))
    for node, told in _walk(tree, told=shown):
        text = _text_of(node)
        if told and text is not None and _is_shown(text):
            yield Words(name, node.lineno, text)


def _walk(node: ast.AST, *, told: bool) -> Iterator[tuple[ast.expr, bool]]:
    """Yield the texts below a node, and whether each may be shown."""
    for child in ast.iter_child_nodes(node):
        if _is_docstring(child) or isinstance(child, ast.arg):
            continue
        if isinstance(child, (ast.FunctionDef, ast.ClassDef, ast.Lambda)):
            yield from _walk(child, told=told)
            continue
        if isinstance(child, ast.Call):
            called = _name_of(child.func)
            if called in _STYLES:
                continue
            yield from _walk(child, told=told or called in _TELLERS)
            continue
        if isinstance(child, ast.Assign | ast.AnnAssign) and not told:
            # Texts that are told later: a name in a station's module that holds sentences.
            yield from _walk(child, told=_holds_sentences(child))
            continue
        if isinstance(child, ast.Return) and not told:
            yield from _walk(child, told=_holds_sentences(child))
            continue
        if isinstance(child, ast.JoinedStr | ast.Constant):
            yield child, told
            if isinstance(child, ast.JoinedStr):
                for part in child.values:
                    if isinstance(part, ast.FormattedValue):
                        yield from _walk(part.value, told=told)
            continue
        yield from _walk(child, told=told)


def _is_docstring(node: ast.AST) -> bool:
    return isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant)


def _name_of(func: ast.expr) -> str:
    return func.attr if isinstance(func, ast.Attribute) else getattr(func, "id", "")


def _holds_sentences(node: ast.AST) -> bool:
    texts = (_text_of(n) for n in ast.walk(node) if isinstance(n, ast.expr))
    return any(t is not None and len(t.split()) > 2 and not _CODE.search(t) for t in texts)


def _text_of(node: ast.AST) -> str | None:
    if isinstance(node, ast.Constant):
        return node.value if isinstance(node.value, str) else None
    if isinstance(node, ast.JoinedStr):
        return "".join(
            str(part.value) if isinstance(part, ast.Constant) else PLACEHOLDER
            for part in node.values
        )
    return None


def _is_shown(text: str) -> bool:
    return not _NO_WORDS.match(text.replace(PLACEHOLDER, "")) and not _CODE.search(text)


def main() -> None:
    """Print the list."""
    for words in collect_words():
        sys.stdout.write(f"{words.module}:{words.line}\t{words.text!r}\n")


if __name__ == "__main__":
    main()
