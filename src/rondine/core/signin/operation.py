"""The sign-in operation: any operation of the service whose response yields a token that later calls carry."""

from collections.abc import Mapping
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from http.cookies import CookieError, SimpleCookie
from typing import Annotated, Any, ClassVar, Literal

from msgspec import Meta, structs

from rondine.core.documents.json import read_json
from rondine.core.errors import DocumentError, InputError, SignInRefused, short
from rondine.core.http.messages import Request, Response, Send, without_secrets
from rondine.core.operations.document import OperationDocument
from rondine.core.operations.inputs import checked_inputs
from rondine.core.operations.values import Value, ValueOf, parts_of
from rondine.core.paths import parse_pointer, resolve
from rondine.core.protocols.rest import build_request, with_body
from rondine.core.secret import Secret
from rondine.core.settings import Document
from rondine.core.signin.carrier import FieldName, put_secret
from rondine.core.signin.oauth import lifetime_of
from rondine.core.signin.token import (
    SendForToken,
    SignInContext,
    SignInExchange,
    Token,
    authorize_with_token,
    checked_token,
)

#: A number of seconds since 1970 above this is one of milliseconds.
MILLISECONDS = 100_000_000_000


class SignInOperation(Document, tag="sign_in_operation", frozen=True):
    """An operation of the service gives a token, and all other calls carry it. Elsewhere called session, login call or
    token exchange."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"operation": "operations"}

    GIVEN_BY_NAME: ClassVar[frozenset[str]] = frozenset({"inputs"})

    RARE: ClassVar[frozenset[str]] = frozenset({"lifetime_seconds", "lifetime_at", "expires_at"})

    operation: Annotated[str, Meta(description="its name")] = ""
    inputs: Annotated[dict[str, Any], Meta(description="values for its inputs that are no secrets")] = {}
    secret_inputs: Annotated[
        tuple[Annotated[str, Meta(pattern=r"^[A-Za-z][A-Za-z0-9_-]{0,62}$")], ...],
        Meta(description="the inputs that are; each is a secret of the credential"),
    ] = ("password",)
    token_in: Annotated[
        Literal["body", "header", "cookie"], Meta(description="body, header or cookie of the response")
    ] = "body"
    token_at: Annotated[str, Meta(description="JSON Pointer in the body, or the name of the header or cookie")] = (
        "/token"
    )
    lifetime_seconds: Annotated[
        Annotated[int, Meta(ge=1, le=315_360_000)] | None,
        Meta(description="how long a token lasts, if the documentation says so"),
    ] = None
    lifetime_at: Annotated[str, Meta(description="JSON Pointers, if the response says so")] = ""
    expires_at: Annotated[str, Meta(description="JSON Pointers, if the response says so")] = ""
    carrier: Annotated[
        Literal["header", "query", "cookie"], Meta(description="the part of other requests that the token goes in")
    ] = "header"
    name: FieldName = "Authorization"
    prefix: Annotated[
        str,
        Meta(pattern=r"^[!#$%&'*+.^_`|~0-9A-Za-z= -]{0,40}$", description="what stands before the token there"),
    ] = "Bearer"

    def secret_names(self) -> tuple[str, ...]:
        return self.secret_inputs

    def exchange(self, ask: Send, context: SignInContext) -> SignInExchange[Response]:
        def obtain(held: Token | None) -> SignInExchange[Token]:
            request = self.request(context)
            response: Response = yield SendForToken(request)
            return self.read(response, context, where=f"{request.method} {without_secrets(request.url)}")

        def put(request: Request, token: Token) -> Request:
            joint = "" if not self.prefix or self.prefix.endswith(("=", " ")) else " "
            return put_secret(request, self.carrier, self.name, token.access.after(self.prefix + joint))

        return authorize_with_token(ask, context, obtain, put)

    def request(self, context: SignInContext) -> Request:
        """The sign-in operation's request, its secrets beside the text. Raises InputError if it cannot be made."""
        operation: OperationDocument | None = context.operations.get(self.operation)
        if operation is None:
            raise InputError(
                f'the sign-in operation "{self.operation}" does not exist',
                where="sign_in/operation",
                hint="name an operation of this service",
            )
        secret_names = set(self.secret_inputs)
        masked = {name: str(context.secrets[name]) for name in self.secret_inputs}
        real = {name: context.secrets[name].reveal() for name in self.secret_inputs}
        bare = structs.replace(
            operation,
            query=[one for one in operation.query if not _uses(one.value, secret_names)],
            headers=[header for header in operation.headers if not _uses(header.value, secret_names)],
            body=None,
        )
        values = checked_inputs(operation.inputs, {**self.inputs, **real})
        request = build_request(bare, context.base_address, {**values, **masked}).request
        label = next((context.secrets[name].label for name in self.secret_inputs), "credential")
        for carrier, parameters in (("query", operation.query), ("header", operation.headers)):
            for parameter in parameters:
                if parameter.enabled and _uses(parameter.value, secret_names):
                    text = "".join(
                        str(values.get(part.input, "")) if isinstance(part, ValueOf) else part
                        for part in parts_of(parameter.value)
                    )
                    request = put_secret(request, carrier, parameter.name, Secret(text, label))  # type: ignore[arg-type]
        request = with_body(request, operation, values, masked=masked, label=label)
        if not request.header("Accept"):
            request = request.with_header("Accept", "application/json")
        return request

    def read(self, response: Response, context: SignInContext, *, where: str) -> Token:
        """The token of the response. Raises SignInRefused with what is wrong, never with what was in it."""
        hint = "check the secrets of the credential, and the place of the token"
        if not 200 <= response.status < 400:
            raise SignInRefused(f"the sign-in operation answered {response.status}", where=where, hint=hint)
        value: Any = None
        if self.token_in == "body" or self.lifetime_at or self.expires_at:
            try:
                value = read_json(response.content, name="the response")
            except DocumentError as error:
                raise SignInRefused(
                    f"the sign-in operation's response cannot be read: {error.message}", where=where, hint=hint
                ) from error
        token = self._token(response, value)
        if not isinstance(token, str) or not token.strip():
            raise SignInRefused(
                f"the sign-in operation's response has no token at {self.token_at} of its {self.token_in}",
                where=where,
                hint=hint,
            )
        now = context.now()
        ends = self._end(value, now, where)
        return Token(Secret(checked_token(token, "token", where), "token"), now, ends)

    def _token(self, response: Response, value: Any) -> object:
        match self.token_in:
            case "header":
                return response.header(self.token_at)
            case "cookie":
                for name, text in response.headers:
                    if name.lower() == "set-cookie":
                        try:
                            cookies: SimpleCookie = SimpleCookie(text)
                        except CookieError:
                            continue
                        if self.token_at in cookies:
                            return cookies[self.token_at].value
                return None
            case "body":
                return _at(value, self.token_at)

    def _end(self, value: Any, now: datetime, where: str) -> datetime | None:
        if self.expires_at:
            found = _at(value, self.expires_at)
            ends = _moment(found)
            if ends is None or ends <= now:
                raise SignInRefused(
                    f"the token's end is {short(found)}, not a moment to come",
                    where=where,
                    hint="check the place of the expiry",
                )
            return ends
        if self.lifetime_at:
            lifetime = lifetime_of(_at(value, self.lifetime_at), where)
            return None if lifetime is None else now + lifetime
        return None if self.lifetime_seconds is None else now + timedelta(seconds=self.lifetime_seconds)


def _at(value: Any, pointer: str) -> Any:
    carrier = resolve(value, parse_pointer(pointer))
    return None if carrier is None else carrier[1]


def _moment(value: object) -> datetime | None:
    """ISO 8601 text, or seconds or milliseconds since 1970. A text without a zone is in UTC."""
    try:
        if isinstance(value, str) and not value.strip().isdigit():
            found = datetime.fromisoformat(value.strip())
            return found if found.tzinfo else found.replace(tzinfo=UTC)
        if isinstance(value, (int, Decimal, str)) and not isinstance(value, bool):
            seconds = Decimal(value)
            return datetime.fromtimestamp(float(seconds / 1000 if seconds > MILLISECONDS else seconds), UTC)
    except (ValueError, OverflowError, OSError, ArithmeticError):
        pass
    return None


def _uses(value: Value, names: set[str]) -> bool:
    return any(isinstance(part, ValueOf) and part.input in names for part in parts_of(value))
