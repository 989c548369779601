"""Writes tables as workbooks, text, JSON and web pages, each beside its target, then renamed."""
