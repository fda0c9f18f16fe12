"""Reference rates: the simulated service, what is made of its days, and each way it fails, in words."""

from __future__ import annotations

import html
import json
import re
import threading
from datetime import date
from decimal import Decimal
from fractions import Fraction
from typing import Any
from unittest import TestCase
from unittest.mock import patch

from core.definitions.tables import Rate
from core.reference_rates import DayRates, rounded
from demo import rate_service
from tests.base import PineTest, bring, client_of, forget, person, tables, world
from tests.test_kept_periods import ELIMINATION, GBP, JOURNALS, LINES, ROWS
from web.definitions.snapshot import current
from web.group import rate_feed

ADDRESS = "/group/g/rates/feed/?year=2026&period=2"
HEAD = '<Envelope xmlns="urn:x"><Cube>'
TAIL = "</Cube></Envelope>"
DAYS = [
    DayRates(date(2026, 1, 15), {"GBP": Fraction(4, 5)}),
    DayRates(date(2026, 1, 30), {"GBP": Fraction(41, 50)}),
    DayRates(date(2026, 2, 27), {"GBP": Fraction(9, 10)}),
]


class Reading(TestCase):
    def test_what_is_no_list_of_rates_is_said(self) -> None:
        cases = [
            ("", "The answer is not XML."),
            ("<p>Back soon", "The answer is not XML."),
            ('<!DOCTYPE a [<!ENTITY b "c">]><a>&b;</a>', "The answer is not XML."),
            (HEAD + TAIL, "The answer holds no daily rates in the layout that is read."),
            (f'{HEAD}<Cube time="soon"/>{TAIL}', "The answer has a day that is none: soon."),
            (
                f'{HEAD}<Cube time="2026-10-30"><Cube currency="USD" rate="-1"/></Cube>{TAIL}',
                "The rate of USD on 2026-10-30 is none: -1.",
            ),
            (
                f'{HEAD}<Cube time="2026-10-30"><Cube currency="USD" rate="1/3"/></Cube>{TAIL}',
                "The rate of USD on 2026-10-30 is none: 1/3.",
            ),
            *(
                (
                    f'{HEAD}<Cube time="2026-10-30"><Cube currency="USD" rate="{odd}"/></Cube>{TAIL}',
                    f"The rate of USD on 2026-10-30 is none: {odd}.",
                )
                for odd in ("1e999", "1e-9", "NaN", "Infinity", "0.0", "٣", "1_0", "1" * 13)
            ),
        ]
        for content, says in cases:
            with self.subTest(content), self.assertRaisesMessage(rate_feed.FeedFailed, says):
                rate_feed.read_days(content.encode())

    def assertRaisesMessage(self, kind: type[Exception], says: str) -> Any:
        return self.assertRaisesRegex(kind, f"^{re.escape(says)}$")

    def test_rates_are_rounded_to_what_matters(self) -> None:
        cases = [
            (Fraction(8746, 10000), "0.874600"),
            (Fraction(1, 3), "0.333333"),
            (Fraction(2, 3), "0.666667"),
            (Fraction(1, 150), "0.00666667"),
            (Fraction(150), "150.000000"),
            (Fraction(1, 10**9), "1.000E-9"),
        ]
        for rate, wanted in cases:
            self.assertEqual(str(rounded(rate)), wanted)


class Taking(PineTest):
    def setUp(self) -> None:
        super().setUp()
        rows = [row for row in ROWS if not (isinstance(row, Rate) and row.kind != "historical")]
        content = {**world(), **tables(*rows), "journals": JOURNALS, "journal_lines": LINES}
        bring({**content, "eliminations": ELIMINATION})
        self.group = client_of(person("mirela"))

    def fetched(self, address: str = ADDRESS, **answers: Any) -> str:
        with patch("web.group.rates.daily_rates", **answers):
            reply = self.group.get(address)
        self.assertEqual(reply.status_code, 200)
        return html.unescape(reply.content.decode())

    def test_what_is_missing_is_proposed_with_its_ground_and_taken(self) -> None:
        page = self.fetched(return_value=DAYS)
        cells = [
            [re.sub(r"<[^>]+>", "", cell).strip() for cell in re.findall(r"<td[^>]*>(.*?)</td>", row, re.S)]
            for row in re.findall(r"<tr tabindex.*?</tr>", page, re.S)
        ]
        self.assertEqual(
            cells,
            [
                ["EUR to GBP, closing", "2026-01-31", "0.820000", "of 2026-01-30", "—"],
                ["EUR to GBP, closing", "2026-02-28", "0.900000", "of 2026-02-27", "—"],
                ["EUR to GBP, average", "2026-02-28", "0.900000", "mean of 1 day", "—"],
            ],
        )
        records = re.findall(r'name="records" value="(.*?)">', page, re.S)[0]
        self.assertEqual(len(json.loads(records)), 4)
        reply = self.group.post("/table/rates/bring/", {"records": records, "take": "1"})
        self.assertEqual(reply.status_code, 200)
        forget()
        stands = current().state.require(Rate, "EUR", GBP, "closing", date(2026, 1, 31))
        self.assertEqual(stands.rate, Decimal("0.82"))
        self.assertIn("No rate is missing.", self.fetched(return_value=DAYS))
        self.assertIn(">0.9<", self.fetched(f"{ADDRESS}&of=period", return_value=DAYS[2:]))

    def test_what_cannot_be_worked_out_is_said(self) -> None:
        cases = [
            (DAYS[:2], "No rates are published for M2."),
            (
                [*DAYS[:2], DayRates(date(2026, 2, 3), {})],
                "M2 is not over: the newest rates are of 2026-02-03.",
            ),
            (
                [DayRates(date(2026, 2, 27), {"USD": Fraction(1)})],
                "EUR or GBP is not among the rates published for M2.",
            ),
        ]
        for days, says in cases:
            self.assertIn(says, self.fetched(return_value=days))

    def test_the_service_and_its_failures(self) -> None:
        served = rate_service.server()
        threading.Thread(target=served.serve_forever, daemon=True).start()
        self.addCleanup(served.shutdown)
        whole = f"http://127.0.0.1:{served.server_address[1]}/rates.xml"
        cases = [
            (whole, "Reference rates"),
            (f"{whole}?as=status", "The service of reference rates answered with status 503."),
            (f"{whole}?as=text", "The answer is not XML."),
            (f"{whole}?as=empty", "The answer holds no daily rates in the layout that is read."),
            (f"{whole}?as=below-zero", "The rate of GBP on 2026-10-30 is none: -0.9."),
            (f"{whole}?as=drip", "The service of reference rates does not answer within 1 seconds."),
            (f"{whole}?as=slow", "The service of reference rates does not answer within 1 seconds."),
            ("http://127.0.0.1:1/", "The service of reference rates does not answer within 1 seconds."),
            ("file:///etc/passwd", "file:///etc/passwd is no address of a service."),
            ("", "No service of reference rates is named: give its address in PINE_RATE_FEED."),
        ]
        for address, says in cases:
            with (
                self.subTest(address),
                self.settings(RATE_FEED=address),
                patch("web.group.rate_feed.TIMEOUT", 1),
            ):
                self.assertIn(says, html.unescape(self.group.get(ADDRESS).content.decode()))
