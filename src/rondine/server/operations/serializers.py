"""Operations, samples and prepared queries, as the API shows and takes them."""

from typing import Any

from rest_framework import serializers

from rondine.core.items.sample import SampleDocument
from rondine.core.operations.document import OperationDocument
from rondine.core.protocols.prepared import PreparedQueryDocument
from rondine.server.api.openapi import DocumentField
from rondine.server.items.serializers import ItemSerializer
from rondine.server.runs.serializers import LastRun


class OperationSerializer(ItemSerializer):
    document = DocumentField(OperationDocument, required=False)
    service = serializers.CharField()
    last_run = LastRun(read_only=True, allow_null=True, help_text="how it went the last time, whoever called it")


class PreparedQuerySerializer(ItemSerializer):
    document = DocumentField(PreparedQueryDocument, required=False)
    used_by = serializers.ListField(child=serializers.CharField(), read_only=True, help_text="operations, by name")


class SampleSerializer(ItemSerializer):
    document = DocumentField(SampleDocument, required=False)
    operation = serializers.CharField(allow_null=True, required=False)
    body = serializers.UUIDField(read_only=True, source="body_id")
    size = serializers.IntegerField(read_only=True, source="body.size")
    media_type = serializers.CharField(read_only=True, source="body.media_type")


class AdoptedPaging(serializers.Serializer[Any]):
    """Paging that a response shows and that its operation follows from now on; change it there, or decline it."""

    operation = serializers.CharField()
    paging = DocumentField(OperationDocument.__annotations__["paging"])
    reason = serializers.CharField(help_text="what it was recognised by")


class FindingItem(serializers.Serializer[Any]):
    """A fixed value that looks like a key."""

    place = serializers.CharField()
    kind = serializers.CharField()
    name = serializers.CharField()
    reason = serializers.CharField()
