"""Services, credentials, connections, standing values and environments, as the API shows and takes them."""

from functools import partial
from typing import Any

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from rondine.core.items.connection import ConnectionDocument
from rondine.core.items.credential import CredentialDocument
from rondine.core.items.service import ServiceDocument
from rondine.core.items.standing_value import StandingValueDocument
from rondine.server.api.forms import FormShown
from rondine.server.api.openapi import AnyField, DocumentField
from rondine.server.api.requests import Strict
from rondine.server.api.shapes import ProblemItem, ShownSerializer
from rondine.server.connecting.environments import missing_in
from rondine.server.connecting.models import AccessToken, Credential, Environment
from rondine.server.connecting.signing_in import callback_path
from rondine.server.items.serializers import ItemSerializer, UseItem


def texts(help_text: str) -> serializers.ListField:
    return serializers.ListField(child=serializers.CharField(), read_only=True, help_text=help_text)


def texts_by_operation(help_text: str) -> serializers.DictField:
    return serializers.DictField(
        child=serializers.ListField(child=serializers.CharField()), read_only=True, help_text=help_text
    )


class ServiceConnection(serializers.Serializer[Any]):
    """One of a service's connections, and whether it works."""

    name = serializers.CharField()
    title = serializers.CharField()
    environment = serializers.CharField()
    base_address = serializers.CharField()
    is_enabled = serializers.BooleanField()
    is_ready = serializers.BooleanField(help_text="false: it has problems, which it shows")
    works = serializers.BooleanField(allow_null=True, help_text="by the last check; null: not checked")


class ServiceSerializer(ItemSerializer):
    document = DocumentField(ServiceDocument, required=False)
    connections = ServiceConnection(many=True, read_only=True, source="shown_connections")
    counts = serializers.DictField(
        child=serializers.IntegerField(), read_only=True, help_text="how many items of each kind belong to it"
    )


class StandingValueSerializer(ItemSerializer):
    document = DocumentField(StandingValueDocument, required=False)
    used_by = UseItem(many=True, read_only=True)
    warnings = ProblemItem(many=True, read_only=True)


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
    warnings = ProblemItem(many=True, read_only=True)
    secret_names = texts("what its sign-in needs")
    own_secret_names = texts_by_operation("what the own sign-ins of operations need in their credentials, by operation")
    secret_origins = texts("where the secrets of its sign-in would be sent")
    own_secret_origins = texts_by_operation("where those of the own sign-ins of operations would be sent, by operation")
    callback_path = serializers.CharField(
        read_only=True, help_text="for the service's registration page, behind Rondine's address"
    )


class EnvironmentSerializer(ShownSerializer):
    connections = serializers.IntegerField(source="connections.count")
    missing = serializers.SerializerMethodField()
    callback_path = serializers.SerializerMethodField()
    release = serializers.IntegerField(
        source="release.number", allow_null=True, default=None, help_text="what runs in it goes by; null: the draft"
    )

    class Meta:
        model = Environment
        fields = (
            *("name", "title", "description", "is_protected", "release", "connections", "missing", "callback_path"),
            *("callback", "callback_proven_at", "runs_days", "bodies_days"),
        )
        extra_kwargs = {
            "callback": {"help_text": "the address that was chosen; blank for the usual one"},
            "runs_days": {"help_text": "for how long runs, calls and deliveries are kept; null for ever"},
            "bodies_days": {"help_text": "for how long bodies of responses are kept; null for ever"},
            "callback_proven_at": {"help_text": "when a browser last got through by the callback address"},
        }

    @extend_schema_field(ProblemItem(many=True))
    def get_missing(self, environment: Environment) -> Any:
        return ProblemItem(missing_in(environment), many=True).data

    def get_callback_path(self, environment: Environment) -> str:
        return callback_path(environment.project.name, environment.name)


#: For how long something is kept.
DAYS = partial(
    serializers.IntegerField, required=False, allow_null=True, min_value=1, max_value=36_500, help_text="null for ever"
)


class NewEnvironment(Strict):
    name = serializers.CharField(max_length=63)
    title = serializers.CharField(required=False, allow_blank=True, max_length=200)
    description = serializers.CharField(required=False, allow_blank=True, max_length=2000)
    is_protected = serializers.BooleanField(required=False)
    runs_days = DAYS()
    bodies_days = DAYS()


class ChangedEnvironment(Strict):
    title = serializers.CharField(required=False, allow_blank=True, max_length=200)
    description = serializers.CharField(required=False, allow_blank=True, max_length=2000)
    is_protected = serializers.BooleanField(required=False)
    callback = serializers.CharField(
        required=False,
        allow_blank=True,
        max_length=500,
        help_text="where services send people back to after their consent; blank for the usual address",
    )
    runs_days = DAYS()
    bodies_days = DAYS()


class ProofShown(serializers.Serializer[Any]):
    address = serializers.CharField(help_text="to be opened in the browser within ten minutes")


class KeyFileGiven(Strict):
    """A file with a private key: PEM, or PKCS#12. passphrase: what it is locked with; it is not kept."""

    base64 = serializers.CharField(max_length=200_000)
    passphrase = serializers.CharField(
        required=False, allow_blank=True, default="", max_length=1000, trim_whitespace=False
    )


class Secrets(Strict):
    secrets = serializers.DictField(
        child=serializers.CharField(max_length=20_000, trim_whitespace=False),
        required=False,
        default=dict,
        help_text="by the names the sign-in scheme uses, such as key",
    )
    key_files = serializers.DictField(
        child=KeyFileGiven(),
        required=False,
        default=dict,
        help_text="private keys in files, by the names of secrets, such as tls_private_key",
    )
    is_second = serializers.BooleanField(
        required=False,
        default=False,
        help_text="a second set, tried where the first is refused, while both may be valid",
    )
    origins = serializers.ListField(
        child=serializers.CharField(max_length=2000),
        required=False,
        default=list,
        help_text="further addresses that they are entered for, besides those they belong to",
    )


class SecretsSet(serializers.Serializer[Any]):
    is_whole = True

    name = serializers.CharField()
    names = serializers.ListField(child=serializers.CharField())
    has_second = serializers.SerializerMethodField()
    origins = serializers.ListField(child=serializers.CharField(), help_text="where they may be sent")
    certificates = serializers.DictField(
        child=serializers.CharField(),
        default=dict,
        help_text="in PEM, that were in the files of keys just given; they are not kept here",
    )
    version = serializers.IntegerField()

    def get_has_second(self, credential: Credential) -> bool:
        return bool(credential.second_encrypted)


class OriginGiven(Strict):
    origin = serializers.CharField(max_length=2000, help_text="an address; its scheme, host and port count")


class CheckStep(serializers.Serializer[Any]):
    step = serializers.CharField()
    is_good = serializers.BooleanField()
    words = serializers.CharField()
    hint = serializers.CharField()
    ms = serializers.FloatField(allow_null=True)


class CheckResult(serializers.Serializer[Any]):
    works = serializers.BooleanField()
    steps = CheckStep(many=True)
    at = serializers.DateTimeField()
    by = serializers.CharField()
    by_worker = serializers.BooleanField()


class CheckAsked(Strict):
    where = serializers.ChoiceField(["web", "worker"], required=False, default="web")


class MeterItem(serializers.Serializer[Any]):
    words = serializers.CharField(source="limit.words")
    calls = serializers.IntegerField(source="limit.calls")
    used = serializers.IntegerField()
    left = serializers.IntegerField()
    refills_at = serializers.FloatField(allow_null=True, help_text="seconds since 1970")


class OperationCalls(serializers.Serializer[Any]):
    operation = serializers.CharField(source="name")
    title = serializers.CharField(allow_blank=True)
    calls = serializers.IntegerField()
    last_at = serializers.DateTimeField()


class MeterShown(serializers.Serializer[Any]):
    limits = MeterItem(many=True)
    operations = OperationCalls(many=True, help_text="which operations made the calls of the last 24 hours, up to 20")
    parallel = serializers.IntegerField(allow_null=True)
    under_way = serializers.IntegerField()
    held_until = serializers.FloatField(allow_null=True)
    held_why = serializers.CharField()
    asked_until = serializers.FloatField(
        allow_null=True, help_text="as long as the service asked to wait, if that is longer"
    )
    said = AnyField(allow_null=True)
    now = serializers.FloatField()


class WaitDecided(Strict):
    believe = serializers.BooleanField(
        help_text="true: the wait that the service asked for counts whole; false: it is lifted, and calls go out again"
    )


class TokenState(ShownSerializer):
    """What may be seen of a token; never the token."""

    state = serializers.ChoiceField(["none", "valid", "refused", "sign_in_again"], source="state_now")
    words = serializers.CharField()
    can_renew = serializers.BooleanField()
    refusal = AnyField(allow_null=True)
    signed_in_by = serializers.CharField(source="signed_in_by.title", allow_null=True, default=None)

    class Meta:
        model = AccessToken
        fields = (
            *("operation", "state", "words", "obtained_at", "expires_at", "renewed", "can_renew", "scope"),
            *("refused_at", "refusal", "signed_in_by"),
        )


class SignInShown(serializers.Serializer[Any]):
    tokens = TokenState(many=True)
    callback = serializers.CharField()
    obstacles = ProblemItem(many=True)


class BeginSignIn(Strict):
    operation = serializers.CharField(required=False, default="", allow_blank=True)


class ConsentAddress(serializers.Serializer[Any]):
    address = serializers.CharField()
    callback = serializers.CharField()


class WhichToken(Strict):
    operation = serializers.CharField(
        required=False, allow_blank=True, default="", help_text="of its own sign-in; empty for the connection's"
    )


class Issuer(Strict):
    issuer = serializers.CharField(max_length=2000)


class MetadataFound(serializers.Serializer[Any]):
    issuer = serializers.CharField()
    token_address = serializers.CharField()
    authorization_address = serializers.CharField()
    client_authentication = serializers.ListField(child=serializers.CharField())
    scopes = serializers.ListField(child=serializers.CharField())
    grants = serializers.ListField(child=serializers.CharField())
    has_pkce = serializers.BooleanField()


class PartForm(FormShown):
    name = serializers.CharField(help_text="of the part in the connection's document")


class ConnectionForms(serializers.Serializer[Any]):
    sign_in = FormShown(many=True)
    parts = PartForm(many=True)


class EffectiveParameter(serializers.Serializer[Any]):
    place = serializers.CharField()
    name = serializers.CharField()
    value = serializers.CharField()
    source = serializers.CharField()  # type: ignore[assignment]
