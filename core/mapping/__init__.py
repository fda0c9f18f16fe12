"""Help with mapping thousands of accounts into a group's chart.

likely.py     group accounts proposed for those that have none, each with its ground
upstream.py   what changed in a list since its mapping was last looked at
bundles.py    accounts on either side gathered under their rollup codes
"""
