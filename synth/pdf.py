"""A PDF of real text, written by hand: pages of words and lines in the standard faces."""

from __future__ import annotations

from collections.abc import Sequence

FACES = {"F1": "Helvetica", "F2": "Helvetica-Bold", "F3": "Times-Roman", "F4": "Courier"}
_SIZE = (595, 842)  # A4 in points


def write_words(text: str, x: float, y: float, size: float = 10.0, face: str = "F1") -> str:
    """Return the drawing of a line of text whose baseline begins at (x, y) points from below."""
    plain = text.replace("\\", "\\\\").replace("(", "\\(").replace(")", "\\)")
    return f"BT /{face} {size} Tf {x:.2f} {y:.2f} Td ({plain}) Tj ET"


def draw_line(x0: float, y0: float, x1: float, y1: float, width: float = 0.6) -> str:
    """Return the drawing of a line."""
    return f"{width} w {x0:.2f} {y0:.2f} m {x1:.2f} {y1:.2f} l S"


def write_pdf(pages: Sequence[Sequence[str]], size: tuple[int, int] = _SIZE) -> bytes:
    """Return a PDF; each page is a list of drawings. Letters are those of Windows' western set."""
    objects: list[bytes] = [b"<< /Type /Catalog /Pages 2 0 R >>", b""]
    fonts = []
    for name, base in FACES.items():
        fonts.append(f"/{name} {len(objects) + 1} 0 R")
        objects.append(
            f"<< /Type /Font /Subtype /Type1 /BaseFont /{base} "
            "/Encoding /WinAnsiEncoding >>".encode()
        )
    kids = []
    for drawings in pages:
        stream = "\n".join(drawings).encode("cp1252")
        objects.append(b"<< /Length %d >>\nstream\n%s\nendstream" % (len(stream), stream))
        kids.append(f"{len(objects) + 1} 0 R")
        objects.append(
            f"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 {size[0]} {size[1]}] "
            f"/Resources << /Font << {' '.join(fonts)} >> >> "
            f"/Contents {len(objects)} 0 R >>".encode()
        )
    objects[1] = f"<< /Type /Pages /Kids [{' '.join(kids)}] /Count {len(kids)} >>".encode()
    out = bytearray(b"%PDF-1.4\n")
    places = []
    for number, body in enumerate(objects, 1):
        places.append(len(out))
        out += b"%d 0 obj\n%s\nendobj\n" % (number, body)
    start = len(out)
    out += b"xref\n0 %d\n0000000000 65535 f \n" % (len(objects) + 1)
    out += b"".join(b"%010d 00000 n \n" % place for place in places)
    out += b"trailer\n<< /Size %d /Root 1 0 R >>\n" % (len(objects) + 1)
    out += b"startxref\n%d\n%%%%EOF\n" % start
    return bytes(out)
