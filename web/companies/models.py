from django.db import models

from web.definitions.base import Definition, choices_held, ident, key, to


class Calendar(Definition):
    exchange = "calendars"
    calendar = ident(unique=True)
    name = models.TextField()


class Period(Definition):
    exchange = "periods"
    calendar = to("companies.Calendar", "calendar")
    fiscal_year = models.IntegerField()
    period = models.IntegerField()
    name = models.TextField()
    starts_on = models.DateField()
    ends_on = models.DateField()
    kind = models.CharField(max_length=10)
    status = models.CharField(max_length=10)

    class Meta:
        constraints = [*key("calendar", "fiscal_year", "period"), *choices_held("periods")]


class Company(Definition):
    """`id` is the number under which balances know the company."""

    exchange = "companies"
    company = ident(unique=True)
    name = models.TextField()
    country = models.TextField()
    currency = models.CharField(max_length=3)
    chart = to("structures.Chart", "chart")
    calendar = to("companies.Calendar", "calendar")
    overlay = ident(blank=True, default="")
    foreign_currencies = models.BooleanField(default=False)
    accounts_open = models.CharField(max_length=10)
    adjusts = ident(blank=True, default="")

    class Meta:
        constraints = choices_held("companies")


class CompanyCode(Definition):
    exchange = "company_codes"
    company = to("companies.Company", "company")
    segment = ident()
    code = ident()

    class Meta:
        constraints = key("company", "segment", "code")


class CompanyAccount(Definition):
    exchange = "company_accounts"
    company = to("companies.Company", "company")
    code = ident()
    currency = models.CharField(max_length=3, blank=True, default="")
    revalue = models.BooleanField(default=False)
    enabled = models.BooleanField(default=True)

    class Meta:
        constraints = key("company", "code")


class CompanyCurrency(Definition):
    exchange = "company_currencies"
    company = to("companies.Company", "company")
    currency = models.CharField(max_length=3)

    class Meta:
        constraints = key("company", "currency")


class IntercompanyPair(Definition):
    exchange = "intercompany_pairs"
    company = to("companies.Company", "company")
    partner = ident()
    due_from = ident()
    due_to = ident()

    class Meta:
        constraints = key("company", "partner")


class Rate(Definition):
    exchange = "rates"
    from_currency = models.CharField(max_length=3)
    to_currency = models.CharField(max_length=3)
    kind = models.CharField(max_length=10)
    on = models.DateField()
    rate = models.DecimalField(max_digits=24, decimal_places=12)

    class Meta:
        constraints = [*key("from_currency", "to_currency", "kind", "on"), *choices_held("rates")]
