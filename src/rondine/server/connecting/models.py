"""Services as described, and how they are reached in each environment."""

import uuid

from django.db import models

from rondine.core.items.connection import ConnectionDocument
from rondine.core.items.credential import CredentialDocument
from rondine.core.items.service import ServiceDocument
from rondine.core.items.standing_value import StandingValueDocument
from rondine.core.settings import load
from rondine.server.access.models import Person, Project
from rondine.server.items.models import Item

#: For how long runs and bodies are kept, unless an environment says something else.
RUNS_DAYS, BODIES_DAYS = 180, 30


class Environment(models.Model):
    """is_protected: only administrators change what is in it, and what writes at a service must be asked for
    explicitly.  callback: the address that services send people back to after their consent; blank for the usual one.
    callback_proven_at: when a browser last got through by it.  runs_days, bodies_days: for how long what ran, and the
    bodies of responses, are kept; null for ever."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="environments")
    name = models.CharField(max_length=63)
    title = models.CharField(max_length=200, blank=True)
    description = models.TextField(blank=True)
    is_protected = models.BooleanField(default=False)
    callback = models.CharField(max_length=500, blank=True)
    callback_proven_at = models.DateTimeField(null=True)
    #: What runs in it goes by; null for the draft.
    release = models.ForeignKey("releases.Release", null=True, on_delete=models.RESTRICT, related_name="environments")
    runs_days = models.PositiveIntegerField(null=True, default=RUNS_DAYS)
    bodies_days = models.PositiveIntegerField(null=True, default=BODIES_DAYS)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["project", "name"], name="one_environment_a_name"),
            models.UniqueConstraint(
                fields=["callback"], condition=~models.Q(callback=""), name="one_environment_a_callback"
            ),
        ]

    def __str__(self) -> str:
        return self.name


class Service(Item):
    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_service_a_name")]

    def loaded(self) -> ServiceDocument:
        return load(ServiceDocument, self.document)


class StandingValue(Item):
    """A named value for every environment, that operations refer to instead of repeating it."""

    class Meta:
        verbose_name = "standing value"
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_standing_value_a_name")]

    def loaded(self) -> StandingValueDocument:
        return load(StandingValueDocument, self.document)


class Credential(Item):
    """The secrets of one sign-in scheme. encrypted: JSON of name to secret, empty before any were given.
    second_encrypted: another set that is tried where the first is refused; when the service accepts it, the two change
    places.  origins: to which they may be sent.  set_by: who entered all of them, and so may send them elsewhere.
    """

    environment = models.ForeignKey(Environment, on_delete=models.PROTECT, related_name="credentials")
    key_version = models.PositiveIntegerField(default=0)
    encrypted = models.BinaryField(default=b"")
    names = models.JSONField(default=list)
    second_key_version = models.PositiveIntegerField(default=0)
    second_encrypted = models.BinaryField(default=b"")
    set_at = models.DateTimeField(null=True)
    second_set_at = models.DateTimeField(null=True)
    origins = models.JSONField(default=list)
    set_by = models.ForeignKey(Person, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_credential_a_name")]

    def loaded(self) -> CredentialDocument:
        return load(CredentialDocument, self.document)


class Connection(Item):
    service = models.ForeignKey(Service, on_delete=models.CASCADE, related_name="connections")
    environment = models.ForeignKey(Environment, on_delete=models.PROTECT, related_name="connections")
    credential = models.ForeignKey(Credential, null=True, on_delete=models.PROTECT, related_name="connections")
    check_result = models.JSONField(null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["project", "name"], name="one_connection_a_name"),
            models.UniqueConstraint(fields=["service", "environment"], name="one_connection_a_service_and_environment"),
        ]

    def loaded(self) -> ConnectionDocument:
        return load(ConnectionDocument, self.document)


class AccessToken(models.Model):
    """The token of a connection, or of the own sign-in of one of its operations, shared by all processes.

    fingerprint: of the sign-in's settings; under others the token counts no more.  encrypted: access and refresh token,
    encrypted.  state: what came of the last attempt.  renewing_by: who obtains a new one now, until `renewing_until` at
    the latest; all others wait.  session: of the user of an application whose own it is; null for the connection's.
    """

    STATES = ("none", "valid", "refused", "sign_in_again")

    connection = models.ForeignKey(Connection, on_delete=models.CASCADE, related_name="access_tokens")
    operation = models.CharField(max_length=63, blank=True)
    session = models.OneToOneField("UserSession", null=True, on_delete=models.CASCADE, related_name="access_token")
    fingerprint = models.CharField(max_length=64, blank=True)
    key_version = models.PositiveIntegerField(default=0)
    encrypted = models.BinaryField(default=b"")
    has_refresh = models.BooleanField(default=False)
    scope = models.TextField(blank=True)
    obtained_at = models.DateTimeField(null=True)
    expires_at = models.DateTimeField(null=True)
    renewed = models.PositiveIntegerField(default=0)
    state = models.CharField(max_length=20, choices=[(state, state) for state in STATES], default="none")
    refusal = models.JSONField(null=True)
    refused_at = models.DateTimeField(null=True)
    signed_in_by = models.ForeignKey(Person, null=True, on_delete=models.SET_NULL, related_name="+")
    renewing_by = models.UUIDField(null=True)
    renewing_until = models.DateTimeField(null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["connection", "operation"], condition=models.Q(session=None), name="one_token_a_sign_in"
            ),
            models.CheckConstraint(
                condition=models.Q(state__in=("none", "valid", "refused", "sign_in_again")), name="token_state_is_known"
            ),
        ]


class PendingSignIn(models.Model):
    """A person was sent to a service's consent page and is awaited at the callback address. digest: SHA-256 of the
    state.  encrypted: the verifier."""

    digest = models.BinaryField(max_length=32, unique=True)
    connection = models.ForeignKey(Connection, on_delete=models.CASCADE, related_name="+")
    operation = models.CharField(max_length=63, blank=True)
    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="+")
    callback = models.TextField()
    key_version = models.PositiveIntegerField()
    encrypted = models.BinaryField()
    made_at = models.DateTimeField(auto_now_add=True)


class UserSession(models.Model):
    """A user of an application has signed in at a service, or is about to. digest: SHA-256 of its token, which only the
    application holds.  caller: the user, if the application names one.  state_digest: SHA-256 of the state with which
    the user was sent to the consent page; null once that is answered, or where there is none.  fingerprint: of the
    sign-in's settings; under others nothing of it is sent.  encrypted: what the user gave, and the verifier, sealed
    with the token."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    application = models.ForeignKey("applications.Application", on_delete=models.CASCADE, related_name="sessions")
    connection = models.ForeignKey(Connection, on_delete=models.CASCADE, related_name="+")
    digest = models.BinaryField(max_length=32, unique=True)
    caller = models.CharField(max_length=200, blank=True)
    state_digest = models.BinaryField(max_length=32, null=True)
    callback = models.TextField(blank=True)
    fingerprint = models.CharField(max_length=64)
    key_version = models.PositiveIntegerField()
    encrypted = models.BinaryField()
    made_at = models.DateTimeField(auto_now_add=True)
    used_at = models.DateTimeField(null=True)
    expires_at = models.DateTimeField()

    class Meta:
        indexes = [models.Index(fields=["expires_at"], name="user_sessions_by_their_end")]


class ConnectionUsage(models.Model):
    """How much of its limits a connection has used, for all processes: `rondine.core.http.limits.Usage` as JSON."""

    connection = models.OneToOneField(Connection, on_delete=models.CASCADE, related_name="usage")
    usage = models.JSONField(default=dict)
