from django.conf import settings
from django.db import models

from web.definitions.base import Remark, ident
from web.definitions.models import never_altered


class BudgetAct(models.Model):
    """Who changed which lines of a budget: never altered. `edits` are rows of period, account string,
    dimensions, raw minor units before and after (none: no line)."""

    budget = ident()
    company = ident()
    fiscal_year = models.IntegerField()
    sentence = models.TextField()
    edits = models.JSONField()
    takes_back = models.OneToOneField(
        "self", null=True, on_delete=models.PROTECT, related_name="taken_back_by"
    )
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")

    class Meta:
        triggers = never_altered()
        indexes = [models.Index(fields=["budget", "company", "fiscal_year"])]


class BudgetRemark(Remark):
    """Said of a cell: of a row (`line:…` of a statement, `account:…`, `string:…`) in a period, 0 for the
    year."""

    budget = ident()
    company = ident()
    fiscal_year = models.IntegerField()
    statement = ident(blank=True, default="")
    key = models.TextField()
    period = models.IntegerField()

    class Meta:
        indexes = [models.Index(fields=["budget", "company", "fiscal_year"])]
