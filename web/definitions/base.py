"""What the tables of definitions have in common: columns named as in the exchange package, keys as text."""

from __future__ import annotations

from typing import Any, ClassVar

from django.conf import settings
from django.db import models

from core.definitions.tables import TABLES, Column


class Definition(models.Model):
    """`exchange` names the table of the package that this model keeps."""

    exchange: ClassVar[str] = ""

    class Meta:
        abstract = True


class Remark(models.Model):
    """What someone said of a figure. One that was taken away is kept with who took it away."""

    text = models.TextField()
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    ended_at = models.DateTimeField(null=True)
    ended_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+"
    )

    class Meta:
        abstract = True


def ident(**options: Any) -> models.CharField[str, str]:
    return models.CharField(max_length=40, **options)


def text(**options: Any) -> models.TextField[str, str]:
    return models.TextField(blank=True, default="", **options)


def to(model: str, field: str) -> models.ForeignKey[Any, Any]:
    """A reference by the id that users know, kept in a column of its name."""
    return models.ForeignKey(
        model, to_field=field, db_column=field, on_delete=models.PROTECT, related_name="+"
    )


def named(model: str, field: str) -> models.ForeignKey[Any, Any]:
    """Like `to`, for rows that come by the hundred thousand and were checked: the database does not look
    again."""
    return models.ForeignKey(
        model,
        to_field=field,
        db_column=field,
        on_delete=models.PROTECT,
        related_name="+",
        db_constraint=False,
        db_index=False,
    )


def key(*fields: str) -> list[models.BaseConstraint]:
    """The row's key; the name of the constraint turns into a fault."""
    return [models.UniqueConstraint(fields=fields, name="%(app_label)s_%(class)s_key")]


def choices_held(exchange: str) -> list[models.BaseConstraint]:
    """The choices of a table's columns, as its row class has them, held by the database too."""
    return [
        models.CheckConstraint(
            condition=models.Q(**{f"{column.name}__in": [*column.kind.choices, *_empty(column)]}),
            name=f"{exchange}_{column.name}_held",
        )
        for column in TABLES[exchange].columns
        if column.kind.choices
    ]


def _empty(column: Column) -> list[str]:
    return [""] if not column.must and not column.default else []
