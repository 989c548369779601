"""Loads pages from picture files and PDFs."""
