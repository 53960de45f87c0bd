"""Shapes of responses that several parts of the API share."""

from typing import Any

from rest_framework import serializers


class ShownSerializer(serializers.ModelSerializer[Any]):
    """A row of a model as it is shown, never given: every field is there."""

    is_whole = True


class ProblemItem(serializers.Serializer[Any]):
    where = serializers.CharField()
    message = serializers.CharField()
    hint = serializers.CharField()


class ValueDifferenceItem(serializers.Serializer[Any]):
    """Of two documents. before, after: as JSON; empty where it is not there."""

    path = serializers.CharField()
    kind = serializers.ChoiceField(["added", "removed", "changed", "retyped", "reordered"])
    before = serializers.CharField(allow_blank=True)
    after = serializers.CharField(allow_blank=True)


class ProblemSerializer(serializers.Serializer[Any]):
    """What went wrong (RFC 9457): a stable code, the place, and what to do."""

    type = serializers.CharField()
    title = serializers.CharField()
    status = serializers.IntegerField()
    detail = serializers.CharField()
    code = serializers.CharField()
    where = serializers.CharField()
    hint = serializers.CharField()
    problems = ProblemItem(many=True)
