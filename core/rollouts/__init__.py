"""What a company has, brought to many others in one act: shown cell by cell first.

adding.py    what a draft or a session added, as items
cells.py     one cell: what would come of a thing in a company
things.py    what is brought, item by item
fitting.py   a company's chart beside the source's: which field stands for which, strings carried over
of_codes.py  cells of accounts and codes
of_strings.py  cells of account strings and quick codes
of_rules.py  cells of pairing rules and places on statements
matrix.py    all cells: things down, companies across; which side wins; the one change they make
"""
