"""Every command with its keys and its help, as data for menus, bindings and the help sheet."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from keel_line.settings import PLAIN_SIGNS


@dataclass(frozen=True)
class Command:
    """One thing the clerk can do.

    ``where`` is the station it belongs to, ``window`` for all. ``bound`` is false where the widget
    at hand takes the key itself (typing, arrows), so that the window must not.
    """

    id: str
    label: str
    keys: tuple[str, ...]
    where: str
    help: str
    bound: bool = True


COMMANDS: tuple[Command, ...] = (
    Command("add-files", "Add files…", ("Ctrl+O",), "window", "Add scans to this docket"),
    Command("new-docket", "New docket", ("Ctrl+N",), "window", "Start a new docket"),
    Command("open-docket", "Open a docket…", ("Ctrl+Shift+O",), "window", "Continue earlier work"),
    Command("open-demo", "Open the demo docket", (), "window", "Try the program on made-up pages"),
    Command(
        "find",
        "Find anywhere…",
        ("Ctrl+F",),
        "window",
        "Find a text in this docket and in all others",
    ),
    Command(
        "jigs",
        "Jigs…",
        ("Ctrl+Shift+J",),
        "window",
        "See what jigs do, rename them, take parts out",
    ),
    Command("undo", "Undo", ("Ctrl+Z",), "window", "Undo the last change"),
    Command("redo", "Redo", ("Ctrl+Shift+Z", "Ctrl+Y"), "window", "Redo the last undone change"),
    Command(
        "stop",
        "Stop or resume",
        ("Ctrl+.",),
        "window",
        "Stop reading pages; press again to resume",
    ),
    Command(
        "read-again",
        "Read failed pages again",
        ("Ctrl+R",),
        "window",
        "Read the pages again that could not be read",
    ),
    Command("gather", "Gather", ("Ctrl+1",), "window", "Go to Gather: add pages"),
    Command("square", "Square", ("Ctrl+2",), "window", "Go to Square: straighten pages"),
    Command("rule", "Rule", ("Ctrl+3",), "window", "Go to Rule: check the grid"),
    Command("proof", "Proof", ("Ctrl+4",), "window", "Go to Proof: check the readings"),
    Command("tidy", "Tidy", ("Ctrl+5",), "window", "Go to Tidy: make the tables usable"),
    Command("send", "Send", ("Ctrl+6",), "window", "Go to Send: write files"),
    Command(
        "fewer-unseen",
        "Stricter",
        ("Ctrl+Up",),
        "window",
        "Stricter: flag more cells",
    ),
    Command(
        "more-unseen",
        "More lenient",
        ("Ctrl+Down",),
        "window",
        "More lenient: flag fewer cells",
    ),
    Command(
        PLAIN_SIGNS.name,
        PLAIN_SIGNS.label,
        ("Ctrl+'",),
        "window",
        PLAIN_SIGNS.help,
    ),
    Command(
        "nearer",
        "Zoom in",
        ("Ctrl++", "Ctrl+="),
        "window",
        "Zoom in on the rows in Proof",
    ),
    Command("further", "Zoom out", ("Ctrl+-",), "window", "Zoom out of the rows in Proof"),
    Command(
        "lens-nearer",
        "Zoom the lens in",
        ("Alt++", "Alt+="),
        "window",
        "Zoom in on the least certain character",
    ),
    Command("lens-further", "Zoom the lens out", ("Alt+-",), "window", "Zoom the lens out"),
    Command("ribbon", "Page ribbon", ("Ctrl+B",), "window", "Show or hide the page ribbon"),
    Command("theme", "Light or dark", ("Ctrl+Shift+D",), "window", "Change between light and dark"),
    Command("keys", "All keys", ("F1",), "window", "Show all keys"),
    Command("quit", "Quit", ("Ctrl+Q",), "window", "Everything is saved already"),
    Command(
        "pass",
        "Page is straight, next",
        ("Return",),
        "square",
        "Accept the page and go to the next",
        bound=False,
    ),
    Command(
        "lean",
        "Rotate by 0.1°",
        ("Left", "Right"),
        "square",
        "Rotate the page by 0.1°; with Shift by 1°",
        bound=False,
    ),
    Command(
        "turn",
        "Quarter turn",
        ("T",),
        "square",
        "Turn by 90°; with Shift the other way",
        bound=False,
    ),
    Command(
        "corners",
        "Corners of the sheet",
        ("C",),
        "square",
        "Set the corners of the sheet by hand",
        bound=False,
    ),
    Command(
        "light",
        "Even out the light",
        ("L",),
        "square",
        "Even out the light, or leave it as it is",
        bound=False,
    ),
    Command(
        "specks", "Remove specks", ("S",), "square", "Remove specks, or keep them", bound=False
    ),
    Command("bend", "Keep the bend", ("U",), "square", "Do not flatten a curled page", bound=False),
    Command(
        "colour",
        "Remove coloured lines",
        ("O",),
        "square",
        "Remove lines printed in a colour, or keep them",
        bound=False,
    ),
    Command(
        "back-side",
        "Remove show-through",
        ("B",),
        "square",
        "Remove what shows through from the back, or keep it",
        bound=False,
    ),
    Command(
        "part-page",
        "Split into two pages",
        ("Y",),
        "square",
        "Split a picture of two pages, or join it again",
        bound=False,
    ),
    Command(
        "ink",
        "Read the ink",
        ("I",),
        "square",
        "Read the ink in place of the PDF's own text, or the other way round",
        bound=False,
    ),
    Command(
        "was",
        "Compare",
        ("W",),
        "square",
        "Show the original over half the page, all of it, or not at all",
        bound=False,
    ),
    Command(
        "found",
        "Reset",
        ("R",),
        "square",
        "Go back to what the program found",
        bound=False,
    ),
    Command(
        "alike",
        "Apply to every page",
        ("A",),
        "square",
        "Apply this page's settings to every page (press twice)",
        bound=False,
    ),
    Command(
        "previous-page", "Previous page", ("PgUp",), "rule", "Show the previous page", bound=False
    ),
    Command("next-page", "Next page", ("PgDown",), "rule", "Show the next page", bound=False),
    Command("zoom-in", "Zoom in", ("+",), "rule", "Zoom in on the page", bound=False),
    Command("zoom-out", "Zoom out", ("-",), "rule", "Zoom out of the page", bound=False),
    Command(
        "pegs",
        "Pegs and cells",
        ("Tab",),
        "rule",
        "Column pegs, row pegs and cells in turn",
        bound=False,
    ),
    Command("join", "Join cells", ("J",), "rule", "Join the selected cells", bound=False),
    Command("part", "Split cells", ("K",), "rule", "Split a joined cell", bound=False),
    Command(
        "peg",
        "Next peg",
        ("Left", "Right"),
        "rule",
        "Move along the gutter; with Shift move the line",
        bound=False,
    ),
    Command("add-line", "Add a line", ("N",), "rule", "Add a line next to the peg", bound=False),
    Command(
        "drop-line", "Remove the line", ("Del",), "rule", "Remove the selected line", bound=False
    ),
    Command("leave-out", "Leave the table out", ("X",), "rule", "Ignore this table", bound=False),
    Command(
        "each-line",
        "Split cells",
        ("L",),
        "rule",
        "Split cells at their lines and columns",
        bound=False,
    ),
    Command(
        "extract",
        "Move to its own page",
        ("U",),
        "rule",
        "Move the table to a page of its own, upright",
        bound=False,
    ),
    Command(
        "whole-page", "Whole page", ("V",), "rule", "Make the whole page one table", bound=False
    ),
    Command(
        "lines-found", "Reset", ("F",), "rule", "Go back to the grid that was found", bound=False
    ),
    Command(
        "heading",
        "More heading rows",
        ("H",),
        "rule",
        "Add a heading row; with Shift remove one",
        bound=False,
    ),
    Command("name", "Name the table", ("E",), "rule", "Type the table's name", bound=False),
    Command(
        "next-of-page", "Next table", ("Space",), "rule", "Go to the page's next table", bound=False
    ),
    Command(
        "draw-table",
        "Draw a table",
        ("D",),
        "rule",
        "Draw a table, or press again for the next suggested area",
        bound=False,
    ),
    Command(
        "move-table",
        "Move the table",
        ("M",),
        "rule",
        "Move or resize the whole table",
        bound=False,
    ),
    Command(
        "follow-edition",
        "Follow the earlier edition",
        ("E",),
        "gather",
        "Take over from a file's earlier edition, and list what differs",
        bound=False,
    ),
    Command(
        "dismiss-file",
        "Dismiss a file",
        ("Del",),
        "gather",
        "Remove a file that could not be added from the list",
        bound=False,
    ),
    Command(
        "repeat-form",
        "Repeat a form",
        ("R",),
        "rule",
        "Use the lines of a jig on this page",
        bound=False,
    ),
    Command(
        "repeat-form-everywhere",
        "Repeat forms on all pages",
        ("Shift+R",),
        "rule",
        "Use the lines of jigs on all pages that look like them",
        bound=False,
    ),
    Command(
        "keep-form",
        "Keep as a jig",
        ("Ctrl+J",),
        "rule",
        "Keep this table's lines and steps for the next page of its form",
        bound=False,
    ),
    Command("copy-table", "Copy the table", ("C",), "rule", "Add a copy of this grid", bound=False),
    Command(
        "area",
        "Type the area",
        ("A",),
        "rule",
        "Type its place and size in mm, inches or pixels",
        bound=False,
    ),
    Command(
        "lay-on-pages",
        "Use on other pages",
        ("P",),
        "rule",
        "Use this grid on other pages of the same form",
        bound=False,
    ),
    Command(
        "later",
        "Change the order",
        ("O",),
        "rule",
        "Move the table later in the page's order; with Shift earlier",
        bound=False,
    ),
    Command(
        "to-proof",
        "Next line in doubt",
        ("Return",),
        "rule",
        "Accept the line and go to the next doubt, then to Proof",
        bound=False,
    ),
    Command(
        "accept",
        "Accept, next",
        ("Return",),
        "proof",
        "Settle the cell as it is and go to the next doubt",
        bound=False,
    ),
    Command(
        "back",
        "Previous doubt",
        ("Shift+Return",),
        "proof",
        "Go to the previous doubt",
        bound=False,
    ),
    Command("type", "Correct", ("any letter",), "proof", "Type the right value", bound=False),
    Command(
        "complete",
        "Complete",
        ("Tab",),
        "proof",
        "While typing: accept the suggestion shown in grey",
        bound=False,
    ),
    Command("mend", "Edit", ("F2",), "proof", "Edit part of the reading", bound=False),
    Command(
        "take",
        "Use another reading",
        ("Alt+1", "Alt+5"),
        "proof",
        "Alt with its number uses that reading",
        bound=False,
    ),
    Command(
        "as-printed",
        "Confirm as printed",
        ("Alt+0",),
        "proof",
        "Confirm that the paper says this, whatever the check expects",
        bound=False,
    ),
    Command(
        "against-page",
        "Compare with the page",
        ("F3",),
        "proof",
        "Show the readings over the page, with a summary of the table",
        bound=False,
    ),
    Command(
        "kinds",
        "Doubts of a kind",
        ("F4",),
        "proof",
        "Settle all doubts of the same kind on one sheet",
        bound=False,
    ),
    Command(
        "history",
        "History",
        ("F6",),
        "proof",
        "Who changed what, from what, to what and when",
        bound=False,
    ),
    Command(
        "sample",
        "Spot check",
        ("F7",),
        "proof",
        "Check cells drawn at random from those without doubt",
        bound=False,
    ),
    Command(
        "order",
        "Order of doubts",
        ("F8",),
        "proof",
        "By column, by row, or the most doubtful first",
        bound=False,
    ),
    Command(
        "sum",
        "This cell's sum",
        ("F9",),
        "proof",
        "Choose what adds up to this cell: Space adds or removes, Enter saves, Del drops",
        bound=False,
    ),
    Command(
        "empty",
        "Empty the cell",
        ("Backspace",),
        "proof",
        "Mark the cell as blank",
        bound=False,
    ),
    Command(
        "arrows",
        "Move to a cell",
        ("arrows",),
        "proof",
        "Move to the next cell in any direction",
        bound=False,
    ),
    Command(
        "next-table", "Next table", ("Ctrl+PgDown",), "proof", "Go to the next table", bound=False
    ),
    Command(
        "previous-table",
        "Previous table",
        ("Ctrl+PgUp",),
        "proof",
        "Go to the previous table",
        bound=False,
    ),
    Command(
        "take-ready",
        "Take one",
        ("1", "9"),
        "tidy",
        "Take what stands ready, by its number",
        bound=False,
    ),
    Command(
        "take-all-ready",
        "Take all",
        ("Ctrl+Return",),
        "tidy",
        "Take all that stands ready",
        bound=False,
    ),
    Command(
        "decline",
        "Not wanted",
        ("Alt+1", "Alt+9"),
        "tidy",
        "Remove a suggestion for good",
        bound=False,
    ),
    Command(
        "name-column",
        "Name",
        ("N",),
        "tidy",
        "Give the column another name",
        bound=False,
    ),
    Command(
        "type-column",
        "Type",
        ("T",),
        "tidy",
        "Say what the column's texts mean",
        bound=False,
    ),
    Command(
        "drop-column",
        "Leave out",
        ("X",),
        "tidy",
        "Leave the column out",
        bound=False,
    ),
    Command(
        "drop-rows",
        "Leave rows out",
        ("Delete",),
        "tidy",
        "Leave the selected rows out",
        bound=False,
    ),
    Command(
        "fill-down",
        "Fill from above",
        ("F",),
        "tidy",
        "Fill ditto marks and blanks from above",
        bound=False,
    ),
    Command(
        "join-columns",
        "Join with next",
        ("J",),
        "tidy",
        "Join the column with the next",
        bound=False,
    ),
    Command(
        "part-column",
        "Part",
        ("P",),
        "tidy",
        "Part the column at a sign or after a number of characters",
        bound=False,
    ),
    Command(
        "move-column",
        "Move",
        ("Ctrl+Left", "Ctrl+Right"),
        "tidy",
        "Move the column left or right",
        bound=False,
    ),
    Command(
        "sort-rows",
        "Sort",
        ("S",),
        "tidy",
        "Sort by the column; again, the other way round",
        bound=False,
    ),
    Command(
        "replace-text",
        "Replace",
        ("R",),
        "tidy",
        "Replace a text in the column",
        bound=False,
    ),
    Command(
        "more-steps",
        "More",
        ("M",),
        "tidy",
        "Show what else can be done at this cell",
        bound=False,
    ),
    Command(
        "derive-column",
        "New column",
        ("=",),
        "tidy",
        "Make a new column by a formula",
        bound=False,
    ),
    Command(
        "add-table",
        "Add next table",
        ("A",),
        "tidy",
        "Add next table's rows below",
        bound=False,
    ),
    Command(
        "lane",
        "The lane",
        ("L",),
        "tidy",
        "Show or hide the column's values",
        bound=False,
    ),
    Command(
        "against",
        "Two columns",
        ("V",),
        "tidy",
        "Show two columns against each other",
        bound=False,
    ),
    Command(
        "move-block",
        "Move a block",
        ("B",),
        "tidy",
        "Take up a block of cells and put it elsewhere",
        bound=False,
    ),
    Command(
        "seam",
        "The seam",
        ("I",),
        "tidy",
        "Show the ink where the table goes on over a page",
        bound=False,
    ),
    Command(
        "keep-jig",
        "Keep as a jig",
        ("Ctrl+J",),
        "tidy",
        "Keep lines and steps for the next pages of this form",
        bound=False,
    ),
    Command(
        "copy-table-cells",
        "Copy the table",
        ("Ctrl+C",),
        "tidy",
        "Copy the table, to paste into a spreadsheet or a letter",
        bound=False,
    ),
    Command(
        "trail",
        "The steps",
        ("Tab",),
        "tidy",
        "Go to the steps: Space switches one off, Delete takes it out",
        bound=False,
    ),
    Command(
        "see-ink",
        "See the ink",
        ("Return",),
        "tidy",
        "Go to the cell in Proof",
        bound=False,
    ),
)

_SHOWN = {
    "Return": "Enter",
    "PgDown": "Page down",
    "PgUp": "Page up",
    "any letter": "type",
    "arrows": "arrow keys",
    "Left": "←",
    "Right": "→",
}


def show_keys(command: Command) -> str:
    """Return a command's keys as written on a keyboard."""
    shown = []
    for key in command.keys:
        parts = key.split("+") if len(key) > 1 else [key]
        shown.append("+".join(_SHOWN.get(p, p) for p in parts))
    if len(shown) > 1 and shown[-1].endswith(("←", "→")) and "+" in shown[-1]:
        shown[1:] = [shown[-1].rpartition("+")[2]]  # Ctrl+← or →
    if command.id in {"take", "take-ready", "decline"}:
        return f"{shown[0]} … {shown[-1][-1]}"
    return " or ".join(shown)


def show_key_words(keys: Sequence[tuple[str, str]]) -> str:
    """Return keys and their meanings as one paragraph, each pair unbroken."""
    # Of the weight that comes with the program: a bolder one would be smeared out of it.
    strong = '<span style="font-weight:600">{}</span>'
    space = "\N{NO-BREAK SPACE}"
    pairs = (
        strong.format(key.replace(" ", space)) + space + words.replace(" ", space)
        for key, words in keys
    )
    return " \N{MIDDLE DOT} ".join(pairs)
