"""A large rollout made in the worker's process; it tells how far it is, and stopped it leaves nothing."""

from __future__ import annotations

from typing import Any

from procrastinate.contrib.django import app

from web.shell.progress import Stopped, Teller, own_connection

TELL = "UPDATE rollouts_rolloutjob SET what = %s, done = %s, seen_at = now() WHERE id = %s RETURNING stop"


def start(job: int) -> None:
    make.defer(job=job)


@app.task(name="make a rollout")
def make(job: int) -> None:
    run(job)


def run(number: int) -> None:
    from django.utils import timezone

    from core.faults import Refused
    from web.rollouts.models import RolloutJob
    from web.rollouts.running import roll_out

    job = RolloutJob.objects.select_related("by").get(pk=number)
    ended: dict[str, Any] = {"outcome": "It broke off; nothing was made."}
    try:
        with own_connection() as own:
            teller = Teller(TELL, number, own)

            def tell(what: str, done: int) -> None:
                teller(what, done, always=what != "working cells out")

            made = roll_out(job.rollout, job.ours, job.fingerprint, job.by, job.draft_id, job.why, tell)
        ended = {"outcome": made.sentence, "run": made}
    except Stopped:
        ended["outcome"] = "Stopped; nothing was made."
    except Refused as refused:
        ended["outcome"] = " ".join(fault.what for fault in refused.faults[:5])
    finally:
        RolloutJob.objects.filter(pk=number, ended_at=None).update(ended_at=timezone.now(), **ended)
