"""What is told of a group's positions: columns, stretches, proofs, findings.

columns.py       which column an amount stands in, subgroups folded or opened
makeup.py        what a figure of a company is made of, with the rates used
results.py       what a stretch of periods brought
sum_up.py        the columns of companies, eliminations and group; the trial balance
proof.py         of each translation reserve
equity_movement.py from what equity opened with to what it closes with
line_cells.py    one line by two of accounts, columns, periods
rate_history.py  of one currency, with ways, gaps and jumps
step_matrix.py   companies by steps, with what each brings and its entries
figure_checks.py what only figures tell: missing rates, ways that differ, bargains
"""
