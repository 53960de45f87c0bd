"""Forms as the API shows them (`core/forms.py`)."""

from typing import Any

from rest_framework import serializers

from rondine.server.api.openapi import AnyField


class FormFieldItem(serializers.Serializer[Any]):
    name = serializers.CharField()
    title = serializers.CharField()
    kind = serializers.ChoiceField(
        ["text", "long_text", "choice", "choices", "integer", "number", "boolean", "list", "integers", "map", "json"]
    )
    help = serializers.CharField(allow_blank=True)
    default = AnyField(allow_null=True)
    choices = serializers.ListField(child=serializers.CharField())
    is_required = serializers.BooleanField()
    is_rare = serializers.BooleanField(help_text="few need it; it stands behind the others")


class FormShown(serializers.Serializer[Any]):
    type = serializers.CharField(allow_blank=True)
    title = serializers.CharField()
    words = serializers.CharField(allow_blank=True)
    fields = FormFieldItem(many=True)  # type: ignore[assignment]
    may_be_none = serializers.BooleanField(help_text="null in its place switches it off")
