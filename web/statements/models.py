from django.db import models

from web.definitions.base import Definition, Remark, choices_held, ident, key, text, to


class Statement(Definition):
    exchange = "statements"
    statement = ident(unique=True)
    name = models.TextField()
    chart = to("structures.Chart", "chart")
    kind = models.CharField(max_length=20)
    totals = models.CharField(max_length=5, default="above")

    class Meta:
        constraints = choices_held("statements")


class StatementLine(Definition):
    exchange = "statement_lines"
    statement = to("statements.Statement", "statement")
    line = ident()
    parent = ident(blank=True, default="")
    position = models.IntegerField()
    label = text()
    kind = models.CharField(max_length=15)
    accounts = text()
    formula = text()
    sign = models.CharField(max_length=10)
    field = ident(blank=True, default="")
    codes = text()
    side = models.CharField(max_length=8, default="any")
    shown_when = models.CharField(max_length=11, default="always")

    class Meta:
        constraints = [
            *choices_held("statement_lines"),
            *key("statement", "line"),
            models.CheckConstraint(
                condition=~models.Q(parent=models.F("line")), name="statements_line_not_under_itself"
            ),
        ]


class NonCashPair(Definition):
    exchange = "non_cash_pairs"
    statement = to("statements.Statement", "statement")
    pair = ident()
    name = models.TextField()
    accounts = text()
    against = text()

    class Meta:
        constraints = key("statement", "pair")


class Arrangement(Definition):
    exchange = "arrangements"
    statement = to("statements.Statement", "statement")
    over = models.ForeignKey(
        Statement, to_field="statement", db_column="over", on_delete=models.PROTECT, related_name="+"
    )
    member = ident()
    member_kind = models.CharField(max_length=10)
    in_use = models.BooleanField(default=True)

    class Meta:
        constraints = [*key("statement"), *choices_held("arrangements")]


class ArrangedLine(Definition):
    exchange = "arranged_lines"
    statement = to("statements.Statement", "statement")
    line = ident()
    seen = models.CharField(max_length=12)
    reason = text()

    class Meta:
        constraints = key("statement", "line")


class Budget(Definition):
    exchange = "budgets"
    budget = ident(unique=True)
    name = models.TextField()
    chart = to("structures.Chart", "chart")
    approved = models.BooleanField(default=False)
    kind = models.CharField(max_length=10, default="budget")

    class Meta:
        constraints = choices_held("budgets")


class ColumnSet(Definition):
    exchange = "column_sets"
    column_set = ident(unique=True)
    name = models.TextField()
    chart = to("structures.Chart", "chart")
    by = text()
    periods = models.CharField(max_length=10)
    budget = ident(blank=True, default="")
    beside = models.CharField(max_length=10)
    within = models.CharField(max_length=10, default="nothing")
    companies = text()
    part_of = ident(blank=True, default="")
    formulas = text()
    forecast = ident(blank=True, default="")

    class Meta:
        constraints = choices_held("column_sets")


class LineRemark(Remark):
    """Said of a line at the end of a period, of a company or a group (the other is empty)."""

    statement = ident()
    line = ident()
    company = ident(blank=True, default="")
    group = ident(blank=True, default="")
    fiscal_year = models.IntegerField()
    period = models.IntegerField()

    class Meta:
        indexes = [models.Index(fields=["statement", "fiscal_year", "period"])]
