"""The list of formats. To add one, write a module and add a line here."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TypeAlias

from keel_line.send.markdown import make_markdown
from keel_line.send.opendocument import make_opendocument
from keel_line.send.paragraphs import write_plain_text, write_text_document
from keel_line.send.safely import write_safely
from keel_line.send.searchable import write_searchable
from keel_line.send.sent import InkCutter, SendOptions, SentPage, SentTable
from keel_line.send.separated import write_tables
from keel_line.send.web import make_page
from keel_line.send.workbook import write_workbook

Writer: TypeAlias = Callable[
    [Sequence[SentTable], Path, SendOptions, InkCutter | None], Sequence[str]
]
"""Writes tables to a file (or files beside it); returns what is to be said about it."""
PageWriter: TypeAlias = Callable[[Sequence[SentPage], Path, SendOptions], Sequence[str]]
"""Writes pages to a file; returns what is to be said about it."""


@dataclass(frozen=True)
class Format:
    """A format.

    Attributes
    ----------
    ending
        Of its files.
    label, note
        What it is called, and what it is good for.
    write
        Writes tables; None where the desk writes documents of its own.
    options
        Names of the options that it heeds.
    each
        Whether every table is a file.
    write_pages
        Writes whole pages with their running text in place of tables; None for tables.
    """

    ending: str
    label: str
    note: str
    write: Writer | None
    options: tuple[str, ...] = ()
    each: bool = False
    write_pages: PageWriter | None = None


def _write_text(
    tables: Sequence[SentTable], target: Path, options: SendOptions, cut_ink: InkCutter | None
) -> list[str]:
    del cut_ink
    return write_tables(tables, target, options)


def _write_made(make: Callable[[Sequence[SentTable], SendOptions], bytes]) -> Writer:
    """Return what writes a file of the bytes that a format makes of tables."""

    def write(
        tables: Sequence[SentTable], target: Path, options: SendOptions, cut_ink: InkCutter | None
    ) -> list[str]:
        del cut_ink
        made = make(tables, options)
        write_safely(target, lambda part: part.write_bytes(made))
        return []

    return write


_EVIDENCE = ("marks", "source")

FORMATS: tuple[Format, ...] = (
    Format(
        ".xlsx",
        "Workbook",
        "Typed cells, a sheet for each table",
        write_workbook,
        (*_EVIDENCE, "ink", "stacked", "sums", "headings", "as_text"),
    ),
    Format(
        ".ods",
        "OpenDocument",
        "Typed cells, a sheet for each table",
        _write_made(make_opendocument),
        (*_EVIDENCE, "stacked", "headings", "as_text"),
    ),
    Format(
        ".csv",
        "Comma-separated text",
        "A file for each table",
        _write_text,
        ("stacked", "separator", "point", "signature"),
        each=True,
    ),
    Format(
        ".tsv",
        "Tab-separated text",
        "A file for each table",
        _write_text,
        ("stacked", "point", "signature"),
        each=True,
    ),
    Format(
        ".json",
        "JSON with the evidence",
        "Places, confidence and other readings",
        None,
    ),
    Format(
        ".html",
        "Web page",
        "One page with all tables",
        _write_made(make_page),
        (*_EVIDENCE, "headings", "as_text"),
    ),
    Format(
        ".md",
        "Markdown",
        "All tables as plain text with bars",
        _write_made(make_markdown),
        _EVIDENCE,
    ),
    Format(
        ".pdf",
        "Searchable PDF",
        "The pages' pictures with their text behind",
        None,
        write_pages=write_searchable,
    ),
    Format(
        ".odt",
        "Text document",
        "Running text and tables of the pages",
        None,
        write_pages=write_text_document,
    ),
    Format(
        ".txt",
        "Plain text",
        "Running text and tables of the pages",
        None,
        ("signature",),
        write_pages=write_plain_text,
    ),
)
BY_ENDING: dict[str, Format] = {f.ending: f for f in FORMATS}
