"""Books: periods, journals judged, and the balances that they come to. Amounts are raw minor units.

periods.py         a calendar as ordinals, what closes before what
roundings.py       how amounts in other currencies come to whole minor units
series.py          a journal that repeats itself, or that the next period takes back
untagged.py        how much of an account carries no code of a dimension
journals.py        the one judge of a journal, keyed or imported
journal_batch.py   the same judgement for many lines at once
line_columns.py    lines of a file as columns of numbers
chain.py           the hash that ties each posted journal to the one before
balances.py        balances packed as arrays, and trial balances
twins.py           lines of two companies that face each other, matched
"""
