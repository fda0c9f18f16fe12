"""Who belongs to a group, what its figures go by, and its books side by side.

membership.py        members followed down to companies: path, method, from when until when
ownership.py         each company's shares and whether it is in, period by period; what was bought against it
periods.py           the group's periods in order
rates.py             the rate of a currency for a period
translation_rules.py which rate an account is translated at
needs.py             which of its accounts a group has to name
mapping.py           own accounts to those of the group's chart
collect.py           balances of all companies side by side
map_accounts.py      the account of the group's chart for each row of a book
cells.py             amounts by own account, group account, partner and period
"""
