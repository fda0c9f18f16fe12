"""Speed as ratios measured side by side in one run (`./pine bench`, docs/benchmarks.md).

data: a group of any size as a package; figures: statements with columns, filters, days; group: a large
consolidation; companies: hundreds of companies, rollouts among them.
"""
