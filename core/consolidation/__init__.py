"""A group's figures, one file a step; each step sums to zero and can be shown.

entries.py      amounts by target
translate.py    into the group's currency, period by period, with the reserve
translations.py books once translated, taken over while nothing they are made of changes
shares.py       all of it, a part of each amount, or net assets only
acquisitions.py the cost of a company against the equity acquired
disposal.py     what remains of one that went out
minority.py     what others have of equity and result
eliminate.py    what companies have among themselves, and the sides that disagree
position.py     all steps at the end of a period
"""
