"""How tests act on a table edited in place, as its page does."""

from __future__ import annotations

import html
import json
import re
from typing import Any
from urllib.parse import urlencode

from tests.base import InWorld

STRUCTURE = {"structure": "s", "chart": "c"}
CALENDAR = {"calendar": "m", "company": "alpha"}
GROUP = {"group": "g"}
RULE = {
    "position": "10",
    "rule": "north",
    "when": "account: 4010",
    "field": "site",
    "outcome": "only",
    "codes": "001",
}


class SheetTest(InWorld):
    def address(self, sheet: str, act: str, given: dict[str, str], **more: str) -> str:
        return f"/table/{sheet}/{act}?{urlencode({**given, **more})}"

    def post(self, sheet: str, act: str, given: dict[str, str], values: dict[str, str], **more: str) -> Any:
        headers = {"HX-Request": "true", "HX-Current-URL": "http://testserver/structures/c/?row=old"}
        return self.group.post(self.address(sheet, act, given, **more), values, headers=headers)

    def keep(self, sheet: str, given: dict[str, str], key: str = "", **cells: str) -> str:
        """Where the page goes after a row was kept, or the faults as text, each with the column whose cell it
        stands on."""
        reply = self.post(sheet, "row/", given, cells, key=key)
        if reply.status_code == 200:
            return str(json.loads(reply["HX-Location"])["path"])
        told = re.findall(r'<p(?: data-column="(\w+)")?>(.*?)</p>', reply.content.decode(), re.S)
        return " | ".join(
            f"{column}: {html.unescape(re.sub(r'<[^>]+>', '', ' '.join(text.split())))}".strip(": ")
            for column, text in told
        )
