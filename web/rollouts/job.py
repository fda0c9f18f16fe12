"""A large rollout made in the worker's process; it tells how far it is, and stopped it leaves nothing."""

from __future__ import annotations

from procrastinate import JobContext
from procrastinate.contrib.django import app

from web.shell.progress import AGAIN, JobRun, attempts_of, run_job

NOTHING = "nothing was made"


def start(job: int) -> None:
    make.defer(job=job)


@app.task(name="make a rollout", retry=AGAIN, pass_context=True)
def make(context: JobContext, job: int) -> None:
    run(job, attempts_of(context))


def run(number: int, attempts: int = 0) -> None:
    from web.rollouts.models import RolloutJob

    run_job(RolloutJob.objects.select_related("by").get(pk=number), _make, NOTHING, attempts=attempts)


def _make(job: JobRun) -> None:
    from web.rollouts.running import roll_out

    row = job.row

    def tell(what: str, done: int) -> None:
        job.tell(what, done, always=what != "working cells out")

    roll_out(
        row.rollout,
        row.ours,
        row.fingerprint,
        row.by,
        row.draft_id,
        row.why,
        tell,
        within=lambda run: job.end(outcome=run.sentence, run=run),
    )
