"""Lays a page straight, flat, upright and true, and says how well it will read."""
