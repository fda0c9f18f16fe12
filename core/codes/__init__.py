"""Codes of a list: what they are, how they stand under one another, which of them a selector picks.

columns.py          columns of a list, its own properties among them
lists.py            a list ready for use; padding, free codes, classes of neighbours
hierarchies.py      trees, shapes that hold from a day on, what takes codes in by itself
tree_counts.py      how many codes stand below each rollup code
selector_text.py    a selector as text and its parts
selectors.py        the codes that it picks
doubts.py           what looks wrong in a list
elevation.py        a hierarchy as a drawing, in units of its own
"""
