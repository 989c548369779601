"""The Square station: squared pages with straightedges, corrected by key or drag."""
