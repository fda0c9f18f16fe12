"""What only a group's figures tell: each sentence whole, with its way out."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from typing import Any
from unittest import TestCase

from core.definitions.state import State
from core.definitions.tables import Acquisition, Calendar, Group, GroupMember, Period, Rate
from core.group_figures.figure_checks import calendars_apart, faults_by_company, figure_checks
from core.tests.group_cases import (
    company,
    consolidation,
    definitions,
    group_row,
    lines,
    period,
    rates,
)

JAN, FEB = date(2025, 1, 31), date(2025, 2, 28)
BOOKED = {
    "h": lines("2025/1: 1010 900, 3010 -900\n2025/2: 1310 (s) 300, 1010 -300"),
    "s": lines("2025/0: 1010 500, 3010 -500\n2025/1: 1010 20, 4010 -20\n2025/2: 1010 10, 4010 -10"),
}
CLOSING = {date(2024, 12, 31): "0.9", JAN: "0.9", FEB: "0.92"}
AVERAGE = {JAN: "0.9", FEB: "0.91"}
HELD = [GroupMember("g", "s", "company", "full", Decimal(60))]
PADDED = Decimal("0.000000000001")
GROUP = "groups, g, column group, value 'g':"
BOUGHT = Acquisition("g", "s", date(2025, 1, 1), "h", Decimal(60), "300", "1310", "1410")


def state(*more: Any, through: str = "") -> State:
    return State.of(
        [
            *definitions(),
            period(2025, 1, 1),
            period(2025, 2, 2),
            company("h"),
            company("s", "USD"),
            group_row("g", rates_through=through),
            GroupMember("g", "h"),
            *more,
        ]
    )


def usd(closing: dict[date, str], average: dict[date, str]) -> list[Rate]:
    historical = rates("USD", "historical", {date(2024, 12, 31): "0.9"})
    return [*rates("USD", "closing", closing), *rates("USD", "average", average), *historical]


class FigureChecks(TestCase):
    def told(self, *more: Any, through: str = "") -> list[str]:
        return [
            str(fault) for fault in figure_checks(consolidation(state(*more, through=through), "g", BOOKED))
        ]

    def test_sentences(self) -> None:
        ways = f"{GROUP} The closing rate of USD to EUR on 2025-02-28 is"
        for name, rows, through, expected in [
            ("all there", [*usd(CLOSING, AVERAGE), *HELD, BOUGHT], "", []),
            (
                "each missing rate once, those after a missing one too",
                [*usd({date(2024, 12, 31): "0.9", JAN: "0.9"}, {}), *HELD],
                "",
                [
                    (
                        f"{GROUP} s waits for the average rate of USD to EUR between"
                        " 2025-01-01 and 2025-01-31. Key the rate on storey 6, Rates."
                    ),
                    (
                        f"{GROUP} s waits for the average rate of USD to EUR between"
                        " 2025-02-01 and 2025-02-28. Key the rate on storey 6, Rates."
                    ),
                    (
                        f"{GROUP} s waits for the closing rate of USD to EUR between"
                        " 2025-02-01 and 2025-02-28. Key the rate on storey 6, Rates."
                    ),
                ],
            ),
            (
                "a rate that only an acquisition needs",
                [*usd({JAN: "0.9", FEB: "0.92"}, AVERAGE), *HELD, BOUGHT],
                "",
                [
                    (
                        f"{GROUP} s waits for the closing rate of USD to EUR between"
                        " 2024-01-02 and 2024-12-31. Key the rate on storey 6, Rates."
                    )
                ],
            ),
            (
                "two ways that agree to their digits",
                [
                    *usd(CLOSING, AVERAGE),
                    *HELD,
                    Rate("EUR", "USD", "closing", FEB, Decimal("1.08696")),
                    Rate("USD", "GBP", "closing", FEB, Decimal("0.8")),
                    Rate("GBP", "EUR", "closing", FEB, Decimal("1.15")),
                ],
                "GBP",
                [],
            ),
            (
                "digits are those that were given, not those that a database pads",
                [
                    *usd(CLOSING, AVERAGE)[3:],
                    *(row._replace(rate=row.rate.quantize(PADDED)) for row in usd(CLOSING, AVERAGE)[:3]),
                    *HELD,
                    Rate("EUR", "USD", "closing", FEB, Decimal("1.08696").quantize(PADDED)),
                    BOUGHT._replace(percent=Decimal(60).quantize(PADDED)),
                ],
                "",
                [],
            ),
            (
                "two ways that don't",
                [
                    *usd(CLOSING, AVERAGE),
                    *HELD,
                    Rate("EUR", "USD", "closing", FEB, Decimal("1.2")),
                    Rate("USD", "GBP", "closing", FEB, Decimal("0.8000")),
                    Rate("GBP", "EUR", "closing", FEB, Decimal("1.2500")),
                ],
                "GBP",
                [
                    f"{ways} 0.920000 directly and 0.833333 turned round. Correct one of them.",
                    f"{ways} 0.920000 directly and 1.000000 through GBP. Correct one of them.",
                ],
            ),
            (
                "a bargain",
                [*usd(CLOSING, AVERAGE), *HELD, BOUGHT._replace(percent=Decimal(80).quantize(PADDED))],
                "",
                [
                    (
                        "acquisitions, g s 2025-01-01, column cost, value '300': s cost 60.00"
                        " EUR less than the equity acquired. A bargain: take it to income by an"
                        " adjusting journal."
                    ),
                ],
            ),
        ]:
            with self.subTest(name):
                self.assertEqual(self.told(*rows, through=through), expected)
                by_company = faults_by_company(consolidation(state(*rows, through=through), "g", BOOKED), 2)
                told = [str(fault) for fault in by_company.pop("s", []) if fault.code != "percent-held"]
                self.assertEqual(told, [text for text in expected if " waits for " not in text])
                self.assertEqual(by_company, {}, "nothing is wrong with the others")

    def test_without_the_rate_it_waits_and_its_acquisition_does_not_stand(self) -> None:
        rows = [*usd({JAN: "0.9", FEB: "0.92"}, AVERAGE), *HELD, BOUGHT]
        position = consolidation(state(*rows), "g", BOOKED).position(2)
        self.assertEqual((sorted(position.columns), position.purchases), (["h"], ()))
        self.assertEqual(list(position.waiting), ["s"])

    def test_calendars_far_apart(self) -> None:
        for ends, expected in [
            (date(2025, 8, 31), True),
            (date(2025, 9, 30), False),
            (date(2025, 12, 31), False),
        ]:
            year = Period("year", 2025, 1, "2025", date(2025, 1, 1), date(2025, 12, 31), "regular")
            own = Period("own", 2025, 1, "2025", date(2024, 12, 1), ends, "regular")
            rows = [Calendar("year", "Years"), Calendar("own", "Own"), year, own]
            member = company("s")._replace(calendar="own")
            found = State.of(
                [*definitions(), *rows, company("h"), member, *HELD, group_row("g", calendar="year")]
            )
            told = [str(fault) for fault in calendars_apart(found, found.require(Group, "g"))]
            with self.subTest(ends=ends):
                self.assertEqual(
                    told,
                    [
                        "groups, g, column calendar, value 'year': The last period of s in 2025"
                        " ends on 2025-08-31, more than three months before it. Bring the calendars"
                        " closer, or adjust for what happened in between."
                    ]
                    if expected
                    else [],
                )
