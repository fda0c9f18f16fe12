"""Who may do what: rights over companies, charts and groups, and what each row of the definitions belongs to.

rights.py   the rights, grants of them, and what all grants of somebody come to
owners.py   the companies, charts and groups that a row belongs to; what a change needs a right over
"""
