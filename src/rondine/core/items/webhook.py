"""A webhook: where a service sends changes by itself, how it proves who it is, and what becomes of them."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Annotated, Any, ClassVar, Literal

from msgspec import Meta

from rondine.core.errors import InputError, NotAuthentic
from rondine.core.http.messages import Headers
from rondine.core.http.signatures import check_hmac, check_shared, check_standard, check_time
from rondine.core.mapping.document import Condition
from rondine.core.paths import parse_pointer, resolve
from rondine.core.settings import Document

HeaderName = Annotated[str, Meta(pattern=r"^[!#$%&'*+.^_`|~0-9A-Za-z-]+$", description="a header's name")]


class Standard(Document, tag="standard", frozen=True):
    """Signed as Standard Webhooks has it: webhook-id, webhook-timestamp, webhook-signature."""

    def check(self, headers: Headers, body: bytes, secrets: Sequence[str], now: datetime) -> None:
        check_standard(headers, body, secrets, now)


class Hmac(Document, tag="hmac", frozen=True, kw_only=True):
    """Signed with an HMAC of the body, or of a time and the body, in hex or base64."""

    header: Annotated[HeaderName, Meta(description="that has the signature")]
    algorithm: Literal["sha256", "sha512", "sha1"] = "sha256"
    prefix: Annotated[str, Meta(description="before the signature, such as sha256=")] = ""
    time_header: Annotated[
        str,
        Meta(description="that has the time, in seconds since 1970; it is signed with the body, and may not be old"),
    ] = ""
    joined_by: Annotated[str, Meta(description="between the time and the body, where a time is signed")] = "."

    def check(self, headers: Headers, body: bytes, secrets: Sequence[str], now: datetime) -> None:
        content = body
        if self.time_header:
            told = header(headers, self.time_header)
            check_time(told, now)
            content = f"{told}{self.joined_by}".encode() + body
        check_hmac(
            header(headers, self.header),
            content,
            secrets,
            where=self.header,
            algorithm=self.algorithm,
            prefix=self.prefix,
        )


class SharedHeader(Document, tag="shared_header", frozen=True, kw_only=True):
    """Not signed: a header has the secret itself. What was changed on the way is not noticed."""

    header: Annotated[HeaderName, Meta(description="that has the secret")]
    prefix: Annotated[str, Meta(description="before the secret, such as Bearer and a blank")] = ""

    def check(self, headers: Headers, body: bytes, secrets: Sequence[str], now: datetime) -> None:
        check_shared(header(headers, self.header).removeprefix(self.prefix), secrets, where=self.header)


Proof = Standard | Hmac | SharedHeader


class Challenge(Document, frozen=True):
    """What some services ask when they are told the address: a value that they want back."""

    parameter: Annotated[str, Meta(description="the query parameter that has it; it is given back as text")] = ""
    member: Annotated[
        str, Meta(description="or the member of the body that has it, a JSON Pointer; it is given back as JSON")
    ] = ""

    def answer(self, query: Mapping[str, str], body: Any) -> str | dict[str, Any] | None:
        """What to give back; None if nothing was asked."""
        if self.parameter and self.parameter in query:
            return query[self.parameter]
        if self.member and isinstance(body, dict):
            name = self.member.rpartition("/")[2]
            found = resolve(body, parse_pointer(self.member))
            return {name: found[1]} if found is not None and isinstance(found[1], str) else None
        return None


class ToRecords(Document, tag="records", frozen=True, kw_only=True):
    """Each delivery is mapped into records, as any response is."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"mapping": "mappings"}

    mapping: Annotated[str, Meta(description="the mapping, by name")]
    newest_by: Annotated[
        str,
        Meta(
            description=(
                "the field that says which of two deliveries about a record is the newer, such as a time of change or a"
                " version; without it, the one that comes later"
            )
        ),
    ] = ""
    removed_when: Annotated[
        list[Condition], Meta(description="conditions on the delivery by which its records are gone, all of them")
    ] = []


class ToRun(Document, tag="run", frozen=True, kw_only=True):
    """Each delivery starts a run of a feed; one that is under way runs again when it has ended."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"feed": "feeds"}

    feed: Annotated[str, Meta(description="the feed, by name")]


class ToFlow(Document, tag="flow", frozen=True, kw_only=True):
    """Each delivery lets the runs of flows go on that wait for it; where none does, it begins a run, if a flow is
    named."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"flow": "flows"}

    flow: Annotated[str, Meta(description="the flow that it begins, by name; by default none")] = ""
    inputs: Annotated[
        dict[str, str],
        Meta(description="the flow's inputs, each a JSON Pointer into the delivery's body; those without a value not"),
    ] = {}


class WebhookDocument(Document, frozen=True, kw_only=True):
    """What a service sends by itself, how that is proven, and what becomes of it."""

    proof: Proof = Standard()
    becomes: Annotated[ToRecords | ToRun | ToFlow, Meta(description="what a delivery becomes")]
    id_header: Annotated[
        str, Meta(description="that tells one delivery from another; without it, its content does")
    ] = "webhook-id"
    challenge: Annotated[
        Challenge | None, Meta(description="what the service asks when it is told the address; by default nothing")
    ] = None
    enabled: Annotated[bool, Meta(description="off, deliveries are refused")] = True
    description: Annotated[str, Meta(description="what it is for, in one's own words")] = ""


def header(headers: Headers, name: str) -> str:
    return next((value for key, value in headers if key.lower() == name.lower()), "")


def check_proof(proof: Proof, headers: Headers, body: bytes, secrets: Sequence[str], now: datetime) -> None:
    """Raises NotAuthentic if a delivery does not come from who has the secret."""
    if not secrets:
        raise NotAuthentic("there is no secret to verify it with", where="credential", hint="give it its signing_key")
    try:
        proof.check(headers, body, secrets, now)
    except (UnicodeEncodeError, InputError) as error:
        raise NotAuthentic(
            f"the signature cannot be read: {error}", where="headers", hint="send it as ASCII"
        ) from error
