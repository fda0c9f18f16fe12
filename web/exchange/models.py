"""Imports that take a while: how far they are, whether somebody wants them stopped, how they ended."""

from django.conf import settings
from django.db import models


class Job(models.Model):
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    file = models.TextField()
    started_at = models.DateTimeField(auto_now_add=True)
    seen_at = models.DateTimeField(auto_now_add=True)
    ended_at = models.DateTimeField(null=True)
    what = models.TextField(default="starting")
    done = models.IntegerField(default=0)
    stop = models.BooleanField(default=False)
    outcome = models.TextField(default="")
    faults = models.JSONField(default=list)
