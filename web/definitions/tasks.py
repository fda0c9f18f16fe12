"""What the worker does by itself, beside the server."""

from __future__ import annotations

from datetime import date

from procrastinate.contrib.django import app


@app.periodic(cron="* * * * *")
@app.task(name="publish drafts that are due")
def publish_due(timestamp: int) -> None:
    """Drafts whose date has come take effect; looked for every minute."""
    from web.definitions import drafting

    drafting.publish_due(date.today())
