"""Finds ruling lines, tables, their grid of cells and their heading rows."""
