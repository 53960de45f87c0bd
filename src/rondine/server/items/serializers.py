"""The shape that all kinds of items share: what is stored of every one, what a person gives, and its revisions."""

from typing import Any

from rest_framework import serializers

from rondine.server.api.requests import Strict
from rondine.server.api.shapes import ProblemItem, ShownSerializer
from rondine.server.items.models import Revision


class ItemSerializer(Strict):
    """An item, shown and given. A subclass adds its document, and the items it refers to, by name."""

    #: Every field is shown of each item, whatever may be left out when one is given.
    is_whole = True

    id = serializers.UUIDField(read_only=True)
    name = serializers.CharField(max_length=63)
    title = serializers.CharField(required=False, allow_blank=True, max_length=200)
    version = serializers.IntegerField(read_only=True)
    changed_at = serializers.DateTimeField(read_only=True)
    problems = ProblemItem(many=True, read_only=True, help_text="why it cannot run yet")
    why = serializers.CharField(
        write_only=True, required=False, allow_blank=True, max_length=500, help_text="stands with the revision"
    )


class UseItem(serializers.Serializer[Any]):
    """Something that uses an item."""

    kind = serializers.CharField()
    name = serializers.CharField()


class RevisionSerializer(ShownSerializer):
    by = serializers.CharField(source="by.name", allow_null=True, default=None)
    content = serializers.DictField()

    class Meta:
        model = Revision
        fields = ("version", "name", "what", "why", "by", "at", "content")
