"""Statements: lines with the accounts that stand on them, and the figures that they come to.

figures.py      a statement ready for use, computed for one or many columns, what stands on no line
formulas.py     formulas over lines
"""
