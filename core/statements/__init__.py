"""Statements: lines with the accounts that stand on them, and the figures that they come to.

plans.py        a statement ready for use: its lines in order, which accounts stand where
placing.py      which line takes which accounts
figures.py      computed for one or many columns, what stands on no line
amounts.py      what a statement is made from: amounts by account and column
line_parts.py   lines that take a part of their accounts: by codes, by the side of a balance
side_by_side.py where the accounts of each line stand in another tree
printing.py     lines as they are printed: totals above or below, accounts under them
bridge.py       what made a figure change, line by line or account by account
coverage.py     how much of what belongs on a statement stands on it, what elsewhere
formulas.py     formulas over lines
"""
