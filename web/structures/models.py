from django.conf import settings
from django.db import models

from web.definitions.base import Definition, choices_held, ident, key, text, to


class Structure(Definition):
    exchange = "structures"
    structure = ident(unique=True)
    name = models.TextField()
    separator = models.CharField(max_length=1)

    class Meta:
        constraints = choices_held("structures")


class StructureSegment(Definition):
    exchange = "structure_segments"
    structure = to("structures.Structure", "structure")
    position = models.IntegerField()
    segment = ident()
    name = models.TextField()
    code_list = to("codes.CodeList", "code_list")
    role = models.CharField(max_length=20)

    class Meta:
        constraints = [
            *choices_held("structure_segments"),
            *key("structure", "position"),
            # Two segments that change places would meet in the middle, were it looked at before the end.
            models.UniqueConstraint(
                fields=["structure", "segment"],
                name="structures_segment_name",
                deferrable=models.Deferrable.DEFERRED,
            ),
        ]


class Dimension(Definition):
    exchange = "dimensions"
    dimension = ident(unique=True)
    name = models.TextField()
    code_list = to("codes.CodeList", "code_list")


class Chart(Definition):
    exchange = "charts"
    chart = ident(unique=True)
    name = models.TextField()
    structure = to("structures.Structure", "structure")
    new_strings = models.CharField(max_length=12)
    approval = models.BooleanField(default=False)
    result_account = ident(blank=True, default="")
    exchange_account = ident(blank=True, default="")

    class Meta:
        constraints = choices_held("charts")


class ChartSegment(Definition):
    exchange = "chart_segments"
    chart = to("structures.Chart", "chart")
    segment = ident()
    required = models.BooleanField(default=True)
    default_code = ident(blank=True, default="")
    display_position = models.IntegerField(null=True)

    class Meta:
        constraints = key("chart", "segment")


class ChartDimension(Definition):
    exchange = "chart_dimensions"
    chart = to("structures.Chart", "chart")
    dimension = to("structures.Dimension", "dimension")
    required = models.BooleanField(default=False)

    class Meta:
        constraints = key("chart", "dimension")


class PairingRule(Definition):
    exchange = "pairing_rules"
    chart = to("structures.Chart", "chart")
    rule = ident()
    position = models.IntegerField()
    field = ident()
    outcome = models.CharField(max_length=10)
    codes = text()
    message = text()
    in_use_from = models.DateField(null=True)
    in_use_until = models.DateField(null=True)

    class Meta:
        constraints = [*key("chart", "rule"), *choices_held("pairing_rules")]


class PairingCondition(Definition):
    exchange = "pairing_conditions"
    chart = to("structures.Chart", "chart")
    rule = ident()
    field = ident()
    codes = models.TextField()

    class Meta:
        constraints = key("chart", "rule", "field")


class AccountString(Definition):
    exchange = "account_strings"
    chart = to("structures.Chart", "chart")
    account = models.TextField()
    enabled = models.BooleanField(default=True)
    in_use_from = models.DateField(null=True)
    in_use_until = models.DateField(null=True)

    class Meta:
        constraints = key("chart", "account")


class QuickCode(Definition):
    exchange = "quick_codes"
    chart = to("structures.Chart", "chart")
    quick_code = ident()
    company = ident(blank=True, default="")
    scope = models.CharField(max_length=10)
    owner = text()
    account = models.TextField()
    dimensions = text()

    class Meta:
        constraints = [*key("chart", "quick_code"), *choices_held("quick_codes")]


class SecondChart(Definition):
    exchange = "second_charts"
    company = to("companies.Company", "company")
    chart = to("structures.Chart", "chart")
    purpose = text()

    class Meta:
        constraints = key("company", "chart")


class SecondChartMapping(Definition):
    exchange = "second_chart_mappings"
    chart = to("structures.Chart", "chart")
    second_chart = models.ForeignKey(
        Chart, to_field="chart", db_column="second_chart", on_delete=models.PROTECT, related_name="+"
    )
    position = models.IntegerField()
    accounts = models.TextField()
    field = ident(blank=True, default="")
    codes = text()
    target = ident()

    class Meta:
        constraints = key("chart", "second_chart", "position")


class TakenTarget(models.Model):
    """An account that was mapped together with others, by name or code, until somebody looked at it.

    `into` is what it is mapped into and `of` whose account it is, each a word and an id: `group fernhollow`
    or `chart shared`, `company hexley` or `chart hexley-nominal`. It says something only while the account
    still goes to that target.
    """

    into = models.CharField(max_length=60)
    of = models.CharField(max_length=60)
    account = ident()
    target = ident()
    ground = models.TextField()
    at = models.DateTimeField(auto_now_add=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["into", "of", "account"], name="structures_taken_once")
        ]
