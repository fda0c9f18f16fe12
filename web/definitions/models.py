"""The log of changes: who, when, what in a sentence, and each row before and after. Never altered."""

import uuid

import pgtrigger
from django.conf import settings
from django.db import models


def never_altered() -> list[pgtrigger.Trigger]:
    """Refuses UPDATE, DELETE and TRUNCATE, also from hand-written SQL."""
    return [
        pgtrigger.Trigger(
            name="never_altered",
            level=pgtrigger.Statement,
            when=pgtrigger.Before,
            operation=pgtrigger.Update | pgtrigger.Delete | pgtrigger.Truncate,
            func="RAISE EXCEPTION 'pine: rows of % are never altered', TG_TABLE_NAME USING ERRCODE = 'check_violation';",
        )
    ]


class Version(models.Model):
    """One act of change and the version of the definitions that it made. `token` tells versions of two databases apart."""

    version = models.BigIntegerField(primary_key=True)
    token = models.UUIDField(default=uuid.uuid4, unique=True)
    at = models.DateTimeField(auto_now_add=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")
    sentence = models.TextField()
    rows = models.IntegerField()
    takes_back = models.OneToOneField("self", null=True, on_delete=models.PROTECT, related_name="taken_back_by")

    class Meta:
        triggers = never_altered()
        ordering = ["-version"]


class Edited(models.Model):
    """One row of one change, before and after, as the exchange package writes it."""

    version = models.ForeignKey(Version, on_delete=models.PROTECT, related_name="edits")
    table = models.CharField(max_length=40)
    key = models.TextField()
    old = models.JSONField(null=True)
    new = models.JSONField(null=True)

    class Meta:
        triggers = never_altered()
        indexes = [models.Index(fields=["table", "key"])]
