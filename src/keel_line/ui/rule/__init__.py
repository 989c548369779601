"""The Rule station: the lines that were found, over the page, and the sheet they make."""
