from django.conf import settings
from django.db import models

from web.definitions.base import named


class AccountRequest(models.Model):
    """An account that somebody asks for in a company. `beside` is the account most like it, `code` what was
    made."""

    OPEN, MADE, DECLINED, WITHDRAWN = "open", "made", "declined", "withdrawn"
    STATES = ((OPEN, "waits"), (MADE, "made"), (DECLINED, "declined"), (WITHDRAWN, "taken back"))

    company = named("companies.Company", "company")
    name = models.TextField()
    account_class = models.CharField(max_length=10, blank=True, default="")
    beside = models.CharField(max_length=40)
    reason = models.TextField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    state = models.CharField(max_length=10, choices=STATES, default=OPEN)
    code = models.CharField(max_length=40, blank=True, default="")
    answer = models.TextField(blank=True, default="")
    answered_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+"
    )
    answered_at = models.DateTimeField(null=True)
    version = models.ForeignKey("definitions.Version", null=True, on_delete=models.PROTECT, related_name="+")

    class Meta:
        indexes = [models.Index(fields=["state", "company"])]
