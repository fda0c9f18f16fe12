"""The log of changes: who, when, what in a sentence, and each row before and after. Never altered."""

import uuid

import pgtrigger
from django.conf import settings
from django.contrib.postgres.indexes import GinIndex
from django.db import models
from django.utils import timezone


def never_altered() -> list[pgtrigger.Trigger]:
    """Refuses UPDATE, DELETE and TRUNCATE, also from hand-written SQL."""
    return [
        pgtrigger.Trigger(
            name="never_altered",
            level=pgtrigger.Statement,
            when=pgtrigger.Before,
            operation=pgtrigger.Update | pgtrigger.Delete | pgtrigger.Truncate,
            func=(
                "RAISE EXCEPTION 'pine: rows of % are never altered', TG_TABLE_NAME USING ERRCODE ="
                " 'check_violation';"
            ),
        )
    ]


class Version(models.Model):
    """One act of change and the version of the definitions that it made. `token` tells versions of two
    databases apart.

    `charts` are the charts it touched, each with the version it made of it.
    `digest` stands for all rows of definitions as it left them (core/definitions/digest.py): a process proves
    by it what
    it keeps.
    `recodes`: a list whose codes were spelled anew, posted strings with them, and each new text's former
    one; what was
    before can't be looked at with the books of now.
    """

    version = models.BigIntegerField(primary_key=True)
    token = models.UUIDField(default=uuid.uuid4, unique=True)
    at = models.DateTimeField(default=timezone.now)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")
    sentence = models.TextField()
    reason = models.TextField(blank=True, default="")
    charts = models.JSONField(default=dict)
    rows = models.IntegerField()
    digest = models.CharField(max_length=32)
    recodes = models.JSONField(null=True)
    takes_back = models.OneToOneField(
        "self", null=True, on_delete=models.PROTECT, related_name="taken_back_by"
    )

    class Meta:
        # No default ordering: a query ordered by a reference to a version would take it over, newest first.
        triggers = never_altered()
        indexes = [GinIndex(fields=["charts"], name="definitions_version_charts")]


class Edited(models.Model):
    """One row of one change, before and after, as the exchange package writes it. Edits are written before
    the version itself, which is the last thing under the lock: so the database doesn't check that it is
    there; its seal does (web/definitions/sealed_versions.py)."""

    version = models.ForeignKey(Version, on_delete=models.PROTECT, related_name="edits", db_constraint=False)
    table = models.CharField(max_length=40)
    key = models.TextField()
    old = models.JSONField(null=True)
    new = models.JSONField(null=True)

    class Meta:
        triggers = never_altered()
        indexes = [models.Index(fields=["table", "key"])]


class Sealed(models.Model):
    """What was written to a log, in a hash: `content` is that of what `key` was told as, `link` goes on from
    the one before in the same log (web/definitions/sealing.py)."""

    log = models.CharField(max_length=20)
    number = models.BigIntegerField()
    key = models.TextField()
    content = models.CharField(max_length=64)
    link = models.CharField(max_length=64)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["log", "number"], name="definitions_sealed_once")]
        triggers = never_altered()


class Draft(models.Model):
    """A named set of changes until it is published. `at` is the step it stands at: undo and redo move it."""

    OPEN, REVIEW, APPROVED, SCHEDULED, PUBLISHED, DROPPED = (
        "open",
        "review",
        "approved",
        "scheduled",
        "published",
        "dropped",
    )
    STATUSES = [
        (OPEN, "being worked on"),
        (REVIEW, "out for review"),
        (APPROVED, "approved"),
        (SCHEDULED, "waits for its date"),
        (PUBLISHED, "published"),
        (DROPPED, "dropped"),
    ]

    name = models.TextField()
    reason = models.TextField(blank=True, default="")
    author = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    base = models.BigIntegerField()
    at = models.IntegerField(default=0)
    status = models.CharField(max_length=9, choices=STATUSES, default=OPEN)
    approved_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+"
    )
    takes_effect = models.DateField(null=True)
    settled = models.JSONField(default=dict)
    """rows whose collision was decided for the draft, each with the version up to which"""
    published_as = models.OneToOneField(Version, null=True, on_delete=models.PROTECT, related_name="draft")

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["name"],
                condition=~models.Q(status__in=["published", "dropped"]),
                name="definitions_draft_one_name",
            )
        ]


class DraftChange(models.Model):
    """One change of a draft as core/changes/recording.py writes it."""

    draft = models.ForeignKey(Draft, on_delete=models.CASCADE, related_name="changes")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    content = models.JSONField()


class DraftStep(models.Model):
    """The changes that a draft consists of after a step: making one, or taking one back."""

    draft = models.ForeignKey(Draft, on_delete=models.CASCADE, related_name="steps")
    number = models.IntegerField()
    changes = models.JSONField(default=list)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["draft", "number"], name="definitions_draftstep_key")]


class DraftRemark(models.Model):
    """What reviewers and authors say of a draft."""

    COMMENT, ASK, APPROVE, SEND_BACK = "comment", "ask", "approve", "send back"
    VERDICTS = [
        (COMMENT, "says"),
        (ASK, "asks for review"),
        (APPROVE, "approves"),
        (SEND_BACK, "sends it back"),
    ]

    draft = models.ForeignKey(Draft, on_delete=models.CASCADE, related_name="remarks")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    verdict = models.CharField(max_length=9, choices=VERDICTS, default=COMMENT)
    text = models.TextField(blank=True, default="")
