"""What every job in the worker says of itself: how far it is, whether somebody wants it stopped, how it ended
(web/shell/progress.py writes it)."""

from __future__ import annotations

from datetime import timedelta
from typing import ClassVar

from django.db import models
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob, ProcrastinateWorker

WAITING = "waiting"
QUIET_FOR = timedelta(seconds=30)
"""After so long a job that says nothing is looked at: the worker says every ten seconds that it lives."""


class WorkerJob(models.Model):
    """`what` is being done and how much of it is `done`; `seen_at` is when that was last said. `TASK` is
    what the queue calls it, and the argument that holds its number."""

    TASK: ClassVar[tuple[str, str]]

    started_at = models.DateTimeField(auto_now_add=True)
    seen_at = models.DateTimeField(auto_now_add=True)
    ended_at = models.DateTimeField(null=True)
    what = models.TextField(default=WAITING)
    done = models.IntegerField(default=0)
    stop = models.BooleanField(default=False)
    outcome = models.TextField(default="")

    class Meta:
        abstract = True

    @property
    def is_busy(self) -> bool:
        return self.ended_at is None

    @property
    def is_quiet(self) -> bool:
        """Whether nothing is being done for it: it waits, or was cut off. A step that takes long says nothing
        either, so the queue is asked whether a worker that lives is at it."""
        if self.what != WAITING and timezone.now() - self.seen_at <= QUIET_FOR:
            return False
        name, argument = self.TASK
        at_it = ProcrastinateJob.objects.filter(
            task_name=name,
            args__contains={argument: self.pk},
            status="doing",
            worker__last_heartbeat__gt=timezone.now() - 2 * QUIET_FOR,
        )
        return not at_it.exists()

    def told(self) -> str:
        """What is being done, or what it waits for."""
        if not self.is_quiet:
            return self.what
        if not worker_lives():
            return "no worker runs: ./pine start begins one, and this goes on"
        return "waiting for its turn" if self.what == WAITING else "cut off: it begins again by itself"


def worker_lives() -> bool:
    """Whether any worker said lately that it lives."""
    return ProcrastinateWorker.objects.filter(last_heartbeat__gt=timezone.now() - 2 * QUIET_FOR).exists()
