"""Who signs in, in one of two roles; links by which somebody sets their password once; what was done to
people."""

import json
from collections.abc import Sequence
from typing import Any, NamedTuple

from django.conf import settings
from django.contrib.auth.models import AbstractUser
from django.db import connection, models

from core.access.owners import not_allowed, not_to_approve
from core.access.rights import FULL, Access, Grant, Right, kept_access
from core.definitions.state import Edit, State
from core.definitions.tables import Company
from core.faults import Fault
from core.structures.overlays import SeenAs
from web.definitions.models import never_altered
from web.definitions.store import database_table

OF_A_COMPANY = frozenset({Right.SEE, Right.ENTER, Right.POST})
"""What a company accountant may in their companies."""


class HeldRights(NamedTuple):
    """What somebody was given: companies of their own, and roles with what they grant."""

    companies: tuple[str, ...]
    roles: tuple[str, ...]
    grants: tuple[Grant, ...]


HELD = """
    SELECT c.company, '', '[]'::jsonb, '', '', '', 0 FROM people_person_companies o
    JOIN {companies} c ON c.id = o.company_id WHERE o.person_id = %(person)s
    UNION ALL
    SELECT '', r.name, r.rights, g.companies, g.charts, g.groups, g.id FROM people_rightsgrant g
    JOIN people_grantedrole r ON r.id = g.role_id
    WHERE g.person_id = %(person)s
       OR g.team_id IN (SELECT t.team_id FROM people_person_teams t WHERE t.person_id = %(person)s)
    ORDER BY 7, 1
"""


def held_rights(rows: Sequence[tuple[Any, ...]]) -> HeldRights:
    """From the rows of HELD: a company, or a role with what it is granted over."""
    granted = [row for row in rows if not row[0]]
    return HeldRights(
        tuple(row[0] for row in rows if row[0]),
        tuple(row[1] for row in granted),
        tuple(Grant(_rights(row[2]), *row[3:6]) for row in granted),
    )


def _rights(names: str | list[str]) -> frozenset[Right]:
    """JSON comes as its text where Django didn't ask for it."""
    return frozenset(map(Right, json.loads(names) if isinstance(names, str) else names))


class Team(models.Model):
    """People who are granted something together."""

    name = models.CharField(max_length=100, unique=True)


class GrantedRole(models.Model):
    """Rights under a name, as they are granted."""

    name = models.CharField(max_length=100, unique=True)
    rights = models.JSONField(default=list)

    def rights_held(self) -> frozenset[Right]:
        return frozenset(Right(right) for right in self.rights)


class Person(AbstractUser):
    """A group accountant may do everything; a company accountant what belongs to their companies, and sees no
    others; either may be granted more, alone or in a team."""

    class Role(models.TextChoices):
        GROUP = "group", "Group accountant"
        COMPANY = "company", "Company accountant"

    role = models.CharField(max_length=10, choices=Role, default=Role.COMPANY)
    companies = models.ManyToManyField("companies.Company", blank=True, related_name="people")
    teams = models.ManyToManyField(Team, blank=True, related_name="people")
    posts_restricted = models.BooleanField(default=False)
    """whether a company accountant may post into restricted periods; a group accountant always may"""
    columns = models.JSONField(default=dict)
    """the columns this person chose last: by code list of its table, by @chart what stands across figures"""
    factor = models.TextField(blank=True, default="")
    """the secret of a second factor as web/people/second_factor.py keeps it; empty: none"""
    factor_step = models.BigIntegerField(default=0)
    """the time step of the last code that was taken"""
    factor_recovery = models.JSONField(blank=True, default=list)
    """digests of the recovery codes that are left"""
    writing = models.CharField(max_length=5, blank=True, default="")
    """how this person writes numbers, as core/writing.py knows it; empty: they didn't say"""
    letters = models.CharField(max_length=5, blank=True, default="")
    """single letters as keys: at once (empty), with `alt`, or `off`"""
    hides_closed = models.BooleanField(default=False)
    """whether codes out of use are left out of lists until this person asks for them"""
    overlay = models.CharField(max_length=40, blank=True, default="")
    language = models.CharField(max_length=40, blank=True, default="")
    """what this person sees codes as: an overlay's numbers and names, names in a language"""

    @property
    def is_group_accountant(self) -> bool:
        return self.role == self.Role.GROUP

    def role_shown(self) -> str:
        """What a person is, in a word or two: somebody without companies of their own by what was granted."""
        if self.is_group_accountant or (rights := self._held_rights()).companies:
            return self.get_role_display()
        return ", ".join(sorted(set(rights.roles))) or "No rights yet"

    def access(self, state: State) -> Access:
        """What this person may do, worked out once for a state."""
        if self.is_group_accountant:
            return FULL
        if getattr(self, "_access", (None,))[0] is not state:
            self._access = (state, kept_access(state, self._grants(state)))
        return self._access[1]

    def _grants(self, state: State) -> tuple[Grant, ...]:
        rights = self._held_rights()
        own = [name for name in rights.companies if state.get(Company, name) is not None]
        grants = (Grant(OF_A_COMPANY, ", ".join(own)), *rights.grants)
        if not self.posts_restricted:
            return grants
        too = frozenset({Right.POST_RESTRICTED})
        return tuple(
            grant._replace(rights=grant.rights | too) if Right.POST in grant.rights else grant
            for grant in grants
        )

    def _held_rights(self) -> HeldRights:
        """Asked once for the length of a request, in one question."""
        if not hasattr(self, "_held"):
            with connection.cursor() as cursor:
                cursor.execute(HELD.format(companies=database_table("companies")), {"person": self.pk})
                self._held = held_rights(cursor.fetchall())
        return self._held

    def know_grants(self) -> None:
        """Takes companies, grants and teams as they were fetched with the person, instead of asking for
        each."""
        of_teams = (row for team in self.teams.all() for row in team.granted.all())
        rows = [*self.granted.all(), *of_teams]
        self._held = HeldRights(
            tuple(sorted(row.company for row in self.companies.all())),
            tuple(row.role.name for row in rows),
            tuple(row.as_grant() for row in rows),
        )

    def not_allowed(
        self, before: State, after: State, edits: list[Edit], *, approves: bool = False
    ) -> list[Fault]:
        """Faults of edits that this person has no right to make."""
        return not_allowed(self.access(before), before, after, edits, approves=approves)

    def not_to_approve(self, before: State, after: State, edits: list[Edit]) -> list[Fault]:
        return not_to_approve(self.access(before), before, after, edits)

    @property
    def may_post_restricted(self) -> bool:
        return self.is_group_accountant or self.posts_restricted

    def sees_as(self) -> SeenAs:
        return SeenAs(self.overlay, self.language)

    def shown_name(self) -> str:
        return self.get_full_name() or self.username


class RightsGrant(models.Model):
    """A role given to a person or a team, over companies, charts and groups."""

    person = models.ForeignKey(Person, null=True, on_delete=models.CASCADE, related_name="granted")
    team = models.ForeignKey(Team, null=True, on_delete=models.CASCADE, related_name="granted")
    role = models.ForeignKey(GrantedRole, on_delete=models.PROTECT, related_name="granted")
    companies = models.TextField(blank=True, default="")
    charts = models.TextField(blank=True, default="")
    groups = models.TextField(blank=True, default="")

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=models.Q(person__isnull=True) ^ models.Q(team__isnull=True),
                name="people_grant_to_one",
            )
        ]

    def as_grant(self) -> Grant:
        return Grant(self.role.rights_held(), self.companies, self.charts, self.groups)


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
