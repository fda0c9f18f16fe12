"""Packs against the hashes that they were kept with."""

from __future__ import annotations

import hashlib

from core.faults import Fault
from web.packs.models import PackFile


def altered_packs() -> list[Fault]:
    """A fault for each pack whose file is not the one that was made."""
    kept = PackFile.objects.order_by("pk").values_list("pack__name", "digest", "content")
    return [
        Fault(
            "pack-altered",
            f"The pack {name} is not the one that was made: its hash is another.",
            way_out="Compare with a backup from before.",
        )
        for name, digest, content in kept.iterator(chunk_size=1)
        if hashlib.sha256(content).hexdigest() != digest
    ]
