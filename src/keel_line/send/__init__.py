"""Writes tables as workbooks, comma-separated text and JSON, beside the target and then renamed."""
