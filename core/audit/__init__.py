"""Statutory audit files: what a tax office asks of a company's books.

fec.py   the French one: eighteen columns a line, from local numbers
"""
