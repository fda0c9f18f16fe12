"""Statements handed on: as pages of paper, and several in one act.

paper.py      a statement as it is printed: titles, columns, rows of text
statements.py the figures of one statement of a pack, of a company or a group
pdf.py        papers as PDF pages, with contents where there are several
making.py     which statements a pack holds, all of one moment of the books
files.py      a pack's papers as one PDF, one workbook, or a folder in a zip
models.py     packs that were made, kept with their hash
job.py        making one in the worker, with progress
views.py      the page of packs, and a statement as PDF
"""
