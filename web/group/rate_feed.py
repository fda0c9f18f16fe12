"""The adapter to a service of reference rates: fetches and reads its XML, and says in words why it can't."""

from __future__ import annotations

import re
import time
import urllib.error
import urllib.request
from concurrent.futures import Future
from datetime import date
from fractions import Fraction
from threading import Thread
from typing import Any
from xml.etree.ElementTree import ParseError

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring
from django.conf import settings

from core.reference_rates import DayRates

BASE = "EUR"
"""The layout gives units of each currency for one euro."""
TIMEOUT = 6
"""Seconds for the whole answer."""
PLAIN_RATE = re.compile(r"[0-9]{1,12}(\.[0-9]{1,15})?", re.ASCII)
"""Digits, as the layout gives them: a power of ten or a fraction is no rate of a service."""
MOST_BYTES = 16 * 1024 * 1024


class FeedFailed(Exception):
    """Why there are no rates, as a sentence."""


def daily_rates() -> list[DayRates]:
    """What the service publishes, oldest first. Raises FeedFailed."""
    address = settings.RATE_FEED
    if not address:
        raise FeedFailed("No service of reference rates is named: give its address in PINE_RATE_FEED.")
    return read_days(_fetched(address))


def _fetched(address: str) -> bytes:
    """The whole answer, within TIMEOUT. It is read in a thread that may be left behind, so a service that
    drips a byte at a time holds nobody. Raises FeedFailed."""
    if not address.startswith(("http://", "https://")):
        raise FeedFailed(f"{address} is no address of a service.")
    answer: Future[bytes] = Future()

    def read() -> None:
        try:
            answer.set_result(_read(address))
        except FeedFailed as error:
            answer.set_exception(error)

    Thread(target=read, daemon=True).start()
    try:
        return answer.result(TIMEOUT)
    except TimeoutError:
        raise FeedFailed(_no_answer()) from None


def _no_answer() -> str:
    return f"The service of reference rates does not answer within {TIMEOUT} seconds."


def _read(address: str) -> bytes:
    until = time.monotonic() + TIMEOUT
    content = bytearray()
    try:
        # S310: it is http or https
        with urllib.request.urlopen(address, timeout=TIMEOUT) as reply:  # noqa: S310
            while len(content) <= MOST_BYTES and (part := reply.read1(1 << 16)):
                content += part
                if time.monotonic() > until:
                    raise TimeoutError
    except urllib.error.HTTPError as refused:
        raise FeedFailed(f"The service of reference rates answered with status {refused.code}.") from None
    except (OSError, ValueError):
        raise FeedFailed(_no_answer()) from None
    if len(content) > MOST_BYTES:
        raise FeedFailed("The answer is longer than a list of rates could be.")
    return bytes(content)


def read_days(content: bytes) -> list[DayRates]:
    """The layout: below an envelope, a Cube with a time for each day, in it a Cube with currency and rate for
    each currency. Raises FeedFailed."""
    try:
        root = fromstring(content, forbid_dtd=True)
    except (ParseError, DefusedXmlException, ValueError):
        raise FeedFailed("The answer is not XML.") from None
    by_day: dict[date, dict[str, Fraction]] = {}
    for element in root.iter():
        if _name(element) == "Cube" and "time" in element.attrib:
            by_day.setdefault(_day(element.attrib["time"]), {}).update(_rates(element))
    if not any(by_day.values()):
        raise FeedFailed("The answer holds no daily rates in the layout that is read.")
    return [DayRates(on, by_day[on]) for on in sorted(by_day)]


def _name(element: Any) -> str:
    return str(element.tag).rpartition("}")[2]


def _day(text: str) -> date:
    try:
        return date.fromisoformat(text)
    except ValueError:
        raise FeedFailed(f"The answer has a day that is none: {text[:40]}.") from None


def _rates(day: Any) -> dict[str, Fraction]:
    rates = {}
    for element in day:
        currency, text = element.attrib.get("currency", ""), element.attrib.get("rate", "")
        if _name(element) != "Cube" or not currency:
            continue
        rate = Fraction(text) if PLAIN_RATE.fullmatch(text) else Fraction(0)
        if rate <= 0:
            raise FeedFailed(f"The rate of {currency[:10]} on {day.attrib['time']} is none: {text[:40]}.")
        rates[currency] = rate
    return rates
