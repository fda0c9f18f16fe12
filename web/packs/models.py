from django.conf import settings
from django.db import models

from web.definitions.models import never_altered
from web.shell.worker_jobs import WorkerJob


class Pack(WorkerJob):
    """Statements of companies and groups at the end of a period, made in one act. `items` are rows of
    statement, company, group, and of a matrix its address; `version` is that of the definitions it was made
    from."""

    TASK = ("make a pack", "pack")
    FORMS = (("pdf", "one PDF with contents"), ("xlsx", "one workbook"), ("zip", "a folder, zipped"))
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    name = models.TextField()
    form = models.CharField(max_length=4, choices=FORMS)
    fiscal_year = models.IntegerField()
    period = models.IntegerField()
    beside_year = models.BooleanField(default=False)
    items = models.JSONField()


class PackFile(models.Model):
    """What came of a pack: never altered."""

    pack = models.OneToOneField(Pack, on_delete=models.PROTECT, related_name="made")
    content = models.BinaryField()
    digest = models.CharField(max_length=64)
    """SHA-256 of the content"""
    version = models.BigIntegerField()
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        triggers = never_altered()
