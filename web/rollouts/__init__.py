"""Rollouts: things of one company brought to many, shown cell by cell before, in one act, with a log of runs.

models.py    rollouts and their items; what each run came to; large ones on their way
sheets.py    rollouts and items as tables edited in place
queries.py   the matrix of a rollout on the definitions that somebody looks at
running.py   making it: one transaction, and every cell's outcome kept
job.py       the same in the worker, with progress and stop
grid.py      the matrix as rows and cells
views.py     pages and acts
run_views.py a run of the log
"""
