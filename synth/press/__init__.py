"""The press room: pages typeset by other programs, with their truth from one model of a page."""
