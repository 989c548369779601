"""Tables as a web page: captions, headings that say what they head, spans, marks of doubt."""

from __future__ import annotations

import html
from collections.abc import Iterator, Sequence
from decimal import Decimal

from keel_line._shared.pulse import pulse
from keel_line.send.evidence import SOURCE_HEADINGS, say_doubt, source_rows
from keel_line.send.names import clean_text
from keel_line.send.sent import Above, Mark, SendOptions, SentTable
from keel_line.send.values import MISFIT, SentValue, plain_number, type_column

_STYLE = (
    "body{font:1rem/1.4 system-ui,sans-serif;color:#22303A;max-width:70rem;margin:2rem auto;"
    "padding:0 1rem}table{border-collapse:collapse;margin:0 0 2rem}"
    "caption{text-align:left;font-weight:600;padding:.4rem 0}"
    "th,td{border:1px solid #CFC9BD;padding:.25rem .6rem;text-align:left;vertical-align:top}"
    "th{background:#F3F1EC}td.number{text-align:right;font-variant-numeric:tabular-nums}"
    ".doubt::after{content:' ?';color:#8A5608;font-weight:600}.note{color:#56616A}"
)


def make_page(tables: Sequence[SentTable], options: SendOptions) -> bytes:
    """Return tables as one HTML page."""
    title = html.escape(clean_text(tables[0].name if len(tables) == 1 else "Tables"))
    parts = [
        "<!doctype html>\n<html lang='en'>\n<head>\n<meta charset='utf-8'>\n"
        f"<title>{title}</title>\n<style>{_STYLE}</style>\n</head>\n<body>\n"
    ]
    parts += [part for table in tables for part in _say_table(table, options)]
    if options.source and tables:
        parts += _say_sources(tables)
    parts.append("</body>\n</html>\n")
    return "".join(parts).encode("utf-8", "replace")


def as_html(table: SentTable) -> str:
    """Return one table as HTML with its values, for the clipboard."""
    return "".join(_say_table(table, SendOptions(marks=False), values=True))


def _say_table(table: SentTable, options: SendOptions, *, values: bool = False) -> Iterator[str]:
    """Yield a table piece by piece; with ``values`` cells hold what spreadsheets paste."""
    yield "<table>\n"
    caption = table.caption or table.name
    if caption and not values:
        yield f"<caption>{_escape(caption)}</caption>\n"
    columns = [
        [
            *(SentValue(str(t)) for t in column.texts[: table.heading_rows]),
            *type_column(table, k, as_text=options.as_text),
        ]
        for k, column in enumerate(table.columns)
    ]
    heads = bool(table.names) or bool(table.heading_rows)
    if heads:
        yield "<thead>\n"
    for above in table.above if options.headings else ():
        yield f"<tr>{_say_above(table, above)}</tr>\n"
    if table.names:
        cells = "".join(f"<th scope='col'>{_escape(n)}</th>" for n in table.names)
        yield f"<tr>{cells}</tr>\n"
    covered = table.covered()
    for row in range(table.rows):
        pulse()
        if heads and row == table.heading_rows:
            yield "</thead>\n"
        if row == table.heading_rows:
            yield "<tbody>\n"
        cells = "".join(
            _say_cell(table, row, col, columns[col][row], options, values=values)
            for col in range(len(table.columns))
            if (row, col) not in covered
        )
        yield f"<tr>{cells}</tr>\n"
    if table.rows > table.heading_rows:
        yield "</tbody>\n"
    elif heads:
        yield "</thead>\n"
    yield "</table>\n"
    if table.notes and not values:
        yield f"<p class='note'>{_escape(table.notes)}</p>\n"


def _say_above(table: SentTable, above: Sequence[Above]) -> str:
    """Return the cells of a row of headings above the names."""
    spans = {a.first: a for a in above}
    out, at = "", 0
    while at < len(table.columns):
        span = spans.get(at)
        wide = 1 if span is None else span.cols
        about = f" colspan='{wide}'" if wide > 1 else ""
        out += f"<th scope='colgroup'{about}>{_escape(span.text)}</th>" if span else "<td></td>"
        at += wide
    return out


def _say_cell(
    table: SentTable, row: int, col: int, cell: SentValue, options: SendOptions, *, values: bool
) -> str:
    heading = row < table.heading_rows
    text = str(table.columns[col].texts[row])
    rows, cols = table.spans.get((row, col), (1, 1))
    about = (f" rowspan='{rows}'" if rows > 1 else "") + (f" colspan='{cols}'" if cols > 1 else "")
    mark = table.marks.get((row, col), Mark())
    says = list(mark.says) + ([MISFIT.format(cell.misfit)] if cell.misfit else [])
    kinds = []
    if mark.doubt is not None and options.marks:
        says.append(say_doubt(mark.doubt))
        kinds.append("doubt")
    if isinstance(cell.value, Decimal):
        kinds.append("number")
    if says and not values:
        about += f" title='{_escape(' '.join(says))}'"
    if values:
        about += _value_of(cell)
    elif kinds:
        about += f" class='{' '.join(kinds)}'"
    if heading:
        scope = "colgroup" if cols > 1 else "col"
        return f"<th scope='{scope}'{about}>{_escape(text)}</th>"
    return f"<td{about}>{_escape(text)}</td>"


def _value_of(cell: SentValue) -> str:
    """Return what tells a spreadsheet the value of a pasted cell, or that it is text."""
    if isinstance(cell.value, Decimal):
        shown = plain_number(cell.value, cell.look)
        return f" data-value='{shown}' sdval='{shown}'"
    if isinstance(cell.value, str) and cell.value:
        return " style=\"mso-number-format:'\\@'\" sdnum='1033;0;@'"
    return ""


def _say_sources(tables: Sequence[SentTable]) -> Iterator[str]:
    yield "<table>\n<caption>Source</caption>\n<thead>\n<tr>"
    yield "".join(f"<th scope='col'>{_escape(h)}</th>" for h in SOURCE_HEADINGS)
    yield "</tr>\n</thead>\n<tbody>\n"
    for cells, wrong in source_rows(tables):
        said = "".join(f"<td>{_escape(c)}</td>" for c in cells)
        yield f"<tr>{said}<td class='number'>{wrong:.1f}</td></tr>\n"
    yield "</tbody>\n</table>\n"


def _escape(text: str) -> str:
    return html.escape(clean_text(text)).replace("\n", "<br>")
