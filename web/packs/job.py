"""A pack made in the worker's process, so that no page waits for it; it tells how far it is and can be
stopped."""

from __future__ import annotations

from typing import Any

from procrastinate.contrib.django import app

from core.writing import written_as
from web.shell.progress import Stopped, Teller, own_connection

TELL = "UPDATE packs_pack SET what = %s, done = %s, seen_at = now() WHERE id = %s RETURNING stop"


def start(pack: int) -> None:
    make.defer(pack=pack)


@app.task(name="make a pack")
def make(pack: int) -> None:
    run(pack)


def run(number: int) -> None:
    from django.db import transaction
    from django.utils import timezone

    from core.faults import Refused
    from web.packs.making import make_pack
    from web.packs.models import Pack, PackFile
    from web.packs.statements import PackItem

    pack = Pack.objects.select_related("by").get(pk=number)
    items = [PackItem(*row) for row in pack.items]
    ended: dict[str, Any] = {"outcome": "It broke off; nothing was kept."}
    try:
        with own_connection() as own, written_as(pack.by.writing if pack.by else ""):
            content, digest, contents = make_pack(
                pack.form,
                pack.name,
                items,
                (pack.fiscal_year, pack.period),
                pack.beside_year,
                pack.by,
                Teller(TELL, number, own),
            )
        count = len(contents.figures)
        told = f"{count:,} statement{'s' if count != 1 else ''}"
        ended["outcome"] = " ".join([f"{told}.", *contents.left_out[:5]]) if contents.left_out else told
        with transaction.atomic():
            PackFile.objects.create(pack=pack, content=content, digest=digest, version=contents.version)
            Pack.objects.filter(pk=number).update(ended_at=timezone.now(), done=len(items), **ended)
    except Stopped:
        ended["outcome"] = "Stopped; nothing was kept."
    except Refused as refused:
        ended["outcome"] = " ".join(fault.what for fault in refused.faults[:5])
    finally:
        Pack.objects.filter(pk=number, ended_at=None).update(ended_at=timezone.now(), **ended)
