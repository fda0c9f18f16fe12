from django.db import models

from web.definitions.base import Definition, choices_held, ident, key, text, to


class Group(Definition):
    exchange = "groups"
    group = ident(unique=True)
    name = models.TextField()
    currency = models.CharField(max_length=3)
    chart = to("structures.Chart", "chart")
    calendar = ident(blank=True, default="")


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

    class Meta:
        constraints = key("group", "elimination")
