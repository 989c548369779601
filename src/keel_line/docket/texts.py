"""Reads every text of a docket, for a search; the docket is not changed."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from pathlib import Path

from keel_line.docket.opening import say_trouble
from keel_line.docket.records import CellText
from keel_line.docket.store import Docket
from keel_line.errors import DocketError


def each_text(path: Path) -> Iterator[tuple[CellText, str, str, int]]:
    """Yield what each cell of a docket says, its table's name, and its source and page number.

    Another process may write the docket meanwhile.

    Raises
    ------
    DocketError
        When it cannot be read.
    """
    docket = Docket(path, write=False)
    try:
        pages = {p.id: (p.source_name, p.number) for p in docket.pages()}
        names = dict(docket.table_names())
        for text in docket.texts():
            if text.page in pages and text.table in names:  # else it came in between
                yield text, names[text.table], *pages[text.page]
    except sqlite3.Error as error:
        raise DocketError(say_trouble(error, path.name, path.parent)) from error
    finally:
        docket.close()
