"""Keel Line turns scanned paper tables into checked spreadsheets."""

__version__ = "0.1.0"
