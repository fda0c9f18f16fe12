"""Books: posted journals and their lines, balances kept elsewhere, and what both add up to, packed.

A journal is here only once it is posted. Triggers refuse every change and every unbalanced set of lines, also
by SQL.
"""

import pgtrigger
from django.conf import settings
from django.db import models

from web.definitions.base import Definition, ident, key, named, text, to
from web.definitions.models import never_altered

# Only new rows are looked at, and what stands beside them: journals of one statement have numbers one after
# another, so a count between the first and the last proves that none of them had lines before. Where others
# posted in between, each is looked up.
BALANCED = """
    IF EXISTS (
        SELECT 1 FROM new_lines l JOIN journals_book b ON b.id = l.book_id
        GROUP BY l.journal_id, b.company HAVING sum(l.amount) <> 0 OR bool_or(b.fiscal_year <> l.fiscal_year)
    ) THEN
        RAISE EXCEPTION 'pine: the lines of a journal must balance in every company'
        USING ERRCODE = 'check_violation';
    END IF;
    SELECT min(journal_id), max(journal_id), count(*) INTO first_journal, last_journal, given FROM new_lines;
    IF EXISTS (
        SELECT 1 FROM (
            SELECT journal_id, count(*) AS lines, min(date) AS day, max(date) AS last_day FROM new_lines
            GROUP BY journal_id
        ) n JOIN journals_journal j ON j.id = n.journal_id
        WHERE j.id BETWEEN first_journal AND last_journal
          AND (n.lines <> j.line_count OR n.day <> j.date OR n.last_day <> j.date)
    ) OR (
        (SELECT count(*) FROM journals_journalline WHERE journal_id BETWEEN first_journal AND last_journal)
        <> given
        AND EXISTS (
            SELECT 1 FROM (SELECT journal_id, count(*) AS lines FROM new_lines GROUP BY journal_id) n,
            LATERAL (SELECT count(*) AS lines FROM journals_journalline l WHERE l.journal_id = n.journal_id) t
            WHERE t.lines <> n.lines
        )
    ) THEN
        RAISE EXCEPTION 'pine: a posted journal gets no further lines' USING ERRCODE = 'check_violation';
    END IF;
    IF EXISTS (SELECT 1 FROM new_lines GROUP BY journal_id HAVING min(fiscal_year) <> max(fiscal_year)) THEN
        IF EXISTS (SELECT 1 FROM new_lines GROUP BY journal_id, line HAVING count(*) > 1) THEN
            RAISE EXCEPTION 'pine: a journal has each line once' USING ERRCODE = 'unique_violation';
        END IF;
    END IF;
    RETURN NULL;
"""


NEW_LINES = pgtrigger.Referencing(new="new_lines")  # type: ignore[no-untyped-call]  # ships no types


class Book(models.Model):
    """One company's fiscal year. `sequence` counts its postings; it is raised under a row lock, so it orders
    commits."""

    company = to("companies.Company", "company")
    fiscal_year = models.IntegerField()
    sequence = models.BigIntegerField(default=0)
    debits = models.BigIntegerField(default=0)
    """minor units of all debits posted to it: bounded, so that sums of its amounts fit 64 bits"""

    class Meta:
        constraints = [models.UniqueConstraint(fields=["company", "fiscal_year"], name="journals_book_key")]


class BookPack(models.Model):
    """The balances of a book up to a sequence, packed (core/books/balances.py). A cache: lines after it are
    added
    on reading."""

    book = models.OneToOneField(Book, primary_key=True, on_delete=models.CASCADE)
    sequence = models.BigIntegerField()
    data = models.BinaryField()


class Account(models.Model):
    """An account string that was posted to, interned."""

    chart = ident()
    account = models.TextField()
    natural = ident()
    posted_as = models.TextField(default="", db_default="")
    """what it was before its codes were first spelled anew, if they were; hashes of journals cover this"""

    class Meta:
        constraints = [models.UniqueConstraint(fields=["chart", "account"], name="journals_account_key")]
        indexes = [
            models.Index(fields=["chart", "natural"]),
            models.Index(fields=["id"], condition=~models.Q(posted_as=""), name="journals_account_recoded"),
        ]


class DimensionCombination(models.Model):
    """The dimension codes that a line carries, interned: `project=P104; season=SP26`."""

    codes = models.TextField(unique=True)
    posted_as = models.TextField(default="", db_default="")

    class Meta:
        db_table = "journals_dimensionset"  # as the first release named it


class Recoded(models.Model):
    """One text of posted books spelled anew: the record that `pine_recode` keeps, and only it writes."""

    at = models.DateTimeField()
    target = models.CharField(max_length=10)
    chart = models.CharField(max_length=40, blank=True, default="")
    was = models.TextField()
    now = models.TextField()

    class Meta:
        triggers = never_altered()


class Journal(models.Model):
    company = named("companies.Company", "company")
    journal = ident()
    date = models.DateField()
    kind = models.CharField(max_length=10)
    description = models.TextField(blank=True, default="")
    currency = models.CharField(max_length=3)
    rate = models.DecimalField(max_digits=24, decimal_places=12, null=True)
    posted_at = models.DateTimeField()
    posted_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+"
    )
    poster = models.CharField(max_length=150, blank=True, default="")
    """the name of who posted it, kept where that person is not of this database"""
    reverses = models.OneToOneField("self", null=True, on_delete=models.PROTECT, related_name="reversed_by")
    chain = models.BigIntegerField()
    """its place among the company's journals in the order of posting, from 1"""
    hash = models.CharField(max_length=64)
    line_count = models.IntegerField()

    class Meta:
        triggers = never_altered()
        constraints = [
            models.UniqueConstraint(fields=["company", "journal"], name="journals_journal_key"),
            models.UniqueConstraint(fields=["company", "chain"], name="journals_journal_chain"),
        ]
        indexes = [models.Index(fields=["company", "-date", "-id"])]


class JournalLine(models.Model):
    """Amounts are raw (debit plus) minor units: `amount` in the company's currency, `keyed` in the journal's.
    The table is in parts by fiscal year (migration 0010). The book has the year too and the journal the date:
    triggers see that they are the same.

    Ids of interned rows carry no foreign keys: they were checked as arrays before the lines were written.
    """

    pk = models.CompositePrimaryKey("journal_id", "line")
    journal = models.ForeignKey(
        Journal, on_delete=models.PROTECT, related_name="lines", db_constraint=False, db_index=False
    )
    line = models.IntegerField()
    book = models.ForeignKey(
        Book, on_delete=models.PROTECT, related_name="+", db_constraint=False, db_index=False
    )
    fiscal_year = models.IntegerField()
    period = models.SmallIntegerField()
    date = models.DateField()
    closing = models.BooleanField()
    account = models.ForeignKey(
        Account, on_delete=models.PROTECT, related_name="+", db_constraint=False, db_index=False
    )
    dimensions = models.ForeignKey(
        DimensionCombination,
        null=True,
        on_delete=models.PROTECT,
        related_name="+",
        db_constraint=False,
        db_index=False,
    )
    partner_id = models.IntegerField(null=True)
    amount = models.BigIntegerField()
    keyed = models.BigIntegerField()
    generated = models.BooleanField(default=False)
    sequence = models.BigIntegerField()
    description = models.TextField(blank=True, default="")
    source_type = models.TextField(blank=True, default="")
    source_number = models.TextField(blank=True, default="")
    source_party = models.TextField(blank=True, default="")
    source_item = models.TextField(blank=True, default="")

    class Meta:
        triggers = [
            *never_altered(),
            pgtrigger.Trigger(
                name="balanced",
                level=pgtrigger.Statement,
                when=pgtrigger.After,
                operation=pgtrigger.Insert,
                referencing=NEW_LINES,
                declare=[("first_journal", "bigint"), ("last_journal", "bigint"), ("given", "bigint")],
                func=BALANCED,
            ),
        ]
        indexes = [
            models.Index(
                fields=["account", "book", "period", "date"], include=["amount"], name="journals_line_account"
            ),
            models.Index(fields=["book", "sequence"], name="journals_line_book"),
            models.Index(
                fields=["partner_id", "book"],
                condition=models.Q(partner_id__isnull=False),
                name="journals_line_partner",
            ),
            models.Index(
                fields=["source_number"], condition=~models.Q(source_number=""), name="journals_line_source"
            ),  # the number of a document leads to its lines; lines without one cost nothing
        ]


class ResortedLine(models.Model):
    """Where a line was sealed that went to another period since, because the calendar changed: fiscal year
    and period then."""

    pk = models.CompositePrimaryKey("journal_id", "line")
    journal = models.ForeignKey(
        Journal, on_delete=models.PROTECT, related_name="+", db_constraint=False, db_index=False
    )
    line = models.IntegerField()
    fiscal_year = models.IntegerField()
    period = models.SmallIntegerField()
    at = models.DateTimeField()

    class Meta:
        triggers = never_altered()


class Balance(models.Model):
    """A period's movement for a company whose books are kept elsewhere; raw minor units."""

    company = to("companies.Company", "company")
    fiscal_year = models.IntegerField()
    period = models.IntegerField()
    account = models.ForeignKey(Account, on_delete=models.PROTECT, related_name="+", db_constraint=False)
    dimensions_id = models.BigIntegerField(default=0)
    partner_id = models.IntegerField(default=0)
    amount = models.BigIntegerField()

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["company", "fiscal_year", "period", "account", "dimensions_id", "partner_id"],
                name="journals_balance_key",
            )
        ]


class BudgetLine(models.Model):
    """Raw minor units of the company's currency."""

    budget = to("statements.Budget", "budget")
    company = to("companies.Company", "company")
    fiscal_year = models.IntegerField()
    period = models.IntegerField()
    account = models.TextField()
    dimensions = models.TextField(blank=True, default="")
    amount = models.BigIntegerField()

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["budget", "company", "fiscal_year", "period", "account", "dimensions"],
                name="journals_budgetline_key",
            )
        ]


class Unfinished(models.Model):
    """A journal being keyed, kept so that nothing is lost when the browser goes away."""

    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    company = to("companies.Company", "company")
    saved_at = models.DateTimeField(auto_now=True)
    content = models.JSONField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["by", "company"], name="journals_unfinished_key")]


class EnteredBy(models.Model):
    """Who entered a journal that somebody else posted, and when it was handed in."""

    journal = models.OneToOneField(Journal, on_delete=models.PROTECT, related_name="entered")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        triggers = never_altered()


class HandedIn(models.Model):
    """A journal entered by somebody who may not post it, until somebody who may does; `content` is what was
    keyed."""

    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    company = to("companies.Company", "company")
    at = models.DateTimeField(auto_now=True)
    content = models.JSONField()
    remark = text()
    """why it was sent back; empty while it waits to be posted"""
    sent_back_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+"
    )

    @property
    def description(self) -> str:
        return str(self.content.get("description") or "")

    @property
    def line_count(self) -> int:
        return len(self.content.get("lines") or ())


class ChartMove(Definition):
    exchange = "chart_moves"
    company = to("companies.Company", "company")
    on = models.DateField()
    chart_before = models.ForeignKey(
        "structures.Chart",
        to_field="chart",
        db_column="chart_before",
        on_delete=models.PROTECT,
        related_name="+",
    )
    chart = to("structures.Chart", "chart")
    moved_at = models.TextField()
    journal = ident(blank=True, default="")

    class Meta:
        constraints = key("company", "on")


class MovedAccount(models.Model):
    """How an account string is read in the chart that a company moved to: lines keep the one they were posted
    to."""

    company = to("companies.Company", "company")
    account = models.ForeignKey(Account, on_delete=models.PROTECT, related_name="+", db_constraint=False)
    chart = ident()
    now = models.ForeignKey(Account, on_delete=models.PROTECT, related_name="+", db_constraint=False)

    class Meta:
        triggers = never_altered()
        constraints = [
            models.UniqueConstraint(fields=["company", "account", "chart"], name="journals_movedaccount_key")
        ]
        indexes = [models.Index(fields=["company", "chart", "now"])]
