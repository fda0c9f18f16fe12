"""Changes of definitions as values: what they edit, what they say, why they may not be made.

kinds.py             the simplest ones, changes made of changes, and how any of them is judged
of_codes.py          many codes, moves in a hierarchy, kept versions
of_statements.py     lines, accounts placed on lines, accounts mapped
of_arrangements.py   own statements in place of inherited ones, what moved above taken or settled
proposing.py         a statement begun from classes, a hierarchy or another one
recoding.py          all codes of a list longer or shorter, with all that names them
further_segments.py  a segment added to a structure that was posted to
fixed.py             what can't change any more once something was posted
asked_facts.py       facts that remember what was asked of them
recording.py         changes written down and read back
"""
