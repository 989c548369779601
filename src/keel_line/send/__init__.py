"""Writes tables as workbooks, separated text and JSON, each beside its target, then renamed."""
