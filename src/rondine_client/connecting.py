"""Services and how they are connected: connections, credentials, standing values."""

from __future__ import annotations

from base64 import b64encode
from collections.abc import Generator, Mapping, Sequence
from typing import TYPE_CHECKING, Any

from rondine_client.addresses import step
from rondine_client.items import Items
from rondine_client.requests import Request, S, call, given, steps

if TYPE_CHECKING:
    from rondine_client import types


class Services(Items[S, "types.Service"]):
    @call
    def preparation(self, name: str) -> Request[list[types.FactItem]]:
        """What is known of a service and what is not: [{name, title, value, source, hint}]."""
        return self.request("GET", f"/{step(name)}/preparation")

    @call
    def connect_prepared(self, name: str, environment: str = "test") -> Request[types.Connected]:
        """Makes connection, credential and first operation from what is noted with the service; gives their names."""
        return self.request("POST", f"/{step(name)}/preparation", {"environment": environment})

    @call
    def stand_in(self, name: str) -> Request[types.StandInShown]:
        """What stands in for the service while that is away: {is_on, address, operations: [{name, responds: sample,
        invented or nothing, words}]}. It is switched on by `stand_in` of the service's document."""
        return self.request("GET", f"/{step(name)}/stand-in")

    @call
    def export(self, name: str, environment: str = "test") -> Request[types.ExportShown]:
        """A service as OpenAPI 3.1: {document, unsaid: [{where, message, hint}]}; environment: whose connection says
        where it is."""
        return self.request("GET", f"/{step(name)}/openapi", query={"environment": environment})


class Connections(Items[S, "types.Connection"]):
    @call
    def check(self, name: str, *, where: str = "web") -> Request[types.CheckResult]:
        """Whether it works: {works, steps: [{step, is_good, words, hint, ms}]}. where: web or worker."""
        return self.request("POST", f"/{step(name)}/check", {"where": where})

    @steps
    def enable(self, name: str, *, enabled: bool = True) -> Generator[Request[Any], Any, types.Connection]:
        """Lets it be used, or not."""
        return (yield from self._change_document(name, lambda _: {"enabled": enabled}))

    @call
    def meter(self, name: str) -> Request[types.MeterShown]:
        """How much of its limits is used: {limits: [{words, used, left, refills_at}], held_until, ...}."""
        return self.request("GET", f"/{step(name)}/meter")

    @call
    def decide_wait(self, name: str, *, believe: bool) -> Request[types.MeterShown]:
        """A wait that the service asked for counts whole (believe), or is lifted; gives the meter."""
        return self.request("PUT", f"/{step(name)}/wait", {"believe": believe})

    @call
    def effective(self, name: str) -> Request[list[types.EffectiveParameter]]:
        """What goes with every request: [{place, name, value, source}]."""
        return self.request("GET", f"/{step(name)}/effective")

    @call
    def sign_in_state(self, name: str) -> Request[types.SignInShown]:
        """{tokens: [{state, words, expires_at, ...}], callback, obstacles}; never a token."""
        return self.request("GET", f"/{step(name)}/sign-in")

    @call
    def begin_sign_in(self, name: str, operation: str = "") -> Request[types.ConsentAddress]:
        """{address: the service's consent page, callback}; the person who asks opens the address in a browser signed in
        to Rondine."""
        return self.request("POST", f"/{step(name)}/sign-in", {"operation": operation})

    @call
    def discard_token(self, name: str, operation: str = "") -> Request[None]:
        """Forgets a token; the next request asks for another."""
        return self.request("DELETE", f"/{step(name)}/sign-in", query={"operation": operation})

    @call
    def find_addresses(self, issuer: str) -> Request[types.MetadataFound]:
        """The OAuth addresses that a service itself names (RFC 8414, OpenID)."""
        return Request("POST", f"{self._project}/metadata", {"issuer": issuer})

    @call
    def extract_secret(
        self,
        place: str,
        *,
        service: str,
        environment: str = "test",
        operation: str | None = None,
        document: Mapping[str, Any] | None = None,
    ) -> Request[types.Moved]:
        """Moves a fixed value that looks like a key into the connection's credential. place: JSON Pointer, such as
        /query/0."""
        chosen = {"service": service, "environment": environment, "place": place}
        body = {**chosen, **given(operation=operation or None, document=document)}
        return Request("POST", f"{self._project}/moves", body)

    @call
    def forms(self) -> Request[types.ConnectionForms]:
        """What a connection can be set to: {sign_in: the form of each kind, parts: those of the other members}."""
        return Request("GET", f"{self._project}/connection-forms")


class Credentials(Items[S, "types.Credential"]):
    @call
    def set_secrets(
        self,
        name: str,
        /,
        *,
        is_second: bool = False,
        origins: Sequence[str] = (),
        key_files: Mapping[str, tuple[bytes, str]] | None = None,
        **secrets: str,
    ) -> Request[types.SecretsSet]:
        """Replaces a credential's secrets, such as key="..."; they are never given back: {name, names, has_second,
        origins, certificates, version}.

        The first ones belong to where its connections lead then, later ones to the same, and to `origins`: they are
        sent nowhere else. is_second: sets a second one beside the first, tried where the first is refused.  key_files:
        private keys as files, PEM or PKCS#12, with their passphrase ("" for none), by the names of secrets; what
        certificates they hold is given back as `certificates`, in PEM.
        """
        files = {
            secret: {"base64": b64encode(content).decode(), "passphrase": passphrase}
            for secret, (content, passphrase) in (key_files or {}).items()
        }
        body = {"secrets": secrets, "key_files": files, "is_second": is_second, "origins": list(origins)}
        return self.request("PUT", f"/{step(name)}/secrets", body)

    @call
    def permit_origin(self, name: str, origin: str) -> Request[types.SecretsSet]:
        """Lets a credential's secrets be sent to one more address (administrators): {name, names, has_second, origins,
        version}."""
        return self.request("POST", f"/{step(name)}/origins", {"origin": origin})

    @call
    def drop_second_secrets(self, name: str) -> Request[types.SecretsSet]:
        return self.request("DELETE", f"/{step(name)}/secrets/second")


class StandingValues(Items[S, "types.StandingValue"]):
    @steps
    def set_value(
        self, name: str, value: str | int | bool | None, environment: str
    ) -> Generator[Request[Any], Any, types.StandingValue]:
        """Gives a standing value its value in one environment, making it if there is none; None takes it away."""
        item = (yield from self._find(name)) or (yield self.request("POST", body={"name": name}))
        return (
            yield from self._change_document(
                name, lambda document: {"values": given(**{**document.get("values", {}), environment: value})}, item
            )
        )
