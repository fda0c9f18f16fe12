"""Accounts that somebody asks for: with a reason, checked like any other, made or declined.

models.py   what was asked, and what became of it
actions.py  asking, making, declining, taking back
views.py    the page of requests
"""
