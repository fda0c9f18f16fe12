"""A small stand-in for a central bank's service of reference rates: invented daily rates in the open XML
layout, on loopback.

`python -m demo.rate_service PORT` serves `/rates.xml`. With `?as=` it fails as such services do: `slow`,
`status`, `text`, `empty`, `without-KES`, `below-zero`.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Iterator
from contextlib import suppress
from datetime import date, timedelta
from decimal import Decimal
from hashlib import sha256
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from urllib.parse import parse_qs, urlsplit

from demo.definitions import CLOSING, OPENED, rate_at

HEAD = (
    '<?xml version="1.0" encoding="UTF-8"?>\n'
    '<gesmes:Envelope xmlns:gesmes="http://www.gesmes.org/xml/2002-08-01"'
    ' xmlns="http://www.ecb.int/vocabulary/2002-08-01/eurofxref">\n'
    "<gesmes:subject>Reference rates</gesmes:subject>\n"
    "<gesmes:Sender><gesmes:name>Invented rates of the demo</gesmes:name></gesmes:Sender>\n<Cube>\n"
)
TAIL = "</Cube>\n</gesmes:Envelope>\n"
FURTHER = {"SEK": "0.0761", "NOK": "0.0735", "CHF": "0.8841"}
"""What a unit of some more currencies is worth in pounds."""
SLOW = 30


def working_days(until: date) -> Iterator[date]:
    """The newest first."""
    day = until
    while day >= OPENED:
        if day.weekday() < 5:
            yield day
        day -= timedelta(days=1)


def in_pounds(currency: str, on: date) -> Decimal:
    """What a unit is worth: the demo's month-end rates, with what each day adds by chance."""
    chance = int.from_bytes(sha256(f"{currency} {on}".encode()).digest()[:2], "big") / 65535 - 0.5
    wobble = 1 + Decimal(round(chance * 60)) / 10000
    if currency in FURTHER:
        return Decimal(FURTHER[currency]) * wobble
    month = (on.year - 2025) * 12 + on.month
    before, after = rate_at(currency, month - 1), rate_at(currency, month)
    return (before + (after - before) * on.day / 31) * wobble


def of_day(on: date, without: str = "") -> str:
    euro = in_pounds("EUR", on)
    worth = {"GBP": euro}
    for currency in (*CLOSING, *FURTHER):
        if currency not in ("EUR", without):
            worth[currency] = euro / in_pounds(currency, on)
    rows = "".join(
        f'<Cube currency="{currency}" rate="{rate:.5g}"/>' for currency, rate in sorted(worth.items())
    )
    return f'<Cube time="{on}">{rows}</Cube>\n'


def document(until: date, without: str = "") -> str:
    return HEAD + "".join(of_day(day, without) for day in working_days(until)) + TAIL


class Answers(BaseHTTPRequestHandler):
    """GET /rates.xml, and its failures."""

    def do_GET(self) -> None:
        asked = urlsplit(self.path)
        fails = parse_qs(asked.query).get("as", [""])[0]
        if asked.path != "/rates.xml" or fails == "status":
            self.send_error(503 if fails else 404)
            return
        if fails == "slow":
            time.sleep(SLOW)
        whole = document(date.today(), "KES" if fails == "without-KES" else "")
        text = {"text": "<p>Back soon", "empty": HEAD + TAIL}.get(fails, whole)
        if fails == "below-zero":
            text = HEAD + '<Cube time="2026-10-30"><Cube currency="GBP" rate="-0.9"/></Cube>' + TAIL
        content = text.encode()
        self.send_response(200)
        self.send_header("Content-Type", "text/xml")
        self.send_header("Content-Length", str(len(content)))
        self.end_headers()
        with suppress(BrokenPipeError, ConnectionResetError):  # who asked has waited long enough
            for at in range(0, len(content), 1 if fails == "drip" else len(content)):
                self.wfile.write(content[at:] if fails != "drip" else content[at : at + 1])
                time.sleep(0.2 if fails == "drip" else 0)

    def log_message(self, *_: object) -> None:
        """Nothing is told of each request."""


def server(port: int = 0) -> ThreadingHTTPServer:
    return ThreadingHTTPServer(("127.0.0.1", port), Answers)


if __name__ == "__main__":
    server(int(sys.argv[1])).serve_forever()
