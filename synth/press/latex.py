"""Writes documents for LaTeX."""

from __future__ import annotations

from collections.abc import Sequence

from synth.press.edges import DOUBLE, THICK, edges_of, ground_of, has_short_rule, is_light
from synth.press.model import Block, Cell, Document, Drawing, Stack, Table, Text, tag_hex

_SPECIAL = {
    "\\": r"\textbackslash{}", "{": r"\{", "}": r"\}", "$": r"\$", "&": r"\&", "#": r"\#",
    "%": r"\%", "_": r"\_", "~": r"\textasciitilde{}", "^": r"\textasciicircum{}",
    "<": r"\textless{}", ">": r"\textgreater{}", "|": r"\textbar{}", "-": "{-}",
    "\"": r"\textquotedbl{}",
    "'": r"\textquotesingle{}", "`": r"\textasciigrave{}",
}  # fmt: skip
_PREAMBLE = r"""\documentclass[10pt]{article}
\usepackage[T1]{fontenc}\usepackage[utf8]{inputenc}\usepackage{textcomp}
\usepackage[a4paper,margin=20mm]{geometry}
\usepackage[table]{xcolor}
\usepackage{array,booktabs,multirow,graphicx,ragged2e}
\pagestyle{empty}\setlength{\parindent}{0pt}\hyphenpenalty=10000\exhyphenpenalty=10000
\DeclareUnicodeCharacter{2212}{\textendash}
\setlength{\extrarowheight}{0pt}
\begin{document}
"""
_KERN = {"lmodern": "lmr", "newtxtext": "qtm", "mathpazo": "qpl", "helvet": "qhv",
         "libertine": "qbk", "charter": "bch", "tgschola": "qcs", "courier": "qcr"}  # fmt: skip


def write_latex(documents: Sequence[Document], *, tagged: bool) -> str:
    """Return one source with a page for each document; see ``html.write_html`` for ``tagged``."""
    out = [_PREAMBLE]
    first = 0
    for document in documents:
        x, y = document.margin_mm
        size = document.point
        writer = _Writer(document, first if tagged else None)
        out.append(f"\\newgeometry{{left={x:.1f}mm,right={x:.1f}mm,top={y:.1f}mm,bottom=12mm}}")
        family = _KERN.get(document.face, "lmr")
        out.append(
            f"\\fontfamily{{{family}}}\\fontsize{{{size}}}{{{size * document.leading:.1f}}}"
            "\\selectfont"
        )
        out += [writer.block(b) for b in document.blocks]
        out.append("\\clearpage")
        first += len(document.ids)
    out.append("\\end{document}")
    return "\n".join(out)


def _escape(text: str) -> str:
    return "".join(_SPECIAL.get(c, c) for c in text)


class _Writer:
    def __init__(self, document: Document, first: int | None) -> None:
        self._document = document
        self._first = first

    def _words(self, item: Cell | Text, *, light: bool = False) -> str:
        text = _escape(item.text)
        if item.italic:
            text = f"\\textit{{{text}}}"
        if item.bold:
            text = f"\\textbf{{{text}}}"
        if self._first is not None:
            tag = tag_hex(self._first + self._document.number(item))
        elif light:
            tag = "FFFFFF"
        else:
            tag = "000000"
        return f"\\textcolor[HTML]{{{tag}}}{{{text}}}"

    def block(self, block: Block) -> str:
        gap = self._document.gap_pt
        if isinstance(block, Drawing):
            raise TypeError("only the browser sets drawings")
        if isinstance(block, Text):
            own = {"caption": 3.0, "subtitle": 3.0, "note": 4.0, "list": 2.0}.get(block.role, gap)
            how = {"l": "\\RaggedRight", "c": "\\Centering", "r": "\\RaggedLeft", "j": ""}[
                block.align
            ]
            size = self._document.point * block.size
            font = f"\\fontsize{{{size:.1f}}}{{{size * 1.25:.1f}}}\\selectfont"
            return f"{{{how}{font} {self._words(block)}\\par}}\\vspace{{{own}pt}}"
        if isinstance(block, Table):
            return f"{self._table(block)}\\par\\vspace{{{gap}pt}}"
        inner = [self.block(b) for b in block.blocks]
        if isinstance(block, Stack):
            return "\n".join(inner)
        share = 0.96 / sum(block.shares)
        parts = [
            f"\\begin{{minipage}}[t]{{{share * s:.3f}\\textwidth}}\\vspace{{0pt}}{i}"
            "\\end{minipage}"
            for i, s in zip(inner, block.shares, strict=True)
        ]
        return "\\hfill".join(parts) + "\\par"

    def _table(self, table: Table) -> str:
        look = table.look
        across, down = look.pad_pt
        columns = []
        for col in range(table.cols):
            edges = edges_of(table, table.header_rows, col)
            columns.append(("|" if edges.left else "") + self._kind(table, col))
            columns[-1] += "||" if edges.right == DOUBLE else "|" if edges.right else ""
        body = [self._rule(table, -1)]
        for row in range(table.rows):
            body.append(self._row(table, row) + " \\\\")
            body.append(self._rule(table, row))
            if table.blank_below(row):
                body.append(f"\\addlinespace[{self._document.point}pt]")
        stretch = 1.0 + down / 10
        return (
            f"{{\\setlength{{\\tabcolsep}}{{{across}pt}}\\renewcommand{{\\arraystretch}}"
            f"{{{stretch:.2f}}}\\setlength{{\\arrayrulewidth}}{{{look.weight_pt}pt}}"
            f"\\begin{{tabular}}{{{''.join(columns)}}}\n"
            + "\n".join(b for b in body if b)
            + "\n\\end{tabular}}"
        )

    def _kind(self, table: Table, col: int) -> str:
        align = table.aligns[col]
        if not table.widths or align == "r":
            return align
        room = 0.86 * table.widths[col]
        how = {"l": "\\RaggedRight", "c": "\\Centering"}[align]
        letter = "m" if table.look.valign == "middle" else "p"
        return f">{{{how}\\arraybackslash}}{letter}{{{room:.3f}\\textwidth}}"

    def _row(self, table: Table, row: int) -> str:
        out = []
        level = ground_of(table, row)
        if level is not None:
            out.append(f"\\rowcolor[gray]{{{level / 255:.2f}}}")
        places = []
        col = 0
        while col < table.cols:
            cell = table.at(row, col)
            if cell is None or (cell.row != row and cell.col_span == 1):
                places.append("")
                col += 1
                continue
            if cell.row == row:
                places.append(self._cell(table, cell))
            else:
                places.append(self._spread(table, cell, row, ""))
            col += cell.col_span
        return "".join(out) + " & ".join(places)

    def _cell(self, table: Table, cell: Cell) -> str:
        words = self._words(cell, light=is_light(table, cell.row))
        if cell.indent:
            words = f"\\hspace*{{{cell.indent}em}}{words}"
        if cell.turned:
            words = f"\\rotatebox{{90}}{{{words}}}"
        if cell.row_span > 1:
            words = f"\\multirow{{{cell.row_span}}}{{*}}{{{words}}}"
        heading = cell.row < table.header_rows
        if cell.col_span > 1 or cell.align != table.aligns[cell.col] or (heading and table.widths):
            return self._spread(table, cell, cell.row, words)
        return words

    def _spread(self, table: Table, cell: Cell, row: int, words: str) -> str:
        edges = edges_of(table, row, cell.col, 1, cell.col_span)
        left = "|" if edges.left else ""
        right = "||" if edges.right == DOUBLE else "|" if edges.right else ""
        return f"\\multicolumn{{{cell.col_span}}}{{{left}{cell.align}{right}}}{{{words}}}"

    def _rule(self, table: Table, row: int) -> str:
        """Return the rules below a row; -1 for those above the first one."""
        look = table.look
        kinds = []
        for col in range(table.cols):
            if row < 0:
                kinds.append(edges_of(table, 0, col).top)
                continue
            cell = table.at(row, col)
            ends = cell is None or cell.row + cell.row_span - 1 == row
            kinds.append(edges_of(table, row, col).bottom if ends else 0)
        short = [
            f"\\cmidrule(lr){{{c.col + 1}-{c.col + c.col_span}}}"
            for c in table.cells
            if c.row == row and has_short_rule(table, c)
        ]
        if short and not any(kinds):
            return "".join(short)
        if not any(kinds):
            return ""
        if all(kinds):
            kind = max(kinds)
            if look.frame == "none" and look.cols == "none" and not look.after_stub:
                return {
                    1: "\\midrule",
                    THICK: "\\specialrule{1.1pt}{1pt}{2pt}",
                    DOUBLE: "\\midrule\\midrule",
                }[kind]
            return {
                1: "\\hline",
                THICK: "\\noalign{\\hrule height 1.3pt}",
                DOUBLE: "\\hline\\hline",
            }[kind]
        runs, start = [], None
        for col, kind in enumerate([*kinds, 0]):
            if kind and start is None:
                start = col
            if not kind and start is not None:
                runs.append(f"\\cline{{{start + 1}-{col}}}")
                start = None
        return "".join(runs)
