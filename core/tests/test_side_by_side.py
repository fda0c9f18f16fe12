"""A statement beside another tree: shares add up, and alike is alike both ways."""

from __future__ import annotations

from unittest import TestCase

from hypothesis import given, strategies as st

from core.definitions.tables import Statement, StatementLine
from core.statements.side_by_side import NOWHERE, beside_other, only_in
from core.tests.builders import ACCOUNTS, state
from core.tests.test_figures import planned

LINES = ("a", "b", "c", "")
trees = st.lists(st.sampled_from(LINES), min_size=len(ACCOUNTS), max_size=len(ACCOUNTS))
amounts = st.lists(st.sampled_from((0, 0, 5, -7, 100)), min_size=len(ACCOUNTS), max_size=len(ACCOUNTS))


def world(*shapes: list[str]) -> object:
    """Statements s0, s1 … whose lines hold the accounts as the shapes say."""
    rows: list[object] = []
    for number, shape in enumerate(shapes):
        rows.append(Statement(f"s{number}", f"S{number}", "c"))
        for place, line in enumerate(LINES[:-1]):
            codes = [code for (code, _, _), on in zip(ACCOUNTS, shape, strict=True) if on == line]
            if codes:
                rows.append(
                    StatementLine(
                        f"s{number}",
                        line,
                        "",
                        place,
                        line.upper(),
                        "accounts",
                        ", ".join(codes),
                        sign="debit",
                    )
                )
    return state(*rows)


class SideBySide(TestCase):
    @given(trees, trees, amounts)
    def test_shares_are_the_line_and_alike_goes_both_ways(
        self, one: list[str], other: list[str], some: list[int]
    ) -> None:
        made = world(one, other)
        first, second = (planned(made, name) for name in ("s0", "s1"))  # type: ignore[arg-type]
        codes = first.accounts.posting
        by_code = dict(zip((code for code, _, _ in ACCOUNTS), some, strict=True))
        values = [by_code.get(code, 0) for code in codes]
        there, back = beside_other(first, second, values), beside_other(second, first, values)
        for line, found in there.items():
            own = [code for (code, _, _), on in zip(ACCOUNTS, one, strict=True) if on == line]
            self.assertEqual(sum(share.amount for share in found.shares), sum(by_code[code] for code in own))
            for share in found.shares:
                wanted = {other[[c for c, _, _ in ACCOUNTS].index(code)] for code in share.accounts}
                self.assertEqual(wanted, {share.line})
            if found.alike and any(by_code[code] for code in own):
                (share,) = found.shares
                self.assertNotEqual(share.line, NOWHERE)
                self.assertTrue(back[share.line].alike)
                self.assertEqual(back[share.line].shares[0].line, line)
        lost = {code for code, amount in only_in(first, second, values)}
        self.assertEqual(
            lost,
            {
                code
                for (code, _, _), here, elsewhere in zip(ACCOUNTS, one, other, strict=True)
                if here and not elsewhere and by_code[code]
            },
        )
