from django.conf import settings
from django.db import models

from web.definitions.base import Definition, choices_held, ident, key, text, to
from web.definitions.models import never_altered


class Group(Definition):
    exchange = "groups"
    group = ident(unique=True)
    name = models.TextField()
    currency = models.CharField(max_length=3)
    chart = to("structures.Chart", "chart")
    calendar = ident(blank=True, default="")
    translation_account = ident(blank=True, default="")
    retained_account = ident(blank=True, default="")
    minority_account = ident(blank=True, default="")
    minority_result_account = ident(blank=True, default="")
    equity_investment_account = ident(blank=True, default="")
    equity_result_account = ident(blank=True, default="")
    disposal_account = ident(blank=True, default="")
    rates_through = models.CharField(max_length=3, blank=True, default="")


class GroupMember(Definition):
    exchange = "group_members"
    group = to("group.Group", "group")
    member = ident()
    member_kind = models.CharField(max_length=10)
    method = models.CharField(max_length=20)
    ownership = models.DecimalField(max_digits=24, decimal_places=12, null=True)
    in_from = models.DateField(null=True)
    in_until = models.DateField(null=True)

    class Meta:
        constraints = [*key("group", "member"), *choices_held("group_members")]


class Mapping(Definition):
    exchange = "mappings"
    group = to("group.Group", "group")
    company = to("companies.Company", "company")
    position = models.IntegerField()
    accounts = models.TextField()
    field = ident(blank=True, default="")
    codes = text()
    target = ident()

    class Meta:
        constraints = key("group", "company", "position")


class Elimination(Definition):
    exchange = "eliminations"
    group = to("group.Group", "group")
    elimination = ident()
    position = models.IntegerField()
    name = text()
    accounts = models.TextField()
    partners_only = models.BooleanField(default=True)
    difference_account = ident()
    partners = models.CharField(max_length=12, default="consolidated")
    tolerance = models.TextField(default="0")

    class Meta:
        constraints = [*key("group", "elimination"), *choices_held("eliminations")]


class OwnershipChange(Definition):
    exchange = "ownership_changes"
    group = to("group.Group", "group")
    member = ident()
    on = models.DateField()
    ownership = models.DecimalField(max_digits=24, decimal_places=12)

    class Meta:
        constraints = key("group", "member", "on")


class TranslationRule(Definition):
    exchange = "translation_rules"
    group = to("group.Group", "group")
    position = models.IntegerField()
    accounts = models.TextField()
    rate = models.CharField(max_length=10)

    class Meta:
        constraints = [*key("group", "position"), *choices_held("translation_rules")]


class GroupOpening(Definition):
    exchange = "group_openings"
    group = to("group.Group", "group")
    company = to("companies.Company", "company")
    account = ident()
    on = models.DateField()
    amount = models.TextField()

    class Meta:
        constraints = key("group", "company", "account", "on")


class Acquisition(Definition):
    exchange = "acquisitions"
    group = to("group.Group", "group")
    member = ident()
    on = models.DateField()
    holder = ident()
    percent = models.DecimalField(max_digits=24, decimal_places=12)
    cost = models.TextField()
    investment = models.TextField()
    goodwill_account = ident()
    goodwill_in = models.CharField(max_length=10, default="member")
    equity_at = models.DateField(null=True)

    class Meta:
        constraints = [*key("group", "member", "on"), *choices_held("acquisitions")]


class AcquiredEquity(Definition):
    exchange = "acquired_equity"
    group = to("group.Group", "group")
    member = ident()
    on = models.DateField()
    account = ident()
    amount = models.TextField()

    class Meta:
        constraints = key("group", "member", "on", "account")


class ChartMapping(Definition):
    exchange = "chart_mappings"
    group = to("group.Group", "group")
    chart = to("structures.Chart", "chart")
    position = models.IntegerField()
    accounts = models.TextField()
    field = ident(blank=True, default="")
    codes = text()
    target = ident()

    class Meta:
        constraints = key("group", "chart", "position")


class DisagreementNote(Definition):
    exchange = "disagreement_notes"
    group = to("group.Group", "group")
    rule = ident()
    company = to("companies.Company", "company")
    partner = ident(blank=True, default="")
    state = models.CharField(max_length=10)
    note = text()
    up_to = text()

    class Meta:
        constraints = [*key("group", "rule", "company", "partner"), *choices_held("disagreement_notes")]


class KeptPeriod(models.Model):
    """A period of a group as it stood when it was kept: never altered. `number` counts the keepings of one
    period, `version` is that of the definitions, `books` how far each book had come, `figures` what
    core/keeping/kept.py wrote, `digest` seals all of it."""

    group = ident()
    fiscal_year = models.IntegerField()
    period = models.IntegerField()
    number = models.IntegerField()
    name = models.TextField()
    version = models.BigIntegerField()
    books = models.JSONField()
    figures = models.TextField()
    locks = models.JSONField()
    """rows of core/keeping/locks.py"""
    still_open = models.JSONField(default=list)
    """sentences on what was not in order when it was kept"""
    why = models.TextField(blank=True, default="")
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")
    digest = models.CharField(max_length=64)

    class Meta:
        triggers = never_altered()
        constraints = key("group", "fiscal_year", "period", "number")


class ReleasedPeriod(models.Model):
    """A kept period whose rates may change again: by whom, when, why. What was kept stays."""

    kept = models.OneToOneField(KeptPeriod, on_delete=models.PROTECT, related_name="released")
    why = models.TextField()
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")

    class Meta:
        triggers = never_altered()


class MappingReview(models.Model):
    """Somebody looked at a company's mapping as it stood with a version of the definitions."""

    group = ident()
    company = ident()
    version = models.BigIntegerField()
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")

    class Meta:
        triggers = never_altered()
        indexes = [models.Index(fields=["group", "company"])]


class SettledAccount(models.Model):
    """What changed of an account up to a version is settled for a mapping, and why; `side` is `own` or
    `group`."""

    group = ident()
    company = ident()
    side = models.CharField(max_length=5)
    account = ident()
    version = models.BigIntegerField()
    why = models.TextField()
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")

    class Meta:
        triggers = never_altered()
        indexes = [models.Index(fields=["group", "company"])]


class Rounding(Definition):
    exchange = "roundings"
    currency = models.CharField(max_length=3)
    purpose = models.CharField(max_length=12)
    in_use_from = models.DateField()
    way = models.CharField(max_length=8)

    class Meta:
        constraints = [*key("currency", "purpose", "in_use_from"), *choices_held("roundings")]
