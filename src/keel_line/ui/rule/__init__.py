"""The Rule station: the lines over the page, mended in its gutters, and the sheet they make."""
