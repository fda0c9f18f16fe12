"""Figures by any field, filter and stretch of time: the same amounts, asked in other ways.

asked.py          what may be asked for together
filters.py        which account strings and dimension combinations fit, from `season=SP26; site=under 310`
amount_rows.py    amounts of a company as columns, each with its time, account string and dimensions
stretches.py      a movement or what stands at its end, by periods or by days
time_steps.py     by day, week, month …; the stretch before and after, as long
period_columns.py months, quarters and years side by side
axes.py           what stands across or down: codes of one or two fields, accounts, periods
column_sums.py    from amounts to the columns that a statement is made from
hierarchy_plan.py a hierarchy of natural accounts as a statement that nobody built
variances.py      figures beside others, those of a budget or of more companies, and in per cent
"""
