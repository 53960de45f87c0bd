"""What keeps a connection from working, and what should be known of it, seen without asking anybody."""

import re
from urllib.parse import urlsplit

from rondine.core.errors import Problem, did_you_mean
from rondine.core.http.templates import template_fault, template_names
from rondine.core.items.connection import ConnectionDocument
from rondine.core.operations.keylike import why_key_like
from rondine.core.operations.values import ValueOf, parts_of
from rondine.core.protocols.problems import OWN_HEADERS
from rondine.core.signin import (
    AuthorizationCode,
    Basic,
    ClientCertificate,
    Digest,
    JwtBearer,
    OAuthClient,
    PasswordGrant,
    SignIn,
    SignInOperation,
    SoapHeader,
    UserNameToken,
)
from rondine.core.signin.own import may_be_own

FIELD_NAME = r"[!#$%&'*+.^_`|~0-9A-Za-z-]+"


def connection_problems(document: ConnectionDocument) -> list[Problem]:
    """What keeps a connection from working that can be seen without asking anybody."""
    problems = _address_problems(document)
    for group in ("headers", "query"):
        for number, one in enumerate(getattr(document, group)):
            here = f"/{group}/{number}"
            name_is_sound = bool(one.name) if group == "query" else re.fullmatch(FIELD_NAME, one.name)
            if not name_is_sound or (group == "headers" and one.name.lower() in OWN_HEADERS):
                problems.append(
                    Problem(f"{here}/name", f'"{one.name[:80]}" cannot be set', "name a header of the service")
                )
            for part in parts_of(one.value):
                if isinstance(part, ValueOf) and (part.input or not part.standing):
                    problems.append(
                        Problem(f"{here}/value", "a connection has no inputs", "take a standing value, or a fixed text")
                    )
                elif group == "headers" and isinstance(part, str) and re.search(r"[\r\n\0]", part):
                    problems.append(
                        Problem(f"{here}/value", "a header value has no line breaks", "write it on one line")
                    )
    for number, limit in enumerate(document.limits):
        if limit.key in [other.key for other in document.limits[:number]]:
            problems.append(Problem(f"/limits/{number}", f"there are two limits for {limit.key}", "keep one of them"))
    if document.proxy.address and not re.fullmatch(r"http://[^/@\s?#]+/?", document.proxy.address):
        problems.append(
            Problem(
                "/proxy/address",
                f'"{document.proxy.address[:80]}" is not the address of a proxy',
                "such as http://proxy.example:3128",
            )
        )
    problems += sign_in_problems(document.sign_in, "/sign_in", document)
    if document.callers_sign_in and not may_be_own(document.sign_in):
        problems.append(
            Problem(
                "/callers_sign_in",
                "users of applications cannot sign in by this scheme: it is one of programs",
                "take authorization_code, password_grant, basic, digest, user_name_token, bearer or api_key",
            )
        )
    for number, own in enumerate(document.own_sign_ins):
        problems += sign_in_problems(own.sign_in, f"/own_sign_ins/{number}/sign_in", document)
    return problems


def _address_problems(document: ConnectionDocument) -> list[Problem]:
    here = "/base_address"
    if not document.base_address:
        return [Problem(here, "the base address is missing", "such as https://register.example/v1")]
    if fault := template_fault(document.base_address):
        return [Problem(here, fault, "a blank is written {name}; an address has no other braces")]
    blanks = template_names(document.base_address)
    if missing := sorted(set(blanks) - {name for name, value in document.blanks.items() if value.strip()}):
        return [Problem(f"/blanks/{missing[0]}", f"the base address waits for {', '.join(missing)}", "fill the blanks")]
    problems = [
        Problem(
            f"/blanks/{name}", f'the base address has no blank "{name}"', did_you_mean(name, blanks) or "take it away"
        )
        for name in sorted(set(document.blanks) - set(blanks))
    ]
    address = document.address()
    try:
        parts = urlsplit(address)
        is_sound = (
            parts.scheme in ("http", "https")
            and bool(parts.hostname)
            and not parts.fragment
            and parts.port != 0
            and not re.search(r"[\s{}]", address)
        )
    except ValueError:
        is_sound = False
    if not is_sound:
        return [
            *problems,
            Problem(here, f'"{address[:80]}" is not an address', "it begins with http:// or https:// and names a host"),
        ]
    if any("%" in (parts.hostname or "") or name in (parts.hostname or "") for name in ("{", "}")):
        problems.append(Problem(here, "a blank in the host has a value that no host has", "letters, digits, - and ."))
    if "@" in parts.netloc:
        problems.append(Problem(here, "the address holds a user name or password", "take it out and use a credential"))
    elif parts.query:
        problems.append(Problem(here, "the address has a query", "put it under what goes with every request"))
    return problems


def sign_in_problems(sign_in: SignIn, here: str, document: ConnectionDocument) -> list[Problem]:
    problems = []
    is_of_callers = document.callers_sign_in and here == "/sign_in"
    match sign_in:
        case OAuthClient():
            if not sign_in.token_address:
                problems.append(
                    Problem(f"{here}/token_address", "the token address is missing", "see the service's documentation")
                )
            if not sign_in.client_id and not (isinstance(sign_in, JwtBearer) and sign_in.issuer):
                problems.append(
                    Problem(
                        f"{here}/client_id", "the client id is missing", "the service gave it with the registration"
                    )
                )
            if isinstance(sign_in, AuthorizationCode) and not sign_in.authorization_address:
                problems.append(
                    Problem(
                        f"{here}/authorization_address",
                        "the authorization address is missing",
                        "see the service's documentation",
                    )
                )
            if isinstance(sign_in, PasswordGrant) and not sign_in.user_name and not is_of_callers:
                problems.append(Problem(f"{here}/user_name", "the user name is missing", "give the one of the account"))
            if sign_in.client_authentication == "tls" and not document.tls.certificate:
                problems.append(
                    Problem(
                        "/tls/certificate",
                        "the client authenticates by TLS, but there is no client certificate",
                        "paste it in PEM",
                    )
                )
        case Basic() | Digest() | UserNameToken():
            if not sign_in.user_name and not is_of_callers:
                problems.append(Problem(f"{here}/user_name", "the user name is missing", "give the one of the account"))
        case SoapHeader():
            if not sign_in.element:
                problems.append(
                    Problem(f"{here}/element", "the header block's name is missing", "the documentation or WSDL has it")
                )
        case ClientCertificate():
            if not document.tls.certificate:
                problems.append(Problem("/tls/certificate", "the client certificate is missing", "paste it in PEM"))
        case SignInOperation():
            if not sign_in.operation:
                problems.append(
                    Problem(
                        f"{here}/operation", "the sign-in operation is missing", "name an operation of this service"
                    )
                )
        case _:
            pass
    return problems


def connection_warnings(document: ConnectionDocument) -> list[Problem]:
    """What works but should be known."""
    warnings = []
    address = document.address()
    try:
        host = (urlsplit(address).hostname or "").lower()
    except ValueError:
        host = ""
    if address.startswith("http://"):
        warnings.append(
            Problem(
                "/base_address",
                "plain http: whoever is on the way can read and change everything",
                "use https if the service offers it",
            )
        )
    if host in ("localhost", "127.0.0.1", "::1") or host.endswith(".localhost"):
        warnings.append(
            Problem(
                "/base_address",
                f"{host} is whatever machine each process of Rondine runs on",
                "name the host as all of them reach it",
            )
        )
    for group, word in (("headers", "header"), ("query", "query parameter")):
        for number, one in enumerate(getattr(document, group)):
            text = "".join(part for part in parts_of(one.value) if isinstance(part, str))
            if reason := why_key_like(one.name, text):
                told = f'the {word} "{one.name}" looks like a key: {reason}'
                warnings.append(Problem(f"/{group}/{number}", told, "move it into the credential"))
    if isinstance(document.sign_in, PasswordGrant):
        warnings.append(
            Problem(
                "/sign_in",
                "the password grant is legacy",
                "ask the service for authorization code or client credentials",
            )
        )
    if isinstance(document.sign_in, OAuthClient) and document.sign_in.token_address.startswith("http://"):
        warnings.append(
            Problem("/sign_in/token_address", "secrets go to the token address over plain http", "use https")
        )
    return warnings
