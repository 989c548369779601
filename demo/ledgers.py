"""What the harbour office of Brannock Sound wrote down. All of it is invented."""

from __future__ import annotations

from decimal import Decimal

from synth.pages import CellContent, TableContent

_CALLS = (
    ("Marigold", "BS 114", "N 4", "3 Mar", "15 Mar", 12, "18.40"),
    ("Tern of Ailsay", "BS 87", "N 2", "3 Mar", "9 Mar", 6, "22.75"),
    ("Gannet", "", "S 1", "4 Mar", "5 Mar", 1, "68.75"),
    ("Elspeth Rowan", "KQ 20", "N 7", "4 Mar", "28 Mar", 24, "107.00"),
    ("Harrow", "BS 131", "S 3", "6 Mar", "8 Mar", 2, "68.75"),
    ("Little Skerry", "BS 9", "S 3", "8 Mar", "14 Mar", 6, "34.35"),
    ("Corriemoor", "KQ 52", "N 4", "15 Mar", "21 Mar", 6, "107.05"),
    ("Marigold", "BS 114", "N 2", "19 Mar", "26 Mar", 7, "18.40"),
    ("Sandpiper III", "", "S 1", "20 Mar", "21 Mar", 1, "68.75"),
    ("Wren", "BS 140", "S 2", "22 Mar", "31 Mar", 9, "34.35"),
    ("Ostrey Maid", "KQ 71", "N 1", "22 Mar", "24 Mar", 2, "91.20"),
    ("Fair Isobel", "BS 62", "N 5", "23 Mar", "30 Mar", 7, "46.15"),
    ("Gannet", "", "S 1", "25 Mar", "26 Mar", 1, "68.75"),
    ("Kittiwake", "BS 18", "S 4", "25 Mar", "29 Mar", 4, "27.50"),
    ("Dunlin & Dove", "KQ 33", "N 3", "26 Mar", "31 Mar", 5, "53.60"),
    ("Harrow", "BS 131", "S 3", "27 Mar", "29 Mar", 2, "68.75"),
    ("Morning Ebb", "BS 77", "N 6", "28 Mar", "31 Mar", 3, "74.90"),
)


def berth_dues() -> TableContent:
    """Return the berth-dues ledger of March 1974, with its total."""
    headings = ("Vessel", "Reg.", "Berth", "In", "Out", "Days", "Rate £", "Dues £")
    cells = [CellContent(0, c, t) for c, t in enumerate(headings)]
    total = Decimal(0)
    days = 0
    for r, (vessel, reg, berth, came, left, stay, rate) in enumerate(_CALLS, 1):
        dues = Decimal(rate) * stay
        total += dues
        days += stay
        row = (vessel, reg, berth, came, left, str(stay), rate, f"{dues:,.2f}")
        cells += [CellContent(r, c, t) for c, t in enumerate(row)]
    last = len(_CALLS) + 1
    cells.append(CellContent(last, 0, "Total for March", 1, 5))
    cells += [
        CellContent(last, 5, str(days)),
        CellContent(last, 6, ""),
        CellContent(last, 7, f"{total:,.2f}"),
    ]
    return TableContent(
        tuple(cells), last + 1, (1.62, 0.78, 0.66, 0.78, 0.78, 0.58, 0.8, 1.1), "lllllrrr", 1
    )


_BUOYS = (
    ("Inner Carrick", "red can", "4.2", "11 May 2019", "sound", "6"),
    ("Outer Carrick", "green cone", "7.8", "11 May 2019", "sound", "6"),
    ("Skerry Head", "west cardinal", "18.5", "12 May 2019", "chain worn, replace shackle", "3"),
    ("Midge Bank", "red can", "5.1", "12 May 2019", "sound", "6"),
    ("Holm Spit", "green cone", "6.6", "12 May 2019", "light dim", "1"),
    ("Roost", "isolated danger", "23.0", "14 May 2019", "sound", "12"),
    ("Lang Taing", "red can", "9.4", "14 May 2019", "weed on mooring", "6"),
    ("Fairway", "safe water", "31.7", "15 May 2019", "sound, bell freed", "12"),
)

_PARTS = (
    ("K-2207", "Shackle, bow, 28 mm", "4", "16.80", "67.20"),
    ("K-2231", "Chain, studless, per m", "27", "9.45", "255.15"),
    ("L-0108", "Lantern, 2 nm, red", "1", "412.00", "412.00"),
    ("L-0112", "Lens gasket", "6", "3.25", "19.50"),
    ("P-7730", "Paint, signal green, 5 l", "3", "58.90", "176.70"),
    ("P-7731", "Paint, signal red, 5 l", "2", "61.40", "122.80"),
    ("Z-0044", "Anode, zinc, 4 kg", "8", "22.15", "177.20"),
)


def buoy_inspections() -> TableContent:
    """Return the buoy inspections, with remarks that take two lines."""
    headings = ("Buoy", "Mark", "Depth m", "Inspected", "Finding", "Next, months")
    cells = [CellContent(0, c, t) for c, t in enumerate(headings)]
    for r, row in enumerate(_BUOYS, 1):
        cells += [
            CellContent(r, c, t.replace(", ", ",\n") if c == 4 else t) for c, t in enumerate(row)
        ]
    return TableContent(
        tuple(cells), len(_BUOYS) + 1, (1.2, 1.25, 0.8, 1.05, 1.65, 1.05), "llrllr", 1
    )


def buoy_parts() -> TableContent:
    """Return the parts that were drawn from stores for the buoys, with their total."""
    headings = ("Part", "Description", "Quantity", "Each £", "Sum £")
    cells = [CellContent(0, c, t) for c, t in enumerate(headings)]
    for r, row in enumerate(_PARTS, 1):
        cells += [CellContent(r, c, t) for c, t in enumerate(row)]
    last = len(_PARTS) + 1
    total = sum(Decimal(row[4]) for row in _PARTS)
    cells += [CellContent(last, 0, "Total", 1, 4), CellContent(last, 4, f"{total:,.2f}")]
    return TableContent(tuple(cells), last + 1, (0.9, 2.5, 0.9, 0.9, 1.0), "llrrr", 1)


_TALLY = (
    ("Whinstone setts", "412", "18", "6", "2", "398", "14"),
    ("Salt, coarse", "1,250", "62", "10", "0", "1,250", "0"),
    ("Barley", "96", "4", "16", "0", "95", "1"),
    ("Herring, cured", "730", "36", "10", "0", "722", "8"),
    ("Slates, Ostrey", "5,400", "13", "10", "0", "5,388", "12"),
    ("Lamp oil", "48", "2", "2", "3", "48", "0"),
    ("Timber, deals", "318", "27", "8", "1", "318", "0"),
    ("Mail and parcels", "57", "0", "11", "2", "57", "0"),
    ("Net corks", "2,016", "1", "4", "0", "2,011", "5"),
)


def cargo_tally() -> TableContent:
    """Return the cargo tally that was faxed to the agent: headings of two levels."""
    cells = [
        CellContent(0, 0, "Cargo", 2, 1),
        CellContent(0, 1, "Pieces", 2, 1),
        CellContent(0, 2, "Weight", 1, 3),
        CellContent(0, 5, "Tally", 1, 2),
        CellContent(1, 2, "tons"),
        CellContent(1, 3, "cwt"),
        CellContent(1, 4, "qrs"),
        CellContent(1, 5, "landed"),
        CellContent(1, 6, "short"),
    ]
    for r, row in enumerate(_TALLY, 2):
        cells += [CellContent(r, c, t) for c, t in enumerate(row)]
    return TableContent(
        tuple(cells), len(_TALLY) + 2, (1.9, 0.9, 0.75, 0.75, 0.75, 0.95, 0.8), "lrrrrrr", 2
    )


_TIDES = (
    ("1 Sept", "06 12", "4.31", "12 20", "0.92", "SW 3", "Strome"),
    ("2 Sept", "06 49", "4.47", "12 58", "0.78", "SW 4", "Strome"),
    ("3 Sept", "07 25", "4.56", "13 34", "0.70", "W 4", "Strome"),
    ("4 Sept", "08 01", "4.58", "14 11", "0.69", "W 5", "Tarrant"),
    ("5 Sept", "08 38", "4.50", "14 47", "0.77", "NW 6", "Tarrant"),
    ("6 Sept", "09 15", "4.35", "15 23", "0.93", "NW 7", "Tarrant"),
    ("7 Sept", "09 53", "4.12", "16 01", "1.16", "NW 5", "Tarrant"),
    ("8 Sept", "10 36", "3.86", "16 42", "1.43", "N 3", "Strome"),
    ("9 Sept", "11 27", "3.58", "17 31", "1.71", "N 2", "Strome"),
    ("10 Sept", "12 34", "3.37", "18 40", "1.93", "calm", "Strome"),
    ("11 Sept", "14 02", "3.31", "20 11", "1.98", "calm", "Strome"),
    ("12 Sept", "15 22", "3.46", "21 33", "1.82", "SE 2", "Quill"),
    ("13 Sept", "16 20", "3.72", "22 30", "1.54", "SE 3", "Quill"),
    ("14 Sept", "17 06", "4.01", "23 15", "1.24", "S 4", "Quill"),
    ("15 Sept", "17 46", "4.28", "23 55", "0.97", "S 4", "Quill"),
)


def tide_register() -> TableContent:
    """Return the tide-gauge register for half a month: times and heights of the waters."""
    cells = [
        CellContent(0, 0, "1962", 2, 1),
        CellContent(0, 1, "High water", 1, 2),
        CellContent(0, 3, "Low water", 1, 2),
        CellContent(0, 5, "Wind", 2, 1),
        CellContent(0, 6, "Read by", 2, 1),
        CellContent(1, 1, "time"),
        CellContent(1, 2, "m"),
        CellContent(1, 3, "time"),
        CellContent(1, 4, "m"),
    ]
    for r, row in enumerate(_TIDES, 2):
        cells += [CellContent(r, c, t) for c, t in enumerate(row)]
    return TableContent(
        tuple(cells), len(_TIDES) + 2, (1.05, 0.9, 0.8, 0.9, 0.8, 0.9, 1.15), "lrrrrll", 2
    )


_PILOTS = ("E. Rowan", "O. Strand", "Mairi Thole", "J. Skerrow*")
_DUTIES = (
    ("1 Apr", "Mon", 0, "04:40", "Corriemoor", "5.2", "Outer Carrick to N 4", "184.00"),
    ("1 Apr", "Mon", 1, "15:10", "Tern of Ailsay", "3.1", "N 2 to sea", "96.50"),
    ("2 Apr", "Tue", 1, "05:25", "Fair Isobel", "4.4", "Outer Carrick to N 5", "152.75"),
    ("2 Apr", "Tue", 3, "16:00", "Marigold", "2.8", "N 4 to S 1", "61.20"),
    ("3 Apr", "Wed", 3, "06:05", "Kittiwake", "3.6", "Roost to S 4", "118.40"),
    ("4 Apr", "Thu", 0, "06:50", "Elspeth Rowan", "6.0", "Outer Carrick to N 7", "231.00"),
    ("4 Apr", "Thu", 2, "19:15", "Wren", "2.5", "S 2 to sea", "88.00"),
    ("5 Apr", "Fri", 2, "07:30", "Ostrey Maid", "4.9", "Roost to N 1", "166.30"),
    ("6 Apr", "Sat", 2, "08:10", "Harrow", "3.3", "N 3 to sea", "104.90"),
    ("6 Apr", "Sat", 1, "20:45", "Gannet", "2.2", "Outer Carrick to S 1", "79.60"),
    ("7 Apr", "Sun", 0, "09:00", "Sandpiper III", "2.9", "S 1 to sea", "92.15"),
)


def pilotage_rota() -> list[list[str]]:
    """Return the rota of pilots, a week of 1985, rows of texts; its fees have a total."""
    rows = [["Date", "Day", "Pilot", "Boards", "Vessel", "Draught m", "From, to", "Fee £"]]
    total = Decimal(0)
    for day, weekday, pilot, boards, vessel, draught, passage, fee in _DUTIES:
        rows.append([day, weekday, _PILOTS[pilot], boards, vessel, draught, passage, fee])
        total += Decimal(fee)
    rows.append(["Total", "", "", "", "", "", "", f"{total:,.2f}"])
    return rows


_LOG_HEADS = ("1931", "Item", "Drawn", "For", "Cost £")
_LOG = (
    (
        ("2 Jan", "Lamp oil", "12 gal", "Skerry Head light", "14.40"),
        ("do.", "Wick, flat", "3 doz", "do.", "2.85"),
        ("9 Jan", "Paraffin", "40 gal", "Roost buoy", "36.00"),
        ("do.", "Soap, soft", "7 lb", "boathouse", "1.95"),
        ("16 Jan", "Lamp oil", "12 gal", "Skerry Head light", "14.40"),
        ("23 Jan", "Rope, manila", "30 fm", "launch", "22.50"),
        ("do.", "Tar", "5 gal", "do.", "4.75"),
        ("6 Feb", "Lamp oil", "14 gal", "Skerry Head light", "16.80"),
        ("do.", "Glass, chimney", "4 doz", "do.", "3.20"),
        ("13 Feb", "Paint, white", "6 gal", "Lang Taing", "19.80"),
        ("20 Feb", "Paraffin", "36 gal", "Roost buoy", "32.40"),
        ("do.", "Cotton waste", "11 lb", "boathouse", "2.75"),
    ),
    (
        ("27 Feb", "Lamp oil", "12 gal", "Skerry Head light", "14.40"),
        ("6 Mar", "Wick, round", "2 doz", "do.", "2.10"),
        ("do.", "Brass polish", "8 lb", "do.", "3.60"),
        ("13 Mar", "Lamp oil", "10 gal", "Skerry Head light", "12.00"),
        ("do.", "Nails, copper", "9 lb", "launch", "6.75"),
        ("20 Mar", "Canvas", "16 yd", "do.", "18.40"),
        ("do.", "Twine", "4 lb", "boathouse", "1.60"),
        ("27 Mar", "Paraffin", "38 gal", "Roost buoy", "34.20"),
    ),
    (
        ("3 Apr", "Lamp oil", "10 gal", "Skerry Head light", "12.00"),
        ("do.", "Wick, flat", "2 doz", "do.", "1.90"),
        ("10 Apr", "Paraffin", "34 gal", "Roost buoy", "30.60"),
        ("24 Apr", "Paint, red", "9 gal", "Midge Bank", "29.70"),
        ("do.", "Brushes", "2 doz", "do.", "5.40"),
        ("8 May", "Lamp oil", "8 gal", "Skerry Head light", "9.60"),
        ("do.", "Soap, soft", "7 lb", "boathouse", "1.95"),
        ("15 May", "Chain, studless", "12 fm", "Holm Spit", "68.40"),
        ("22 May", "Paraffin", "30 gal", "Roost buoy", "27.00"),
    ),
    (
        ("5 June", "Lamp oil", "8 gal", "Skerry Head light", "9.60"),
        ("do.", "Cotton waste", "14 lb", "boathouse", "3.50"),
        ("12 June", "Canvas", "22 yd", "launch", "25.30"),
        ("do.", "Twine", "6 lb", "do.", "2.40"),
        ("19 June", "Paraffin", "30 gal", "Roost buoy", "27.00"),
        ("26 June", "Varnish", "3 gal", "launch", "11.25"),
    ),
)


def stores_log(quarter: int) -> list[TableContent]:
    """Return the two pages of the stores log for the first or second quarter of 1931.

    What one page carries forward the next begins with; "do." says the same as above.
    """
    first, second = _LOG[2 * quarter - 2 : 2 * quarter]
    carried = sum(Decimal(row[4]) for row in first)
    total = carried + sum(Decimal(row[4]) for row in second)
    pages = (
        (*first, ("", "Carried forward", "", "", f"{carried:,.2f}")),
        (
            ("", "Brought forward", "", "", f"{carried:,.2f}"),
            *second,
            ("", "Total", "", "", f"{total:,.2f}"),
        ),
    )
    out = []
    for rows in pages:
        cells = [CellContent(0, c, t) for c, t in enumerate(_LOG_HEADS)]
        cells += [CellContent(r, c, t) for r, row in enumerate(rows, 1) for c, t in enumerate(row)]
        widths = (0.9, 1.6, 0.95, 1.75, 0.9)
        out.append(TableContent(tuple(cells), len(rows) + 1, widths, "llllr", 1))
    return out
