"""The parts of a jig in words, each of which can be taken out."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, TypeAlias

import msgspec

from keel_line._shared.texts import count_of
from keel_line.model.finding import Sums
from keel_line.tidy.jigs import Jig

Kind: TypeAlias = Literal["step", "lines", "sums", "known", "writing"]


@dataclass(frozen=True)
class JigPart:
    """A part of a jig: its kind, its description, and its number among parts of that kind."""

    kind: Kind
    words: str
    number: int = 0


def list_parts(jig: Jig) -> tuple[JigPart, ...]:
    """Return a jig's parts in the order in which they are used."""
    out: list[JigPart] = []
    page = jig.page
    if page is not None:
        rows = f" and {count_of(len(page.y) - 1, 'row')}" if page.printed else ""
        columns = count_of(len(page.x) - 1, "column")
        out.append(JigPart("lines", f"Its lines on the page: {columns}{rows}"))
        if page.sums != Sums():
            sums = count_of(len(page.sums.drawn), "sum")
            dropped = count_of(len(page.sums.dropped), "total")
            more = f", {dropped} dropped" if page.sums.dropped else ""
            out.append(JigPart("sums", f"Sums on the page: {sums}{more}"))
    again = sum(len(c.values) for c in jig.columns)
    if any(c.cells for c in jig.columns):
        texts = f"{count_of(again, 'text')} that came more than once"
        out.append(JigPart("known", f"What its columns said before: {texts}"))
    out += [JigPart("step", f"Step: {s.say()}", k) for k, s in enumerate(jig.steps)]
    if jig.write is not None and (jig.write.ending or jig.write.options):
        ending = jig.write.ending.lstrip(".").upper()
        out.append(JigPart("writing", f"Written as {ending}" if ending else "How it is written"))
    return tuple(out)


def take_out(jig: Jig, part: JigPart) -> Jig:
    """Return a jig without one of its parts."""
    change = msgspec.structs.replace
    if part.kind == "step":
        return change(jig, steps=jig.steps[: part.number] + jig.steps[part.number + 1 :])
    if part.kind == "known":
        return change(jig, columns=())
    if part.kind == "writing":
        return change(jig, write=None)
    if part.kind == "lines" or jig.page is None:
        return change(jig, page=None)
    return change(jig, page=change(jig.page, sums=Sums()))


def say_heading(jig: Jig) -> str:
    """Return the texts by which a form is known, in one line."""
    texts = " · ".join(t for row in jig.heading for t in row)
    return texts or f"{count_of(len(jig.lines) - 1, 'column')} without a heading"


def rename(jig: Jig, name: str) -> Jig:
    """Return a jig of another name."""
    return msgspec.structs.replace(jig, name=name)
