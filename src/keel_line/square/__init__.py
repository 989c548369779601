"""Straightens a page (lean, bend, perspective, way up), and judges how well it will read."""
