"""Shows texts from files unchanged, even if they contain mark-up."""

from __future__ import annotations

from html import escape


def plain_tip(text: str) -> str:
    """Return a tool tip that shows a text literally; Qt would interpret mark-up."""
    return f"<p style='white-space:pre-wrap'>{escape(text)}</p>" if text else ""


def plain_label(text: str) -> str:
    """Return a button's label that shows a text literally; a single & would mark a key."""
    return text.replace("&", "&&")
