"""Operations, samples and prepared queries, as the API shows and takes them."""

from rest_framework import serializers

from rondine.core.items.sample import SampleDocument
from rondine.core.operations.document import OperationDocument
from rondine.core.protocols.prepared import PreparedQueryDocument
from rondine.server.api.openapi import DocumentField
from rondine.server.items.serializers import ItemSerializer


class OperationSerializer(ItemSerializer):
    document = DocumentField(OperationDocument, required=False)
    service = serializers.CharField()


class PreparedQuerySerializer(ItemSerializer):
    document = DocumentField(PreparedQueryDocument, required=False)
    used_by = serializers.ListField(child=serializers.CharField(), read_only=True, help_text="operations, by name")


class SampleSerializer(ItemSerializer):
    document = DocumentField(SampleDocument, required=False)
    operation = serializers.CharField(allow_null=True, required=False)
    body = serializers.UUIDField(read_only=True, source="body_id")
    size = serializers.IntegerField(read_only=True, source="body.size")
    media_type = serializers.CharField(read_only=True, source="body.media_type")
