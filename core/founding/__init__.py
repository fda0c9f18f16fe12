"""Things made whole in one change, from little.

structures.py    a structure, its segments with their lists, a chart on it
companies.py     a company with its calendar, further years, pairs with all others
requested_account.py  an account that somebody asked for
company_like.py  a company in all places in which another one is
"""
