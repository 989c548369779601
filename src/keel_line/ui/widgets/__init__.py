"""Widgets that more than one station uses: the line, the page ribbon, the page view."""
