"""Frozen types that the stations pass to one another: page, geometry, grid, reading, table."""
