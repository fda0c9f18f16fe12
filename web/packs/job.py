"""A pack made in the worker's process, so that no page waits for it; it tells how far it is and can be
stopped."""

from __future__ import annotations

from procrastinate import JobContext
from procrastinate.contrib.django import app

from core.writing import written_as
from web.shell.progress import AGAIN, JobRun, attempts_of, run_job

NOTHING = "nothing was kept"


def start(pack: int) -> None:
    make.defer(pack=pack)


@app.task(name="make a pack", retry=AGAIN, pass_context=True)
def make(context: JobContext, pack: int) -> None:
    run(pack, attempts_of(context))


def run(number: int, attempts: int = 0) -> None:
    from web.packs.models import Pack

    run_job(Pack.objects.select_related("by").get(pk=number), _make, NOTHING, attempts=attempts)


def _make(job: JobRun) -> None:
    from django.db import transaction

    from web.packs.making import make_pack
    from web.packs.models import PackFile
    from web.packs.statements import PackItem

    pack = job.row
    items = [PackItem(*row) for row in pack.items]
    with written_as(pack.by.writing if pack.by else ""):
        content, digest, contents = make_pack(
            pack.form,
            pack.name,
            items,
            (pack.fiscal_year, pack.period),
            pack.beside_year,
            pack.by,
            job.tell,
        )
    count = len(contents.figures)
    told = f"{count:,} statement{'s' if count != 1 else ''}"
    outcome = " ".join([f"{told}.", *contents.left_out[:5]]) if contents.left_out else told
    with transaction.atomic():
        PackFile.objects.create(pack=pack, content=content, digest=digest, version=contents.version)
        job.end(outcome=outcome, done=len(items))
