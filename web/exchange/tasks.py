"""What the worker does by itself for the exchange: ends of chains are kept, once an hour."""

from __future__ import annotations

from procrastinate.contrib.django import app


@app.periodic(cron="7 * * * *")
@app.task(name="keep where the chains end")
def keep_heads(timestamp: int) -> None:
    from web.exchange import heads
    from web.people.standing import begin_seal

    begin_seal()
    heads.keep_current()
