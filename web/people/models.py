"""Who signs in, in one of two roles."""

from django.contrib.auth.models import AbstractUser
from django.db import models


class Person(AbstractUser):
    """A group accountant may do everything; a company accountant what belongs to their companies, and sees no others."""

    class Role(models.TextChoices):
        GROUP = "group", "Group accountant"
        COMPANY = "company", "Company accountant"

    role = models.CharField(max_length=10, choices=Role, default=Role.COMPANY)
    companies = models.ManyToManyField("companies.Company", blank=True, related_name="people")
    columns = models.JSONField(default=dict)
    """by code list, the columns this person has chosen for its table"""

    @property
    def is_group_accountant(self) -> bool:
        return self.role == self.Role.GROUP

    def shown_name(self) -> str:
        return self.get_full_name() or self.username
