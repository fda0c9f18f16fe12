"""What the worker does by itself, beside the server."""

from __future__ import annotations

from datetime import date

from procrastinate import JobContext
from procrastinate.contrib.django import app


@app.periodic(cron="* * * * *")
@app.task(name="publish drafts that are due")
def publish_due(timestamp: int) -> None:
    """Drafts whose date has come take effect; looked for every minute."""
    from web.definitions import drafting

    drafting.publish_due(date.today())


@app.periodic(cron="* * * * *")
@app.task(name="begin again what was cut off", queueing_lock="cut off", pass_context=True)
async def begin_again(context: JobContext, timestamp: int) -> None:
    """Jobs of a worker that is gone: nothing of them was kept (web/shell/progress.py), so that they may."""
    manager = context.app.job_manager
    for job in await manager.get_stalled_jobs():
        await manager.retry_job(job)
