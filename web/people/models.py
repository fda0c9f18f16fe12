"""Who signs in, in one of two roles; links by which somebody sets their password once; what was done to
people."""

from django.conf import settings
from django.contrib.auth.models import AbstractUser
from django.db import models

from core.structures.overlays import SeenAs
from web.definitions.models import never_altered


class Person(AbstractUser):
    """A group accountant may do everything; a company accountant what belongs to their companies, and sees no
    others."""

    class Role(models.TextChoices):
        GROUP = "group", "Group accountant"
        COMPANY = "company", "Company accountant"

    role = models.CharField(max_length=10, choices=Role, default=Role.COMPANY)
    companies = models.ManyToManyField("companies.Company", blank=True, related_name="people")
    posts_restricted = models.BooleanField(default=False)
    """whether a company accountant may post into restricted periods; a group accountant always may"""
    columns = models.JSONField(default=dict)
    """the columns this person chose last: by code list of its table, by @chart what stands across figures"""
    overlay = models.CharField(max_length=40, blank=True, default="")
    language = models.CharField(max_length=40, blank=True, default="")
    """what this person sees codes as: an overlay's numbers and names, names in a language"""

    @property
    def is_group_accountant(self) -> bool:
        return self.role == self.Role.GROUP

    @property
    def may_post_restricted(self) -> bool:
        return self.is_group_accountant or self.posts_restricted

    def sees_as(self) -> SeenAs:
        return SeenAs(self.overlay, self.language)

    def shown_name(self) -> str:
        return self.get_full_name() or self.username


class OneTimeLink(models.Model):
    """A link by which a person sets a password, once; without a person, the first one is made by it. The
    digest of its
    token is kept, never the token."""

    digest = models.CharField(max_length=64, unique=True)
    person = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.CASCADE, related_name="+"
    )
    made_at = models.DateTimeField(auto_now_add=True)
    until = models.DateTimeField()
    used_at = models.DateTimeField(null=True)


class PersonEvent(models.Model):
    """What somebody did to a person's sign-in, in a sentence; never altered."""

    at = models.DateTimeField(auto_now_add=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="events")
    sentence = models.TextField()

    class Meta:
        triggers = never_altered()
