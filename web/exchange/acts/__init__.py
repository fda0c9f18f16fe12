"""What the commands on data do, a module for each kind: a command imports only what its own act needs, which
is most of what a report on the command line costs.

answers.py     exit statuses, sentences and results
packages.py    import and export
proofs.py      check and verify
packing.py     packs
audit_files.py the French file of accounting entries
reporting.py   trial balances, statements, what groups are asked
"""
