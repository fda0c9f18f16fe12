"""What a period's or a year's end posts by itself.

year_end.py        the result carried to an equity account
revaluation.py     balances in foreign currencies brought to the closing rate
named_accounts.py  the accounts that a chart names for either
"""
