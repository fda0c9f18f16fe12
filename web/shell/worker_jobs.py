"""What every job in the worker says of itself: how far it is, whether somebody wants it stopped, how it ended
(web/shell/progress.py writes it)."""

from django.db import models


class WorkerJob(models.Model):
    """`what` is being done and how much of it is `done`; `seen_at` is when that was last said."""

    started_at = models.DateTimeField(auto_now_add=True)
    seen_at = models.DateTimeField(auto_now_add=True)
    ended_at = models.DateTimeField(null=True)
    what = models.TextField(default="waiting")
    done = models.IntegerField(default=0)
    stop = models.BooleanField(default=False)
    outcome = models.TextField(default="")

    class Meta:
        abstract = True
