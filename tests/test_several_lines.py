"""Several lines of a statement in one act: below a heading, or deleted after what goes was told."""

from __future__ import annotations

import html

from core.definitions.tables import StatementLine
from tests.base import InWorld
from web.definitions.snapshot import current


class SeveralLines(InWorld):
    def post(self, act: str, status: int = 200, **values: str) -> str:
        reply = self.group.post(f"/statements/st/several/{act}/", {"seen": str(current().version), **values})
        self.assertEqual(reply.status_code, status, reply.content[:300])
        return html.unescape(reply.content.decode())

    def lines(self) -> dict[str, str]:
        return {key[1]: row.parent for key, row in current().state.part(StatementLine, "st").items()}

    def test_they_move_in_one_version(self) -> None:
        version = current().version
        self.post("move", what="capital,creditors", onto="")
        self.assertEqual((self.lines()["capital"], self.lines()["creditors"]), ("", ""))
        self.assertEqual(current().version, version + 1)

    def test_they_are_deleted_after_what_goes_was_told(self) -> None:
        asked = self.post("delete", what="assets,cash")
        self.assertIn("3 lines go, those below them too; 4 accounts stand on no line then.", asked)
        self.assertEqual(len(self.lines()), 7)
        self.post("delete", what="assets,cash", decided="delete")
        self.assertEqual(set(self.lines()), {"owing", "creditors", "capital", "result"})

    def test_what_is_refused(self) -> None:
        for act, values, what in (
            ("move", {"what": ""}, "Those lines aren't all here."),
            ("delete", {"what": "assets,none"}, "Those lines aren't all here."),
            ("move", {"what": "cash", "onto": "none"}, "There is no line none."),
            ("move", {"what": "owing,cash", "onto": "creditors"}, "only a heading has lines below it"),
            ("move", {"what": "assets", "onto": "assets"}, "stands under itself"),
        ):
            with self.subTest(act=act, values=values):
                self.assertIn(what, self.post(act, 422, **values))
