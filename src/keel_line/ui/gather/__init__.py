"""The Gather station: the list of pages, and how to begin."""
