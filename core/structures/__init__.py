"""Account strings: segments and dimensions of a chart, the rules between them, and what is offered while
keying.

charts.py        a chart ready for use, a company at its chart
accounts.py      an account string worked out with all its faults
pairing.py       pairing rules compiled
quick_codes.py   short words that stand for an account string
open_accounts.py  which accounts a company has open
pair_proposals.py  accounts that two companies most likely face each other on
second_charts.py  in which charts a company's books are seen
company_choice.py  which companies a text means
overlays.py      local numbers and names; definitions seen as an overlay
offering.py      codes offered for the segment that is being keyed
"""
