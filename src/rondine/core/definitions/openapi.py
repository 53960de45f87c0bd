"""OpenAPI 3.1, 3.0 and 2.0, read into operations, schemas, servers and sign-ins.

What is broken is warned of with its place and left out; whatever else is sound is offered. A reference is followed when
it is needed and each schema is translated once, so that the cost grows with the document and circles do no harm.
"""

import re
from collections.abc import Iterator
from dataclasses import replace
from typing import Any
from urllib.parse import urljoin, urlsplit

from rondine.core.definitions.files import Broken, Files, Place
from rondine.core.definitions.inputs import Inputs, input_name, input_type
from rondine.core.definitions.model import Definition, DescribedOperation, Server, SignInOffer
from rondine.core.definitions.openapi_bodies import Bodies
from rondine.core.definitions.openapi_reading import Reading, collection_style, is_json, query_style, text_in
from rondine.core.definitions.openapi_responses import Responses, accepted
from rondine.core.definitions.titles import title_of
from rondine.core.errors import DocumentError, InputError, did_you_mean
from rondine.core.names import proposed_name
from rondine.core.operations.document import OperationDocument, Parameter
from rondine.core.operations.values import ValueOf
from rondine.core.protocols.problems import OWN_HEADERS
from rondine.core.protocols.styles import check_template
from rondine.core.signin import ApiKey, AuthorizationCode, Basic, Bearer, ClientCertificate, Digest, PasswordGrant
from rondine.core.signin.client_credentials import ClientCredentials

METHODS = ("get", "put", "post", "delete", "options", "head", "patch")
_ITEM_FIELDS = frozenset(
    {"summary", "description", "servers", "parameters", "$ref", "trace", "query", "additionalOperations"}
)
#: OpenAPI 3.1, "Parameter Object": these are described otherwise, and ignored as parameters.
_NOT_PARAMETERS = frozenset({"accept", "content-type", "authorization"})


def version_of(value: Any) -> str:
    """ "2.0", "3.0" or "3.1" by what the document says; empty if it is no OpenAPI document."""
    if not isinstance(value, dict):
        return ""
    if "swagger" in value:
        return "2.0" if str(value["swagger"]).startswith("2") else "?"
    if "openapi" in value:
        found = re.match(r"3\.(\d+)(?:\.|$|-)", str(value["openapi"]))
        return {"0": "3.0", "1": "3.1", "2": "3.1"}.get(found.group(1), "?") if found else "?"
    return ""


def read_openapi(files: Files, address: str = "") -> Definition:
    """address: where the document came from, for servers that are given relative to it. Raises DocumentError if nothing
    of it can be used."""
    return _Reader(files, address).definition()


class _Reader:
    def __init__(self, files: Files, address: str) -> None:
        self.address = address
        root = files.value(files.main)
        dialect = version_of(root)
        self.top = Place(files.main)
        if dialect == "?":
            said = str(root.get("openapi", root.get("swagger")))[:40]
            raise DocumentError(
                f'this says it is OpenAPI "{said}", which is not read',
                where=f"{files.main}: /{'openapi' if 'openapi' in root else 'swagger'}",
                hint='"2.0", "3.0.x" and "3.1.x" are read, 3.2 as far as it is like 3.1',
            )
        self.reading = Reading(files, dialect)
        self.bodies, self.responses = Bodies(self.reading), Responses(self.reading)
        self.left: list[tuple[Place, str, str]] = []
        self.names: set[str] = set()
        self._servers_read: tuple[Server, ...] = ()
        self._combined: dict[str, SignInOffer] = {}
        if str(root.get("openapi", "")).startswith("3.2"):
            words = "this is OpenAPI 3.2, read as 3.1: what is new in it is passed over"
            self.reading.warn(self.top / "openapi", words, "streams, other methods and tags in tags are not taken")

    def definition(self) -> Definition:
        info = self.reading.root.get("info") if isinstance(self.reading.root.get("info"), dict) else {}
        offers = self._sign_ins()
        servers = self._servers_read = self._servers()
        read = list(self._operations({offer.name for offer in offers}))
        for name, schema in self._declared_schemas():
            self.reading.schemas.name_of(Place(self.reading.files.main, name), schema)
        self.reading.schemas.finish()
        webhooks = self.reading.root.get("webhooks")
        if isinstance(webhooks, dict) and webhooks:
            words = f"{len(webhooks)} webhooks: requests that the service sends, not ones that it answers"
            self.reading.warn(self.top / "webhooks", words, "they are not imported as operations")
        if not read and not self.left and not webhooks:
            self.reading.warn(
                self.top / "paths", "no operation is described here", "is this a part of a larger definition?"
            )
        said = str(self.reading.root.get("openapi") or self.reading.root.get("swagger"))
        lines = iter(
            self.reading.files.with_lines(
                [*[one for _, _, found in read for one in found], *self.reading.found, *self.left]
            )
        )
        operations = tuple(
            replace(described, warnings=tuple(next(lines) for _ in found)) for _, described, found in read
        )
        warnings = tuple(next(lines) for _ in self.reading.found)
        docs = self.reading.root.get("externalDocs")
        return Definition(
            format=f"OpenAPI {said[:20]}",
            title=text_in(info, "title"),
            version=text_in(info, "version"),
            description=text_in(info, "description"),
            documentation=text_in(docs, "url"),
            servers=servers,
            sign_ins=(*offers, *self._combined.values()),
            operations=operations,
            schemas=self.reading.schemas.defs,
            warnings=(*self.reading.files.problems, *warnings),
            left_out=tuple(lines),
            files=tuple(self.reading.files.values),
        )

    # --- where, and how to sign in

    def _servers(self) -> tuple[Server, ...]:
        if self.reading.dialect == "2.0":
            host, base = text_in(self.reading.root, "host"), text_in(self.reading.root, "basePath").rstrip("/")
            if not host:
                return (_without_host(base),) if base else ()
            known = self.reading.root.get("schemes")
            schemes = [str(one) for one in known if one in ("https", "http")] if isinstance(known, list) else []
            best = "https" if "https" in schemes or not schemes else schemes[0]
            return (Server(f"{best}://{host}{base}"),)
        listed = self.reading.root.get("servers")
        out = []
        for number, one in enumerate(listed if isinstance(listed, list) else []):
            if (server := self._server(one, self.top / "servers" / number)) is not None:
                out.append(server)
        return tuple(out)

    def _server(self, value: Any, place: Place) -> Server | None:
        if not isinstance(value, dict) or not isinstance(value.get("url"), str):
            self.reading.warn(place, "a server has no url", "it is passed over")
            return None
        url: str = value["url"]
        blanks: dict[str, str] = {}
        choices: dict[str, list[str]] = {}
        variables = value.get("variables")
        for name, one in variables.items() if isinstance(variables, dict) else ():
            if isinstance(one, dict):
                blanks[input_name(str(name))] = str(one.get("default", ""))
                if isinstance(one.get("enum"), list):
                    choices[input_name(str(name))] = [str(choice) for choice in one["enum"]]
        url = re.sub(r"\{([^{}]+)\}", lambda match: "{+" + input_name(match.group(1)) + "}", url)
        if url.startswith("//"):
            scheme = urlsplit(self.address).scheme
            url = (scheme or "{+scheme}") + ":" + url
            if not scheme:
                blanks["scheme"], choices["scheme"] = "https", ["https", "http"]
        elif not re.match(r"[^/?#]*:", url):  # a path: where the document is, if that is known
            if not self.address:
                return _without_host("/" + url.strip("/") if url.strip("/") else "", text_in(value, "description"))
            url = urljoin(self.address, url)
        try:
            check_template(url)
        except InputError as error:
            self.reading.warn(place / "url", f'"{url[:120]}" cannot be used: {error.message}', error.hint)
            return None
        used = set(re.findall(r"\{\+(\w+)\}", url))
        if not re.match(r"(https?|\{\+\w+\})://", url):
            self.reading.warn(place / "url", f'"{url[:120]}" is not an address of HTTP', "it is passed over")
            return None
        return Server(
            url.rstrip("/"),
            text_in(value, "description"),
            {name: blanks.get(name, "") for name in sorted(used)},
            {name: one for name, one in choices.items() if name in used},
        )

    def _sign_ins(self) -> tuple[SignInOffer, ...]:
        where = ("securityDefinitions",) if self.reading.dialect == "2.0" else ("components", "securitySchemes")
        schemes = self._member(*where)
        out = []
        for name, scheme in schemes.items():
            place = Place(self.reading.files.main, (*where, name))
            try:
                scheme, place = self.reading.files.follow(scheme, place)
            except Broken as error:
                self.reading.warn(error.place, error.message, error.hint)
                continue
            if isinstance(scheme, dict):
                out.append(self._offer(str(name), scheme, place))
        return tuple(out)

    def _offer(self, name: str, scheme: dict[str, Any], place: Place) -> SignInOffer:
        words = text_in(scheme, "description")
        kind, manner = scheme.get("type"), str(scheme.get("scheme", "")).lower()
        match kind:
            case "apiKey" if scheme.get("in") in ("header", "query", "cookie") and text_in(scheme, "name"):
                try:
                    return SignInOffer(name, ApiKey(name=scheme["name"], carrier=scheme["in"]), words)
                except (TypeError, ValueError):
                    pass
            case "basic":
                return SignInOffer(name, Basic(), words)
            case "http":
                if manner == "basic":
                    return SignInOffer(name, Basic(), words)
                if manner == "bearer":
                    return SignInOffer(name, Bearer(), words)
                if manner == "digest":
                    return SignInOffer(name, Digest(), words)
            case "mutualTLS":
                return SignInOffer(name, ClientCertificate(), words)
            case "openIdConnect":
                issuer = text_in(scheme, "openIdConnectUrl").partition("/.well-known/")[0]
                return SignInOffer(name, AuthorizationCode(), f"{words} OpenID metadata: {issuer}".strip())
            case "oauth2":
                return self._oauth(name, scheme, place, words)
        self.reading.warn(
            place,
            f'the security scheme "{name}" ({kind} {manner})'.rstrip(" )") + ") is not one that Rondine knows",
            "choose another sign-in on the connection",
        )
        return SignInOffer(name, None, words)

    def _oauth(self, name: str, scheme: dict[str, Any], place: Place, words: str) -> SignInOffer:
        listed = scheme.get("flows")
        flows: dict[str, Any] = listed if isinstance(listed, dict) else {}
        if self.reading.dialect == "2.0":
            flow = {"application": "clientCredentials", "accessCode": "authorizationCode"}.get(
                str(scheme.get("flow")), str(scheme.get("flow"))
            )
            flows = {flow: scheme}
        for flow in ("clientCredentials", "authorizationCode", "password"):
            if not isinstance(one := flows.get(flow), dict):
                continue
            scopes = " ".join(map(str, one["scopes"])) if isinstance(one.get("scopes"), dict) else ""
            token = self._address(text_in(one, "tokenUrl"))
            if flow == "clientCredentials":
                return SignInOffer(name, ClientCredentials(token_address=token, scope=scopes), words)
            if flow == "password":
                return SignInOffer(name, PasswordGrant(token_address=token, scope=scopes), words)
            consent = self._address(text_in(one, "authorizationUrl"))
            return SignInOffer(
                name, AuthorizationCode(token_address=token, authorization_address=consent, scope=scopes), words
            )
        self.reading.warn(
            place,
            f'the security scheme "{name}" has only the implicit grant, which is not for services',
            "ask the provider for authorization code or client credentials",
        )
        return SignInOffer(name, None, words)

    def _address(self, text: str) -> str:
        joined = urljoin(self.address, text) if self.address and text else text
        return joined if re.fullmatch(r"https?://[^\s@#]+", joined) else ""

    # --- operations

    def _operations(
        self, schemes: set[str]
    ) -> Iterator[tuple[Place, DescribedOperation, list[tuple[Place, str, str]]]]:
        paths = self.reading.root.get("paths")
        if paths is None:
            return
        if not isinstance(paths, dict):
            self.reading.warn(self.top / "paths", "paths is an object, by path", "nothing of it is read")
            return
        keys: set[str] = set()
        for number, (path, item) in enumerate(paths.items()):
            self.reading.files.report("paths", number, len(paths))
            place = self.top / "paths" / path
            if str(path).startswith("x-"):
                continue
            try:
                item, at = self.reading.files.follow(item, place)
            except Broken as error:
                self.left.append((error.place, f"{path}: {error.message}", error.hint))
                continue
            if not isinstance(item, dict) or not str(path).startswith("/"):
                words = "a path begins with /" if isinstance(item, dict) else "a path is an object, by method"
                self.left.append((place, f"{str(path)[:120]}: {words}", "correct it in the definition"))
                continue
            for method in item:
                if str(method).lower() not in METHODS:
                    if method not in _ITEM_FIELDS and not str(method).startswith("x-"):
                        self.reading.warn(
                            at / method, f'"{str(method)[:40]}" is not a method', did_you_mean(str(method), METHODS)
                        )
                    elif method in ("trace", "query", "additionalOperations"):
                        self.left.append((at / method, f"{method.upper()} {path}: this method is not sent", ""))
                    continue
                before, self.reading.found = self.reading.found, []
                here = at / method
                try:
                    described_operation = self._operation(str(path), str(method).lower(), item, at, here, schemes, keys)
                    yield here, described_operation, self.reading.found
                except Broken as error:
                    self.left.append((error.place, f"{str(method).upper()} {path}: {error.message}", error.hint))
                finally:
                    self.reading.found = before

    def _operation(
        self,
        path: str,
        method: str,
        item: dict[str, Any],
        item_place: Place,
        place: Place,
        schemes: set[str],
        keys: set[str],
    ) -> DescribedOperation:
        value = item[str(place.location[-1])]
        if not isinstance(value, dict):
            raise Broken(place, "an operation is an object", "correct it in the definition")
        inputs = Inputs()
        parameters = self._parameters(item, item_place, value, place)
        template, query, headers, cookies = self._places(path, parameters, inputs, place)
        body, others = self.bodies.of(value, place, method, parameters, inputs)
        responses = self.responses.of(value, place)
        if (accept := accepted(responses)) and not any(header.name.lower() == "accept" for header in headers):
            headers.append(Parameter(name="Accept", value=accept))
        said = text_in(value, "operationId")
        key = f"{method.upper()} {path}"
        if said and said in keys:
            self.reading.warn(
                place / "operationId", f'there is another operation "{said[:80]}"', "this one is named after its path"
            )
            said = ""
        keys.add(said)
        title = text_in(value, "summary") or _words(said) or title_of(method, path)
        name = proposed_name(said or title_of(method, path), taken=self.names)
        self.names.add(name)
        sign_ins, is_anonymous = self._security(value, place, schemes)
        tags = tuple(str(tag) for tag in value["tags"]) if isinstance(value.get("tags"), list) else ()
        template = self._below(value.get("servers") or item.get("servers"), place) + template
        docs = value.get("externalDocs")
        try:
            check_template(template)
        except InputError as error:
            raise Broken(place, error.message, error.hint) from error
        document = OperationDocument(
            method=method.upper(),  # type: ignore[arg-type]
            path=template,
            inputs=inputs.found,
            query=query,
            headers=headers,
            cookies=cookies,
            body=body,
            other_bodies=others,
            responses=responses,
            paging=self.responses.paging(method, value, place, responses, query),
            description=text_in(value, "description")[:8000],
            documentation=text_in(docs, "url")[:2000],
            tags=list(tags),
            deprecated=value.get("deprecated") is True,
        )
        if isinstance(callbacks := value.get("callbacks"), dict) and callbacks:
            count = len(callbacks)
            words = f"{'one callback' if count == 1 else f'{count} callbacks'}: requests that the service sends"
            self.reading.warn(place / "callbacks", words, "they are not imported")
        return DescribedOperation(
            key,
            name,
            title[:200],
            document,
            place.pointer,
            tags,
            sign_ins,
            value.get("deprecated") is True,
            is_anonymous=is_anonymous,
        )

    def _below(self, own: Any, place: Place) -> str:
        """The path between the definition's address and that of an operation with servers of its own; one that is
        elsewhere is warned of."""
        if not isinstance(own, list) or not own:
            return ""
        theirs = [one for number, each in enumerate(own) if (one := self._server(each, place / "servers" / number))]
        for server in self._servers_read:
            for their in theirs:
                if their.address == server.address or their.address.startswith(server.address + "/"):
                    return their.address[len(server.address) :]
        if theirs:
            words = f'it is at another address: "{theirs[0].address[:120]}"'
            self.reading.warn(place, words, "import it into a service of its own")
        return ""

    def _parameters(
        self, item: dict[str, Any], item_place: Place, value: dict[str, Any], place: Place
    ) -> list[tuple[dict[str, Any], Place]]:
        """The operation's parameters, and the path's that it does not have itself. Broken ones are warned of."""
        found: dict[tuple[str, str], tuple[dict[str, Any], Place]] = {}
        for holder, at in ((item, item_place), (value, place)):
            listed = holder.get("parameters")
            if listed is not None and not isinstance(listed, list):
                self.reading.warn(at / "parameters", "parameters is a list", "it is passed over")
                continue
            for number, one in enumerate(listed or []):
                here = at / "parameters" / number
                try:
                    parameter, there = self.reading.files.follow(one, here)
                    if not isinstance(parameter, dict) or not isinstance(parameter.get("name"), str):
                        raise Broken(here, "a parameter needs a name", "it is left out")
                    if parameter.get("in") not in ("path", "query", "header", "cookie", "body", "formData"):
                        known = did_you_mean(str(parameter.get("in")), ("path", "query", "header", "cookie"))
                        raise Broken(
                            here,
                            f'the parameter "{parameter["name"][:80]}" is in "{str(parameter.get("in"))[:40]}"',
                            known,
                        )
                    found[(parameter["in"], parameter["name"])] = (parameter, there)
                except Broken as error:
                    self.reading.warn(error.place, error.message, error.hint or "the parameter is left out")
        return list(found.values())

    def _places(
        self, path: str, parameters: list[tuple[dict[str, Any], Place]], inputs: Inputs, place: Place
    ) -> tuple[str, list[Parameter], list[Parameter], list[Parameter]]:
        """(the path as a template, query, headers, cookies), with an input for each."""
        written = re.findall(r"\{([^{}]*)\}", path)
        template = path
        query: list[Parameter] = []
        headers: list[Parameter] = []
        cookies: list[Parameter] = []
        for parameter, at in parameters:
            kind, name = parameter["in"], parameter["name"]
            if kind in ("body", "formData") or (kind == "header" and name.lower() in _NOT_PARAMETERS | OWN_HEADERS):
                continue
            if kind == "path" and name not in written:
                words = f'the path has no place for the parameter "{name[:80]}"'
                self.reading.warn(at, words, did_you_mean(name, written) or "it is left out")
                continue
            schema, style, explode = self._parameter_schema(parameter, at)
            if (
                isinstance(schema.get("const"), str) and kind != "path"
            ):  # a value that is always the same is not an input
                fixed = Parameter(name=name, value=schema["const"])
                {"query": query, "header": headers}.get(kind, cookies).append(fixed)
                continue
            given = inputs.add(
                text_in(parameter, "x-input") or name,
                schema,
                required=kind == "path" or parameter.get("required") is True,
                description=text_in(parameter, "description"),
                example=self.reading.example(parameter, at),
                prefix=kind,
            )
            value = ValueOf(input=given)
            explode = explode or (kind != "path" and input_type(schema) != "json")  # of a plain value it says nothing
            match kind:
                case "path":
                    mark = {"label": ".", "matrix": ";"}.get(style, "")
                    template = template.replace(f"{{{name}}}", f"{{{mark}{given}{'*' if explode else ''}}}")
                case "query":
                    query.append(Parameter(name=name, value=value, style=query_style(style), explode=explode))
                case "header":
                    headers.append(Parameter(name=name, value=value, explode=explode))
                case _:
                    cookies.append(Parameter(name=name, value=value))
        declared = {parameter["name"] for parameter, _ in parameters if parameter["in"] == "path"}
        for name in dict.fromkeys(written):
            if name not in declared:
                self.reading.warn(
                    place, f'the path\'s "{{{name[:80]}}}" is declared nowhere', "it is taken as a required text"
                )
                given = inputs.add(name, {"type": "string"}, required=True, prefix="path")
                template = template.replace(f"{{{name}}}", f"{{{given}}}")
        return template, query, headers, cookies

    def _parameter_schema(self, parameter: dict[str, Any], place: Place) -> tuple[dict[str, Any], str, bool]:
        """(its resolved schema, its style, whether it explodes)."""
        if self.reading.dialect == "2.0":
            schema: Any = {
                key: one for key, one in parameter.items() if key not in ("name", "in", "required", "description")
            }
            made = self.reading.schemas.translated(schema, place)
            return self.reading.schemas.resolved(made)[0], *collection_style(parameter)
        content = parameter.get("content")
        if isinstance(content, dict) and content:
            media, holder = next(iter(content.items()))
            raw = holder.get("schema", True) if isinstance(holder, dict) else True
            found = self.reading.schemas.resolved(
                self.reading.schemas.translated(raw, place / "content" / media / "schema")
            )[0]
            return {**found, "type": "object"} if is_json(str(media)) else found, "json", True
        made = self.reading.schemas.translated(parameter.get("schema", True), place / "schema")
        default = "form" if parameter["in"] in ("query", "cookie") else "simple"
        style = str(parameter.get("style", default))
        explode = parameter.get("explode")
        return self.reading.schemas.resolved(made)[0], style, explode if isinstance(explode, bool) else style == "form"

    def _security(self, value: dict[str, Any], place: Place, schemes: set[str]) -> tuple[tuple[str, ...], bool]:
        """(the sign-ins of which any will do, whether it says that it wants none). Several that must be met together
        are one alternative."""
        listed = value.get("security", self.reading.root.get("security"))
        if not isinstance(listed, list):
            return (), False
        names: dict[str, None] = {}
        for one in listed:
            known = []
            for name in one if isinstance(one, dict) else ():
                if name not in schemes:
                    words = f'there is no security scheme "{name}"'
                    self.reading.warn(place / "security", words, did_you_mean(str(name), schemes))
                else:
                    known.append(str(name))
            if len(known) > 1:
                together = " and ".join(known)
                if together not in self._combined:
                    words = "both must be met, and a connection signs in by one: send the other with every request"
                    self._combined[together] = SignInOffer(together, None, words)
                    self.reading.warn(place / "security", f"{together} must be met together", words)
                names[together] = None
            elif known:
                names[known[0]] = None
        return tuple(names), not names and all(one == {} for one in listed)

    def _declared_schemas(self) -> Iterator[tuple[tuple[str | int, ...], Any]]:
        where = ("definitions",) if self.reading.dialect == "2.0" else ("components", "schemas")
        for name, schema in self._member(*where).items():
            yield (*where, name), schema

    def _member(self, *steps: str) -> dict[str, Any]:
        value = self.reading.root
        for step in steps:
            value = value.get(step) if isinstance(value, dict) else None
        return value if isinstance(value, dict) else {}


def _without_host(path: str, description: str = "") -> Server:
    """A server of which the document says the path alone: whoever connects gives the rest."""
    words = "the definition says the path alone: give scheme and host, such as https://register.example"
    return Server("{+origin}" + path, description or words, {"origin": ""})


def _words(name: str) -> str:
    """ "listTreesByDistrict" -> "List trees by district"."""
    parted = re.sub(r"(?<=[a-z0-9])(?=[A-Z])|[_./-]+", " ", name).strip()
    return parted[:1].upper() + parted[1:].lower() if parted else ""
