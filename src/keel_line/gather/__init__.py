"""Brings pages in from picture files and PDFs."""
