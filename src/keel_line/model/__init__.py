"""Frozen types that the stations hand to one another: page, geometry, grid, reading, table."""
