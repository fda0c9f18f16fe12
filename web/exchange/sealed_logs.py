"""All that is sealed beside the books."""

from __future__ import annotations

from web.definitions.sealed_versions import VERSIONS, versions_told
from web.definitions.sealing import SealedLog
from web.group.kept import KEPT, RELEASED, kept_told, released_told
from web.journals.budgets import BUDGETS, budgets_told
from web.people.standing import RIGHTS, rights_told

SEALED_LOGS = (
    SealedLog(VERSIONS, "versions", "version", versions_told),
    SealedLog(KEPT, "kept periods", "kept period", kept_told),
    SealedLog(RELEASED, "releases", "release", released_told),
    SealedLog(RIGHTS, "rights", "rights of", rights_told, stands=True),
    SealedLog(BUDGETS, "budgets", "budget", budgets_told, stands=True),
)
