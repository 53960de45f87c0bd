"""Services, credentials, connections and standing values, as the API shows and takes them."""

from rest_framework import serializers

from rondine.core.items.connection import ConnectionDocument
from rondine.core.items.credential import CredentialDocument
from rondine.core.items.service import ServiceDocument
from rondine.core.items.standing_value import StandingValueDocument
from rondine.server.api.openapi import AnyField, DocumentField
from rondine.server.api.shapes import ProblemLine
from rondine.server.items.serializers import ItemSerializer, UseLine


def texts(help_text: str) -> serializers.ListField:
    return serializers.ListField(child=serializers.CharField(), read_only=True, help_text=help_text)


def texts_by_operation(help_text: str) -> serializers.DictField:
    return serializers.DictField(
        child=serializers.ListField(child=serializers.CharField()), read_only=True, help_text=help_text
    )


class ServiceSerializer(ItemSerializer):
    document = DocumentField(ServiceDocument, required=False)


class StandingValueSerializer(ItemSerializer):
    document = DocumentField(StandingValueDocument, required=False)
    used_by = UseLine(many=True, read_only=True)
    warnings = ProblemLine(many=True, read_only=True)


class CredentialSerializer(ItemSerializer):
    document = DocumentField(CredentialDocument, required=False)
    environment = serializers.CharField()
    names = texts("the secrets that were given, by name")
    set_at = serializers.DateTimeField(read_only=True, allow_null=True)
    has_second = serializers.BooleanField(read_only=True, help_text="a second set is tried where the first is refused")
    second_set_at = serializers.DateTimeField(read_only=True, allow_null=True)
    origins = texts("where they may be sent")


class ConnectionSerializer(ItemSerializer):
    document = DocumentField(ConnectionDocument, required=False)
    service = serializers.CharField()
    environment = serializers.CharField()
    credential = serializers.CharField(allow_null=True, required=False)
    check_result = AnyField(read_only=True, allow_null=True)
    warnings = ProblemLine(many=True, read_only=True)
    secret_names = texts("what its sign-in needs")
    own_secret_names = texts_by_operation("what the own sign-ins of operations need in their credentials, by operation")
    secret_origins = texts("where the secrets of its sign-in would be sent")
    own_secret_origins = texts_by_operation("where those of the own sign-ins of operations would be sent, by operation")
    callback_path = serializers.CharField(
        read_only=True, help_text="for the service's registration page, behind Rondine's address"
    )
