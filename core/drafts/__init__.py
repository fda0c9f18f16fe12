"""Drafts: changes replayed on what is published, what they move, and whether they can be published.

replaying.py   a draft's changes on a state; two drafts that change the same cell
moves.py       figures before and after side by side, and the accounts that make the difference
readiness.py   what still stands in the way of publishing
"""
