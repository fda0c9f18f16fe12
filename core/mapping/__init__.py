"""Help with mapping thousands of accounts into a group's chart; books seen in a second one.

likely.py     group accounts proposed for those that have none, each with its ground
upstream.py   what changed in a list since its mapping was last looked at
arrangements.py   statements of their own in place of inherited ones, and what moved above
second_charts.py  amounts on the accounts of a chart that a company is seen in
bundles.py    accounts on either side gathered under their rollup codes
"""
