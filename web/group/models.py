from django.db import models

from web.definitions.base import Definition, choices_held, ident, key, text, to


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
