"""The Rule station: grids over the page, edited in its gutters, beside the resulting sheet."""
