"""Cash flow statements: activities of accounts, what is left out, whether all comes to what cash moved.

activities.py   which activity an account belongs to, and which accounts are cash
non_cash.py     pairs of accounts of which an indirect cash flow leaves journals out
likely_pairs.py pairs that journals without cash make likely
misplaced.py    accounts that stand among those of another activity than theirs
proof.py        activities against what cash moved
"""
