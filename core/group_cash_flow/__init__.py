"""A group's cash flow: what moved, at the rates of the time it moved.

flows.py        what it is made of and comes to, and the proof that it is what cash did
working_out.py  who is in, flows cell by cell, eliminations, cash with companies, what rates did
"""
