"""The Square station: pages laid straight, looked at with straightedges, mended by key or drag."""
