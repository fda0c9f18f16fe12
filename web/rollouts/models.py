from django.conf import settings
from django.db import models

from web.definitions.base import Definition, choices_held, ident, key, text, to
from web.definitions.models import never_altered
from web.shell.worker_jobs import WorkerJob


class Rollout(Definition):
    exchange = "rollouts"
    rollout = ident(unique=True)
    name = models.TextField()
    company = to("companies.Company", "company")
    companies = text()
    in_use_from = models.DateField(null=True)
    swap_field = ident(blank=True, default="")
    swap_from = ident(blank=True, default="")
    swap_to = ident(blank=True, default="")
    swap_name = text()


class RolloutItem(Definition):
    exchange = "rollout_items"
    rollout = to("rollouts.Rollout", "rollout")
    position = models.IntegerField()
    kind = models.CharField(max_length=10)
    field = ident(blank=True, default="")
    codes = text()
    account = text()
    name = ident(blank=True, default="")

    class Meta:
        constraints = [*key("rollout", "position"), *choices_held("rollout_items")]


class RolloutRun(models.Model):
    """A rollout that was made, cell by cell as it came out: never altered.

    `outcomes` has a text a thing with a letter a company: n made, c changed, a alike, k kept as it was there,
    x not made; `reasons` says why not, by `thing place.company place`. `version` is what it made of the
    definitions; in a draft there is none yet.
    """

    rollout = ident()
    name = models.TextField()
    version = models.ForeignKey("definitions.Version", null=True, on_delete=models.PROTECT, related_name="+")
    draft = models.ForeignKey("definitions.Draft", null=True, on_delete=models.PROTECT, related_name="+")
    sentence = models.TextField()
    things = models.JSONField()
    companies = models.JSONField()
    outcomes = models.JSONField()
    reasons = models.JSONField()
    at = models.DateTimeField(auto_now_add=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")

    class Meta:
        triggers = never_altered()
        indexes = [models.Index(fields=["rollout"])]


class RolloutJob(WorkerJob):
    """A large rollout on its way in the worker: how far it is, and whether it is to stop."""

    TASK = ("make a rollout", "job")
    rollout = ident()
    ours = models.TextField(default="")
    fingerprint = models.CharField(max_length=64)
    draft = models.ForeignKey("definitions.Draft", null=True, on_delete=models.CASCADE, related_name="+")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    why = models.TextField(default="")
    run = models.ForeignKey("RolloutRun", null=True, on_delete=models.SET_NULL, related_name="+")
