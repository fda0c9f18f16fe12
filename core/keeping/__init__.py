"""A group's period kept as it stood, and what moved since.

readiness.py whether each company is ready for a period
notes.py     what a note makes of two sides that disagree
kept.py     the figures, rates and shares that are kept, as text and back
locks.py    which rows of rates a kept period holds as they are
moved.py    what moved since, line by line, by its cause
"""
