"""Imports that take a while: how far they are, whether somebody wants them stopped, how they ended."""

from django.conf import settings
from django.db import models

from web.shell.worker_jobs import WorkerJob


class Job(WorkerJob):
    TASK = ("import a package", "job")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    file = models.TextField()
    faults = models.JSONField(default=list)
