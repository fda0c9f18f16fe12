"""A company moved to another chart from a day on.

strings.py     how account strings of the chart before are read in the new one
of_company.py  the change of definitions: the company's chart, and what named accounts of the one before
carrying.py    the journal that carries over what stands, and what keeps a move from being made
agreeing.py    statements and classes before and after, side by side
"""
