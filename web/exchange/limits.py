"""Bounds on what is read, told when they are met (docs/exchange-format.md)."""

MOST_FAULTS = 10_000
MOST_BYTES = 2 * 1024**3
MOST_RATIO = 200
RATIO_FROM = 20 * 1024**2
MOST_ROWS = 5_000_000
LONGEST_CELL = 100_000
AT_ONCE = 1024**2
"""Files up to this many bytes come in while the page waits; larger ones in a job of their own with
progress."""
MOST_UPLOAD = 256 * 1024**2
