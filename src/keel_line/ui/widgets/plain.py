"""Texts that come from files, shown as they are: a name may hold what looks like mark-up."""

from __future__ import annotations

from html import escape


def plain_tip(text: str) -> str:
    """Return a tool tip that shows a text as it is; Qt takes tips with mark-up for rich text."""
    return f"<p style='white-space:pre-wrap'>{escape(text)}</p>" if text else ""


def plain_label(text: str) -> str:
    """Return a button's label that shows a text as it is; a single & would mark a key."""
    return text.replace("&", "&&")
