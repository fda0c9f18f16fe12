"""A group: who is in it and how, other charts mapped into its own, what is eliminated, and the sums.

membership.py   companies reached from a group, and who waits with the reason
mapping.py      own accounts to those of the group's chart
collect.py      balances of all companies side by side
map_accounts.py them by accounts of the group's chart; what has none
eliminate.py    what companies have among themselves taken out, and the sides that disagree
sum_up.py       the columns of companies, eliminations and group; the group's trial balance
"""
