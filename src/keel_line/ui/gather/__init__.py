"""The Gather station: the manifest of pages, and how to begin."""
