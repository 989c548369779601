"""Every command with its keys and its help, as data; menus, bindings and the help sheet follow."""

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
    Command("new-docket", "New docket", ("Ctrl+N",), "window", "Begin another piece of work"),
    Command(
        "open-docket", "Open a docket…", ("Ctrl+Shift+O",), "window", "Go on with earlier work"
    ),
    Command("open-demo", "Open the demo docket", (), "window", "See how it goes on made-up pages"),
    Command("undo", "Take back", ("Ctrl+Z",), "window", "Take the last change back"),
    Command("redo", "Do again", ("Ctrl+Shift+Z", "Ctrl+Y"), "window", "Make it again"),
    Command(
        "stop",
        "Stop, or go on",
        ("Ctrl+.",),
        "window",
        "Stop reading; pages that are done stay done. Again: go on",
    ),
    Command(
        "read-again",
        "Read failed pages again",
        ("Ctrl+R",),
        "window",
        "Read the pages again that could not be read",
    ),
    Command("gather", "Gather", ("Ctrl+1",), "window", "Go to the pages"),
    Command("square", "Square", ("Ctrl+2",), "window", "Go to how the pages lie"),
    Command("rule", "Rule", ("Ctrl+3",), "window", "Go to the lines that were found"),
    Command("proof", "Proof", ("Ctrl+4",), "window", "Go to the doubts"),
    Command("send", "Send", ("Ctrl+6",), "window", "Go to what leaves the program"),
    Command(
        "fewer-unseen",
        "Fewer unseen",
        ("Ctrl+Up",),
        "window",
        "Let fewer wrong cells pass unseen: more doubts",
    ),
    Command(
        "more-unseen",
        "More unseen",
        ("Ctrl+Down",),
        "window",
        "Let more wrong cells pass unseen: fewer doubts",
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
        "Rows nearer",
        ("Ctrl++", "Ctrl+="),
        "window",
        "Look nearer at the rows of ink in Proof",
    ),
    Command("further", "Rows further", ("Ctrl+-",), "window", "Step back from them again"),
    Command(
        "lens-nearer",
        "Lens nearer",
        ("Alt++", "Alt+="),
        "window",
        "Look nearer at the least sure character",
    ),
    Command("lens-further", "Lens further", ("Alt+-",), "window", "Step back from it again"),
    Command("ribbon", "Fold the pages", ("Ctrl+B",), "window", "Show or hide the page ribbon"),
    Command("theme", "Light or dark", ("Ctrl+Shift+D",), "window", "Change between light and dark"),
    Command("keys", "All keys", ("F1",), "window", "Show this sheet"),
    Command("quit", "Quit", ("Ctrl+Q",), "window", "Everything is saved already"),
    Command(
        "pass",
        "It lies right, next",
        ("Return",),
        "square",
        "The page lies right: go to the next",
        bound=False,
    ),
    Command(
        "lean",
        "Lean by 0.1°",
        ("Left", "Right"),
        "square",
        "Take out 0.1° of lean, with Shift 1°",
        bound=False,
    ),
    Command(
        "turn",
        "Quarter turn",
        ("T",),
        "square",
        "Turn by a quarter, with Shift the other way",
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
        "Even out the light, or leave it",
        bound=False,
    ),
    Command(
        "specks", "Specks away", ("S",), "square", "Take specks away, or leave them", bound=False
    ),
    Command("bend", "Leave the bend", ("U",), "square", "Leave a bent page bent", bound=False),
    Command(
        "colour",
        "Coloured lines away",
        ("O",),
        "square",
        "Drop lines printed in a colour, or keep them",
        bound=False,
    ),
    Command(
        "back-side",
        "Back side away",
        ("B",),
        "square",
        "Take away what shines through from the back, or leave it",
        bound=False,
    ),
    Command(
        "part-page",
        "Part into two pages",
        ("Y",),
        "square",
        "Two pages lie in one picture: part them, or make one of them again",
        bound=False,
    ),
    Command(
        "ink",
        "Read the ink",
        ("I",),
        "square",
        "Read the ink of a page that carries text of its own, or take its text",
        bound=False,
    ),
    Command(
        "was",
        "As it was",
        ("W",),
        "square",
        "Show the page as it was: half, whole, not",
        bound=False,
    ),
    Command(
        "found",
        "As found",
        ("R",),
        "square",
        "Back to what the program found",
        bound=False,
    ),
    Command(
        "alike",
        "Every page alike",
        ("A",),
        "square",
        "Set on every page what was set by hand on this one: press it twice",
        bound=False,
    ),
    Command(
        "previous-page", "Page before", ("PgUp",), "rule", "Look at the page before", bound=False
    ),
    Command("next-page", "Page after", ("PgDown",), "rule", "Look at the page after", bound=False),
    Command("zoom-in", "Nearer", ("+",), "rule", "Look nearer", bound=False),
    Command("zoom-out", "Further", ("-",), "rule", "Step back", bound=False),
    Command(
        "pegs", "To pegs and cells", ("Tab",), "rule", "Columns, rows, cells in turn", bound=False
    ),
    Command("join", "Join cells", ("J",), "rule", "Make the picked cells one", bound=False),
    Command("part", "Part them", ("K",), "rule", "Part a cell that was joined", bound=False),
    Command(
        "peg",
        "From peg to peg",
        ("Left", "Right"),
        "rule",
        "Along the gutter; with Shift the line moves",
        bound=False,
    ),
    Command("add-line", "Add a line", ("N",), "rule", "A new line beside the peg", bound=False),
    Command("drop-line", "Remove it", ("Del",), "rule", "Take the line at hand out", bound=False),
    Command(
        "leave-out", "Leave the table out", ("X",), "rule", "This one is no table", bound=False
    ),
    Command(
        "each-line", "Each line a row", ("L",), "rule", "Part rows at their lines", bound=False
    ),
    Command(
        "lift", "A page of its own", ("U",), "rule", "Take the table out, upright", bound=False
    ),
    Command(
        "whole-page", "The whole page", ("V",), "rule", "Make the whole page one table", bound=False
    ),
    Command(
        "lines-found", "As found", ("F",), "rule", "Back to the lines that were found", bound=False
    ),
    Command(
        "heading",
        "Heading row more",
        ("H",),
        "rule",
        "One row more belongs to the heading, with Shift one fewer",
        bound=False,
    ),
    Command("name", "Name the table", ("E",), "rule", "Type the table's name", bound=False),
    Command(
        "next-of-page", "Table after", ("Space",), "rule", "The next table of the page", bound=False
    ),
    Command(
        "draw-table",
        "Draw a table",
        ("D",),
        "rule",
        "A frame around what shall be a table; again: the next that was taken for none",
        bound=False,
    ),
    Command(
        "move-table", "Move the table", ("M",), "rule", "Move or stretch it as a whole", bound=False
    ),
    Command(
        "copy-table", "Copy the table", ("C",), "rule", "The same lines once more", bound=False
    ),
    Command("area", "Type its area", ("A",), "rule", "Where it lies, in mm, in or px", bound=False),
    Command(
        "lay-on-pages",
        "Lay on other pages",
        ("P",),
        "rule",
        "Lay this page's lines on other pages of the form",
        bound=False,
    ),
    Command(
        "later",
        "Later in order",
        ("O",),
        "rule",
        "The table comes later among the page's, with Shift earlier",
        bound=False,
    ),
    Command(
        "to-proof",
        "Next line in doubt",
        ("Return",),
        "rule",
        "The line lies right: the next in doubt, then on to Proof",
        bound=False,
    ),
    Command(
        "accept",
        "Accept, next",
        ("Return",),
        "proof",
        "Settle the cell as it stands and go to the next doubt",
        bound=False,
    ),
    Command(
        "back",
        "Doubt before",
        ("Shift+Return",),
        "proof",
        "Go back to the doubt before",
        bound=False,
    ),
    Command(
        "type", "Put right", ("any letter",), "proof", "Start typing the right value", bound=False
    ),
    Command(
        "complete",
        "Take the rest",
        ("Tab",),
        "proof",
        "While typing: take the rest of the value that stands there in grey",
        bound=False,
    ),
    Command("mend", "Mend it", ("F2",), "proof", "Change a part of the reading", bound=False),
    Command(
        "take",
        "Take a reading",
        ("Alt+1", "Alt+5"),
        "proof",
        "Alt with its number takes one of the readings offered",
        bound=False,
    ),
    Command(
        "vouch",
        "Paper says so",
        ("Alt+0",),
        "proof",
        "The value stands so on the paper, whatever its check expects",
        bound=False,
    ),
    Command(
        "against-page",
        "Against the page",
        ("F3",),
        "proof",
        "The readings over the page, in place, and what the table comes to",
        bound=False,
    ),
    Command(
        "kinds",
        "Doubts of a kind",
        ("F4",),
        "proof",
        "All doubts of the same kind on one sheet, settled together",
        bound=False,
    ),
    Command(
        "history",
        "Corrections",
        ("F6",),
        "proof",
        "Who changed which cell, from what, to what and when",
        bound=False,
    ),
    Command(
        "sample",
        "Put it to the test",
        ("F7",),
        "proof",
        "Go through cells drawn at random from those not in doubt",
        bound=False,
    ),
    Command(
        "order",
        "Order of doubts",
        ("F8",),
        "proof",
        "Down the columns, along the rows, or the greatest doubt first",
        bound=False,
    ),
    Command(
        "sum",
        "This cell's sum",
        ("F9",),
        "proof",
        "The cells that make this one: Space takes one in or out, Enter keeps, Del drops",
        bound=False,
    ),
    Command(
        "empty",
        "Empty the cell",
        ("Backspace",),
        "proof",
        "The cell is blank on the paper",
        bound=False,
    ),
    Command(
        "arrows",
        "To any cell",
        ("arrows",),
        "proof",
        "Go to the cell beside, above, below",
        bound=False,
    ),
    Command(
        "next-table", "Table after", ("Ctrl+PgDown",), "proof", "Go to the next table", bound=False
    ),
    Command(
        "previous-table",
        "Table before",
        ("Ctrl+PgUp",),
        "proof",
        "Go to the table before",
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
    """Return a command's keys as they stand on a keyboard."""
    shown = []
    for key in command.keys:
        parts = key.split("+") if len(key) > 1 else [key]
        shown.append("+".join(_SHOWN.get(p, p) for p in parts))
    if command.id == "take":
        return f"{shown[0]} … {shown[-1][-1]}"
    return " or ".join(shown)


def show_key_words(keys: Sequence[tuple[str, str]]) -> str:
    """Return keys with what they do as one paragraph, each pair kept on one line."""
    # Of the weight that comes with the program: a bolder one would be smeared out of it.
    strong = '<span style="font-weight:600">{}</span>'
    space = "\N{NO-BREAK SPACE}"
    pairs = (
        strong.format(key.replace(" ", space)) + space + words.replace(" ", space)
        for key, words in keys
    )
    return " \N{MIDDLE DOT} ".join(pairs)
