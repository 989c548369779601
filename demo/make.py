"""Make the demo's pages and their truth: ``python -m demo.make``.

The pages are kept in the repository; faces that the reader never trained on are used throughout.
"""

from __future__ import annotations

from dataclasses import asdict, replace
from pathlib import Path

import cv2
import msgspec
import numpy as np
from PIL import Image, ImageDraw, ImageFont

from demo.ledgers import (
    berth_dues,
    buoy_inspections,
    buoy_parts,
    cargo_tally,
    pilotage_rota,
    stores_log,
    tide_register,
)
from synth.camera import take_photograph
from synth.faces import Face, load_faces
from synth.pages import MadePage, Sheet, Style, finish_page
from synth.paper import Grey
from synth.pdf import draw_line, write_pdf, write_words

HERE = Path(__file__).resolve().parent
PAGE_DIR, NEXT_DIR = HERE / "pages", HERE / "next"
TRUTH_FILE = HERE / "truth.json"


def _face(family: str, *, bold: bool = False) -> Face:
    own = [f for f in load_faces("held") if f.family == family and not f.italic]
    return next((f for f in own if f.bold == bold), own[0])


def make_ledger() -> MadePage:
    """Draw the berth-dues ledger: typewritten, scanned crooked."""
    rng = np.random.default_rng(1974)
    face = _face("Special Elite")
    sheet = Sheet(300)
    sheet.write((0.62, 1.0), "BRANNOCK SOUND HARBOUR OFFICE", face, 11, rng, 0.6)
    sheet.write((0.62, 1.32), "Berth dues, March 1974", face, 11, rng, 0.6)
    style = Style(
        face,
        face,
        point=10.5,
        pitch_em=2.3,
        rule_pt=0.7,
        rule_level=40,
        frame="double",
        strike=0.55,
    )
    sheet.draw_table(berth_dues(), (0.6, 1.6), style, rng)
    sheet.write(
        (0.62, 9.2), "Carried to the quarter's account. I. Strome, clerk", face, 10.5, rng, 0.6
    )
    return finish_page(sheet, rng, condition="clean", angle_deg=2.3, family=face.family)


def make_cards() -> MadePage:
    """Draw the buoy inspections: a clean printed page with two tables."""
    rng = np.random.default_rng(2019)
    face, bold = _face("Public Sans"), _face("Public Sans", bold=True)
    sheet = Sheet(300)
    sheet.write((0.65, 1.0), "Buoy inspections, spring round 2019", bold, 13, rng)
    style = Style(face, bold, point=9.5, pitch_em=2.1, rule_pt=0.5, rule_level=60)
    drawn = sheet.draw_table(buoy_inspections(), (0.65, 1.25), style, rng)
    below = drawn.box[3] / 300 + 0.55
    sheet.write((0.65, below), "Drawn from stores for the round", bold, 11, rng)
    sheet.draw_table(buoy_parts(), (0.65, below + 0.2), style, rng)
    return finish_page(sheet, rng, condition="clean", angle_deg=0.0, family=face.family)


def make_tally() -> MadePage:
    """Draw the cargo tally: faxed at 204x196 dpi, a little crooked."""
    rng = np.random.default_rng(88)
    face, bold = _face("PT Sans"), _face("PT Sans", bold=True)
    sheet = Sheet(300)
    sheet.write((0.7, 1.1), "Cargo tally, m.v. Corriemoor, 21 October 1988", bold, 13, rng)
    style = Style(face, bold, point=12, pitch_em=2.2, rule_pt=1.0)
    sheet.draw_table(cargo_tally(), (0.7, 1.4), style, rng)
    page = finish_page(sheet, rng, condition="fax", angle_deg=-0.9, family=face.family)
    return replace(page, grey=_print_strip(page.grey))


def _print_strip(fax: Grey) -> Grey:
    """Print the sending machine's line along the top, straight however the paper lay in it."""
    image = Image.fromarray(fax)
    font = ImageFont.truetype(str(_face("Share Tech Mono").path), 30)
    words = "21-10-1988  16:42   BRANNOCK SOUND HARBOUR   01632 960145   P.01"
    ImageDraw.Draw(image).text((180, 62), words, font=font, fill=0, anchor="ls")
    return np.where(np.asarray(image) > 127, np.uint8(255), np.uint8(0))


def make_register() -> MadePage:
    """Draw the tide-gauge register: photographed on a desk, in uneven light."""
    rng = np.random.default_rng(1962)
    face, bold = _face("PT Serif"), _face("PT Serif", bold=True)
    sheet = Sheet(300)
    sheet.write((0.8, 1.2), "Tide gauge, Skerry Head", bold, 14, rng)
    sheet.write((0.8, 1.5), "September 1962, first half", face, 11, rng)
    style = Style(face, bold, point=11, pitch_em=2.25, rule_pt=0.8)
    sheet.draw_table(tide_register(), (0.8, 1.8), style, rng)
    page = finish_page(sheet, rng, condition="clean", angle_deg=0.0, family=face.family)
    seen = take_photograph(page.grey, rng, size_px=(2220, 2960), most_tilt_deg=14, desk_level=86)
    return replace(page, grey=seen.grey, x_dpi=0, y_dpi=0, condition="photo")


def make_log(quarter: int) -> list[MadePage]:
    """Draw a quarter of the stores log: typewritten without a rule, two pages, scanned by hand."""
    named = ("first", "second")[quarter - 1]
    out = []
    for number, content in enumerate(stores_log(quarter)):
        rng = np.random.default_rng([1931, quarter, number])
        face = _face("Special Elite")
        sheet = Sheet(300)
        title = f"Lamp oil and stores, {named} quarter{', continued' if number else ''}"
        for line, words in enumerate(("BRANNOCK SOUND HARBOUR OFFICE", title)[number:]):
            sheet.write((0.8, 1.0 + 0.32 * line), words, face, 11, rng, 0.5)
        style = Style(face, face, point=10.5, pitch_em=2.1, ruling="none", strike=0.5)
        sheet.draw_table(content, (0.8, 1.69 - 0.32 * number), style, rng)
        angle = float(rng.uniform(-1.0, 1.0))
        out.append(finish_page(sheet, rng, condition="clean", angle_deg=angle, family=face.family))
    return out


def _save_scans(pages: list[MadePage], path: Path) -> None:
    """Save pages in black and white as one file."""
    first, *others = (Image.fromarray(p.grey > 150) for p in pages)
    first.save(path, save_all=True, append_images=others, compression="group4", dpi=(300, 300))


_ROTA_LEFT = (57.0, 103.0, 135.0, 200.0, 246.0, 382.0, 392.0, 540.0)
_TO_THE_RIGHT = (5, 7)


def make_rota() -> bytes:
    """Write the pilotage rota: a PDF of real text, a rule under its heading and over its total."""
    orders = (
        "All pilots board at Outer Carrick in daylight and at the Roost buoy after",
        "dark. The harbour launch leaves the north quay forty minutes before the",
        "time below; a vessel that is late by an hour goes to the end of the list.",
    )
    drawn = [
        write_words("Brannock Sound Pilots", 57, 780, 15, "F2"),
        *(write_words(line, 57, 754 - 13 * i) for i, line in enumerate(orders)),
        write_words("Table 2. Pilotage rota, 1 to 7 April 1985", 57, 690, 11, "F2"),
    ]
    rows = pilotage_rota()
    for number, row in enumerate(rows):
        face = "F2" if number in {0, len(rows) - 1} else "F1"
        for col, text in enumerate(row):
            x = _ROTA_LEFT[col] - (_set_width(text) * 9.5 if col in _TO_THE_RIGHT else 0.0)
            if text:
                drawn.append(write_words(text, x, 668.0 - 17 * number, 9.5, face))
    drawn += [draw_line(57, y, 540, y) for y in (663.0, 663.0 - 17 * (len(rows) - 2))]
    foot = 668.0 - 17 * len(rows) - 4
    drawn.append(write_words("* in training; boards with a second pilot", 57, foot, 8.5))
    return write_pdf([drawn])


def _set_width(text: str) -> float:
    """Return how wide figures are set, in sizes of their face."""
    return sum(0.278 if c in ".,: " else 0.556 for c in text)


def main() -> None:
    """Write the pages and the truth."""
    PAGE_DIR.mkdir(exist_ok=True)
    ledger, cards, tally, register = make_ledger(), make_cards(), make_tally(), make_register()
    Image.fromarray(ledger.grey).save(
        PAGE_DIR / "1-berth-dues-ledger.jpg", quality=82, dpi=(300, 300)
    )
    # Sixteen greys, as many office scanners keep: the file is a tenth of the size.
    greys = (np.round(cv2.medianBlur(cards.grey, 3) / 17) * 17).astype(np.uint8)
    Image.fromarray(greys).save(PAGE_DIR / "2-buoy-inspections.png", dpi=(300, 300), optimize=True)
    Image.fromarray(tally.grey > 127).save(
        PAGE_DIR / "3-cargo-tally-fax.tif", compression="group4", dpi=(204, 196)
    )
    # No resolution: a camera does not know how large the paper is.
    Image.fromarray(register.grey).save(PAGE_DIR / "4-tide-register-photo.jpg", quality=62)
    (PAGE_DIR / "5-pilotage-rota.pdf").write_bytes(make_rota())
    log = make_log(1)
    _save_scans(log, PAGE_DIR / "6-stores-log.tif")
    NEXT_DIR.mkdir(exist_ok=True)
    _save_scans(make_log(2), NEXT_DIR / "stores-log-second-quarter.tif")
    names = (
        "1-berth-dues-ledger.jpg",
        "2-buoy-inspections.png",
        "3-cargo-tally-fax.tif",
        "4-tide-register-photo.jpg",
    )
    truth: dict[str, object] = {
        name: {
            "angle_deg": page.angle_deg,
            "dpi": [page.x_dpi, page.y_dpi],
            "tables": [asdict(t) for t in page.tables],
        }
        for name, page in zip(names, (ledger, cards, tally, register), strict=True)
    }
    truth["5-pilotage-rota.pdf"] = {"rows": pilotage_rota()}
    truth["6-stores-log.tif"] = {
        "pages": [{"angle_deg": p.angle_deg, "tables": [asdict(t) for t in p.tables]} for p in log]
    }
    TRUTH_FILE.write_bytes(msgspec.json.format(msgspec.json.encode(truth), indent=1))


if __name__ == "__main__":
    main()
