"""The Tidy station: the table as it will be, its steps, what it needs, its values plotted."""
