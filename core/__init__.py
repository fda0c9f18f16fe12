"""The job itself: definitions, journals, statements, consolidation. Pure Python and numpy; no I/O, no
clock."""
