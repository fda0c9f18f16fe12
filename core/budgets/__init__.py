"""Budgets of a company's year, keyed, spread, grown and copied, cell by cell.

cells.py     the cells of one budget, company and fiscal year; what an act changes of them
by_key.py    spread as other accounts went, or stand by code
sharing.py   an amount shared out in proportion, to the last minor unit
keying.py    what a keyed amount, a percentage or another year's figures make of the cells
fitting.py   which accounts may be budgeted, and cells that no longer fit the definitions
reading.py   amounts keyed with thousands marks or as formulas; rows of a file
grid.py      lines, accounts and account strings down, periods across
forecast.py  actual amounts up to a period, a budget's after it
statistics.py  quantities kept beside the books, that stand or add up
"""
