"""The tables and their rows, cells read and written, and the state that all of them make.

kinds.py       what a cell may hold
group_rows.py  the row classes of groups, rollouts and second charts
statement_rows.py  those of statements, columns and budgets
tables.py      every table of the package, once: columns, kinds, defaults
nouns.py       what tables and rows are called in sentences
parsing.py     cells of text to rows, and back
state.py       all rows of one version, what is derived from them, and edits between two
row_faults.py  a fault at a row
row_proposals.py  rows that a person gives, compared with what is there
digest.py      the number by which two processes know that they hold the same
"""
