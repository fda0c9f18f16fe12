from django.contrib.postgres.indexes import GinIndex, OpClass
from django.db import models
from django.db.models.functions import Upper

from web.definitions.base import Definition, choices_held, ident, key, text, to


class CodeList(Definition):
    exchange = "code_lists"
    code_list = ident(unique=True)
    name = models.TextField()
    min_length = models.IntegerField()
    max_length = models.IntegerField()
    characters = models.CharField(max_length=12)
    zero_pad = models.BooleanField(default=False)
    language = text()

    class Meta:
        constraints = choices_held("code_lists")


class Code(Definition):
    exchange = "codes"
    code_list = to("codes.CodeList", "code_list")
    code = ident()
    name = models.TextField()
    rollup = models.BooleanField(default=False)
    posting = models.BooleanField(default=True)
    budgeting = models.BooleanField(default=True)
    account_class = models.CharField(max_length=9, blank=True, default="")
    contra = models.BooleanField(default=False)
    in_use_from = models.DateField(null=True)
    in_use_until = models.DateField(null=True)
    enabled = models.BooleanField(default=True)
    currency = models.CharField(max_length=3, blank=True, default="")
    revalue = models.BooleanField(default=False)
    cash_flow = models.CharField(max_length=9, default="none")
    notes = text()
    unit = text()
    adds_up = models.BooleanField(default=False)

    class Meta:
        constraints = [*key("code_list", "code"), *choices_held("codes")]
        indexes = [GinIndex(OpClass(Upper("name"), name="gin_trgm_ops"), name="codes_code_words")]


class CodeName(Definition):
    """A code's name in a further language."""

    exchange = "code_names"
    code_list = to("codes.CodeList", "code_list")
    code = ident()
    language = ident()
    name = models.TextField()

    class Meta:
        constraints = key("code_list", "code", "language")


class ListProperty(Definition):
    """A further property that the codes of a list have."""

    exchange = "list_properties"
    code_list = to("codes.CodeList", "code_list")
    property = ident()
    name = models.TextField()
    kind = models.CharField(max_length=6, default="text")
    choices = text()
    position = models.IntegerField(null=True)

    class Meta:
        constraints = [*key("code_list", "property"), *choices_held("list_properties")]


class CodeProperty(Definition):
    exchange = "code_properties"
    code_list = to("codes.CodeList", "code_list")
    code = ident()
    property = ident()
    value = models.TextField()

    class Meta:
        constraints = key("code_list", "code", "property")


class SetAside(Definition):
    """A doubt that someone looked at and found to be in order, with the reason."""

    exchange = "doubts_set_aside"
    code_list = to("codes.CodeList", "code_list")
    code = ident()
    doubt = ident()
    reason = models.TextField()

    class Meta:
        constraints = key("code_list", "code", "doubt")


class Hierarchy(Definition):
    exchange = "hierarchies"
    hierarchy = ident(unique=True)
    code_list = to("codes.CodeList", "code_list")
    name = models.TextField()
    main = models.BooleanField(default=False)
    version_of = ident(blank=True, default="")
    holds_from = models.DateField(null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["code_list"], condition=models.Q(main=True), name="codes_hierarchy_one_main"
            )
        ]


class HierarchyNode(Definition):
    exchange = "hierarchy_nodes"
    hierarchy = to("codes.Hierarchy", "hierarchy")
    code = ident()
    parent = ident(blank=True, default="")
    position = models.IntegerField(null=True)
    intake = text()

    class Meta:
        constraints = [
            *key("hierarchy", "code"),
            models.CheckConstraint(
                condition=~models.Q(parent=models.F("code")), name="codes_node_not_under_itself"
            ),
        ]


class Overlay(Definition):
    exchange = "overlays"
    overlay = ident(unique=True)
    name = models.TextField()
    language = text()


class OverlayCode(Definition):
    exchange = "overlay_codes"
    overlay = to("codes.Overlay", "overlay")
    code_list = to("codes.CodeList", "code_list")
    code = ident()
    local_code = models.TextField()
    local_name = models.TextField()

    class Meta:
        constraints = key("overlay", "code_list", "code")
