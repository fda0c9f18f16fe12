"""What names what: between tables, and codes inside selectors, account strings and dimensions.

tables.py      columns that name a row of another table
cells.py       every cell that names codes of a list
uses.py        where a code or row is used, in sentences
landing.py     where a new code lands: below which rollup code, on which lines
"""
