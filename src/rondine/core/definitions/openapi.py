"""OpenAPI 3.1, 3.0 and 2.0, read into operations, schemas, servers and sign-ins.

What is broken is warned of with its place and left out; whatever else is sound is offered. A reference is followed when it is needed and each
schema is translated once, so that the cost grows with the document and circles do no harm.
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import Any
from urllib.parse import urljoin, urlsplit

from msgspec import UNSET

from rondine.core.definitions.described_paging import described_paging
from rondine.core.definitions.files import Broken, Files, Place
from rondine.core.definitions.inputs import BodyReader, Inputs, input_name, input_type
from rondine.core.definitions.json_schema import Schemas
from rondine.core.definitions.model import Definition, DescribedOperation, Schema, Server, SignInOffer
from rondine.core.definitions.titles import title_of
from rondine.core.errors import DocumentError, InputError, did_you_mean
from rondine.core.names import proposed_name
from rondine.core.pagination import Paging
from rondine.core.protocols.body_choice import media_type_of
from rondine.core.protocols.operation import (
    OWN_HEADERS,
    READING,
    Body,
    BytesBody,
    FormBody,
    JsonBody,
    MultipartBody,
    OperationDocument,
    OtherBody,
    Parameter,
    Part,
    ResponseDescription,
    ResponseHeader,
    TextBody,
)
from rondine.core.protocols.styles import check_template
from rondine.core.protocols.values import ValueOf
from rondine.core.signin import ApiKey, AuthorizationCode, Basic, Bearer, ClientCertificate, Digest, PasswordGrant
from rondine.core.signin.client_credentials import ClientCredentials

#: Media types of one response that are kept.
MOST_MEDIA_TYPES = 3
#: Kinds of bodies of one request that are kept.
MOST_BODIES = 4
_FORMS = ("application/x-www-form-urlencoded", "multipart/form-data")
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
    """address: where the document came from, for servers that are given relative to it. Raises DocumentError if nothing of it can be used."""
    return _Reader(files, address).definition()


class _Reader:
    def __init__(self, files: Files, address: str) -> None:
        self.files, self.address = files, address
        self.root = files.value(files.main)
        self.dialect = version_of(self.root)
        self.top = Place(files.main)
        if self.dialect == "?":
            said = str(self.root.get("openapi", self.root.get("swagger")))[:40]
            raise DocumentError(
                f'this says it is OpenAPI "{said}", which is not read',
                where=f"{files.main}: /{'openapi' if 'openapi' in self.root else 'swagger'}",
                hint='"2.0", "3.0.x" and "3.1.x" are read, 3.2 as far as it is like 3.1',
            )
        self.found: list[tuple[Place, str, str]] = []
        self.left: list[tuple[Place, str, str]] = []
        self.schemas = Schemas(files, self.dialect, self.warn)
        self.names: set[str] = set()
        self._servers_read: tuple[Server, ...] = ()
        self._combined: dict[str, SignInOffer] = {}
        if str(self.root.get("openapi", "")).startswith("3.2"):
            words = "this is OpenAPI 3.2, read as 3.1: what is new in it is passed over"
            self.warn(self.top / "openapi", words, "streams, other methods and tags in tags are not taken")

    def warn(self, place: Place, message: str, hint: str = "") -> None:
        if len(self.found) < 2000:
            self.found.append((place, message, hint))

    def definition(self) -> Definition:
        info = self.root.get("info") if isinstance(self.root.get("info"), dict) else {}
        offers = self._sign_ins()
        servers = self._servers_read = self._servers()
        read = list(self._operations({one.name for one in offers}))
        for name, schema in self._declared_schemas():
            self.schemas.name_of(Place(self.files.main, name), schema)
        self.schemas.finish()
        webhooks = self.root.get("webhooks")
        if isinstance(webhooks, dict) and webhooks:
            words = f"{len(webhooks)} webhooks: requests that the service sends, not ones that it answers"
            self.warn(self.top / "webhooks", words, "they are not imported as operations")
        if not read and not self.left and not webhooks:
            self.warn(self.top / "paths", "no operation is described here", "is this a part of a larger definition?")
        said = str(self.root.get("openapi") or self.root.get("swagger"))
        lines = iter(self.files.with_lines([*[one for _, _, found in read for one in found], *self.found, *self.left]))
        operations = tuple(
            replace(described, warnings=tuple(next(lines) for _ in found)) for _, described, found in read
        )
        warnings = tuple(next(lines) for _ in self.found)
        docs = self.root.get("externalDocs")
        return Definition(
            format=f"OpenAPI {said[:20]}",
            title=_text(info, "title"),
            version=_text(info, "version"),
            description=_text(info, "description"),
            documentation=_text(docs, "url"),
            servers=servers,
            sign_ins=(*offers, *self._combined.values()),
            operations=operations,
            schemas=self.schemas.defs,
            warnings=(*self.files.problems, *warnings),
            left_out=tuple(lines),
            files=tuple(self.files.values),
        )

    # --- where, and how to sign in

    def _servers(self) -> tuple[Server, ...]:
        if self.dialect == "2.0":
            host, base = _text(self.root, "host"), _text(self.root, "basePath").rstrip("/")
            if not host:
                return (_without_host(base),) if base else ()
            known = self.root.get("schemes")
            schemes = [str(one) for one in known if one in ("https", "http")] if isinstance(known, list) else []
            best = "https" if "https" in schemes or not schemes else schemes[0]
            return (Server(f"{best}://{host}{base}"),)
        listed = self.root.get("servers")
        out = []
        for number, one in enumerate(listed if isinstance(listed, list) else []):
            if (made := self._server(one, self.top / "servers" / number)) is not None:
                out.append(made)
        return tuple(out)

    def _server(self, value: Any, place: Place) -> Server | None:
        if not isinstance(value, dict) or not isinstance(value.get("url"), str):
            self.warn(place, "a server has no url", "it is passed over")
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
                return _without_host("/" + url.strip("/") if url.strip("/") else "", _text(value, "description"))
            url = urljoin(self.address, url)
        try:
            check_template(url)
        except InputError as error:
            self.warn(place / "url", f'"{url[:120]}" cannot be used: {error.message}', error.hint)
            return None
        used = set(re.findall(r"\{\+(\w+)\}", url))
        if not re.match(r"(https?|\{\+\w+\})://", url):
            self.warn(place / "url", f'"{url[:120]}" is not an address of HTTP', "it is passed over")
            return None
        return Server(
            url.rstrip("/"),
            _text(value, "description"),
            {name: blanks.get(name, "") for name in sorted(used)},
            {name: one for name, one in choices.items() if name in used},
        )

    def _sign_ins(self) -> tuple[SignInOffer, ...]:
        where = ("securityDefinitions",) if self.dialect == "2.0" else ("components", "securitySchemes")
        schemes = self._member(*where)
        out = []
        for name, scheme in schemes.items():
            place = Place(self.files.main, (*where, name))
            try:
                scheme, place = self.files.follow(scheme, place)
            except Broken as error:
                self.warn(error.place, error.message, error.hint)
                continue
            if isinstance(scheme, dict):
                out.append(self._offer(str(name), scheme, place))
        return tuple(out)

    def _offer(self, name: str, scheme: dict[str, Any], place: Place) -> SignInOffer:
        words = _text(scheme, "description")
        kind, manner = scheme.get("type"), str(scheme.get("scheme", "")).lower()
        match kind:
            case "apiKey" if scheme.get("in") in ("header", "query", "cookie") and _text(scheme, "name"):
                try:
                    return SignInOffer(name, ApiKey(name=scheme["name"], place=scheme["in"]), words)
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
                issuer = _text(scheme, "openIdConnectUrl").partition("/.well-known/")[0]
                return SignInOffer(name, AuthorizationCode(), f"{words} OpenID metadata: {issuer}".strip())
            case "oauth2":
                return self._oauth(name, scheme, place, words)
        self.warn(
            place,
            f'the security scheme "{name}" ({kind} {manner})'.rstrip(" )") + ") is not one that Rondine knows",
            "choose another sign-in on the connection",
        )
        return SignInOffer(name, None, words)

    def _oauth(self, name: str, scheme: dict[str, Any], place: Place, words: str) -> SignInOffer:
        listed = scheme.get("flows")
        flows: dict[str, Any] = listed if isinstance(listed, dict) else {}
        if self.dialect == "2.0":
            flow = {"application": "clientCredentials", "accessCode": "authorizationCode"}.get(
                str(scheme.get("flow")), str(scheme.get("flow"))
            )
            flows = {flow: scheme}
        for flow in ("clientCredentials", "authorizationCode", "password"):
            if not isinstance(one := flows.get(flow), dict):
                continue
            scopes = " ".join(map(str, one["scopes"])) if isinstance(one.get("scopes"), dict) else ""
            token = self._address(_text(one, "tokenUrl"))
            if flow == "clientCredentials":
                return SignInOffer(name, ClientCredentials(token_address=token, scope=scopes), words)
            if flow == "password":
                return SignInOffer(name, PasswordGrant(token_address=token, scope=scopes), words)
            consent = self._address(_text(one, "authorizationUrl"))
            return SignInOffer(
                name, AuthorizationCode(token_address=token, authorization_address=consent, scope=scopes), words
            )
        self.warn(
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
        paths = self.root.get("paths")
        if paths is None:
            return
        if not isinstance(paths, dict):
            self.warn(self.top / "paths", "paths is an object, by path", "nothing of it is read")
            return
        keys: set[str] = set()
        for number, (path, item) in enumerate(paths.items()):
            self.files.report("paths", number, len(paths))
            place = self.top / "paths" / path
            if str(path).startswith("x-"):
                continue
            try:
                item, at = self.files.follow(item, place)
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
                        self.warn(at / method, f'"{str(method)[:40]}" is no method', did_you_mean(str(method), METHODS))
                    elif method in ("trace", "query", "additionalOperations"):
                        self.left.append((at / method, f"{method.upper()} {path}: this method is not sent", ""))
                    continue
                before, self.found = self.found, []
                here = at / method
                try:
                    made = self._operation(str(path), str(method).lower(), item, at, here, schemes, keys)
                    yield here, made, self.found
                except Broken as error:
                    self.left.append((error.place, f"{str(method).upper()} {path}: {error.message}", error.hint))
                finally:
                    self.found = before

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
        body, others = self._bodies(value, place, method, parameters, inputs)
        responses = self._responses(value, place)
        if (accept := self._accept(responses)) and not any(one.name.lower() == "accept" for one in headers):
            headers.append(Parameter(name="Accept", value=accept))
        said = _text(value, "operationId")
        key = f"{method.upper()} {path}"
        if said and said in keys:
            self.warn(
                place / "operationId", f'there is another operation "{said[:80]}"', "this one is named after its path"
            )
            said = ""
        keys.add(said)
        title = _text(value, "summary") or _words(said) or title_of(method, path)
        name = proposed_name(said or title_of(method, path), taken=self.names)
        self.names.add(name)
        sign_ins, is_anonymous = self._security(value, place, schemes)
        tags = tuple(str(one) for one in value["tags"]) if isinstance(value.get("tags"), list) else ()
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
            paging=self._paging(method, value, place, responses, query),
            description=_text(value, "description")[:8000],
            documentation=_text(docs, "url")[:2000],
            tags=list(tags),
            deprecated=value.get("deprecated") is True,
        )
        if isinstance(callbacks := value.get("callbacks"), dict) and callbacks:
            count = len(callbacks)
            words = f"{'one callback' if count == 1 else f'{count} callbacks'}: requests that the service sends"
            self.warn(place / "callbacks", words, "they are not imported")
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
        """The path between the definition's address and that of an operation with servers of its own; one that is elsewhere is warned of."""
        if not isinstance(own, list) or not own:
            return ""
        theirs = [one for number, each in enumerate(own) if (one := self._server(each, place / "servers" / number))]
        for server in self._servers_read:
            for one in theirs:
                if one.address == server.address or one.address.startswith(server.address + "/"):
                    return one.address[len(server.address) :]
        if theirs:
            words = f'it is at another address: "{theirs[0].address[:120]}"'
            self.warn(place, words, "import it into a service of its own")
        return ""

    def _parameters(
        self, item: dict[str, Any], item_place: Place, value: dict[str, Any], place: Place
    ) -> list[tuple[dict[str, Any], Place]]:
        """The operation's parameters, and the path's that it does not have itself. Broken ones are warned of."""
        found: dict[tuple[str, str], tuple[dict[str, Any], Place]] = {}
        for holder, at in ((item, item_place), (value, place)):
            listed = holder.get("parameters")
            if listed is not None and not isinstance(listed, list):
                self.warn(at / "parameters", "parameters is a list", "it is passed over")
                continue
            for number, one in enumerate(listed or []):
                here = at / "parameters" / number
                try:
                    parameter, there = self.files.follow(one, here)
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
                    self.warn(error.place, error.message, error.hint or "the parameter is left out")
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
                self.warn(at, words, did_you_mean(name, written) or "it is left out")
                continue
            schema, style, explode = self._parameter_schema(parameter, at)
            if isinstance(schema.get("const"), str) and kind != "path":  # a value that is always the same is no input
                fixed = Parameter(name=name, value=schema["const"])
                {"query": query, "header": headers}.get(kind, cookies).append(fixed)
                continue
            given = inputs.add(
                _text(parameter, "x-input") or name,
                schema,
                required=kind == "path" or parameter.get("required") is True,
                description=_text(parameter, "description"),
                example=self._example(parameter, at),
                prefix=kind,
            )
            value = ValueOf(input=given)
            explode = explode or (kind != "path" and input_type(schema) != "json")  # of a plain value it says nothing
            match kind:
                case "path":
                    mark = {"label": ".", "matrix": ";"}.get(style, "")
                    template = template.replace(f"{{{name}}}", f"{{{mark}{given}{'*' if explode else ''}}}")
                case "query":
                    query.append(Parameter(name=name, value=value, style=_query_style(style), explode=explode))
                case "header":
                    headers.append(Parameter(name=name, value=value, explode=explode))
                case _:
                    cookies.append(Parameter(name=name, value=value))
        declared = {parameter["name"] for parameter, _ in parameters if parameter["in"] == "path"}
        for name in dict.fromkeys(written):
            if name not in declared:
                self.warn(place, f'the path\'s "{{{name[:80]}}}" is declared nowhere', "it is taken as a required text")
                given = inputs.add(name, {"type": "string"}, required=True, prefix="path")
                template = template.replace(f"{{{name}}}", f"{{{given}}}")
        return template, query, headers, cookies

    def _parameter_schema(self, parameter: dict[str, Any], place: Place) -> tuple[dict[str, Any], str, bool]:
        """(its resolved schema, its style, whether it explodes)."""
        if self.dialect == "2.0":
            schema: Any = {
                key: one for key, one in parameter.items() if key not in ("name", "in", "required", "description")
            }
            made = self.schemas.translated(schema, place)
            return self.schemas.resolved(made)[0], *_collection_style(parameter)
        content = parameter.get("content")
        if isinstance(content, dict) and content:
            media, holder = next(iter(content.items()))
            raw = holder.get("schema", True) if isinstance(holder, dict) else True
            found = self.schemas.resolved(self.schemas.translated(raw, place / "content" / media / "schema"))[0]
            return {**found, "type": "object"} if _is_json(str(media)) else found, "json", True
        made = self.schemas.translated(parameter.get("schema", True), place / "schema")
        default = "form" if parameter["in"] in ("query", "cookie") else "simple"
        style = str(parameter.get("style", default))
        explode = parameter.get("explode")
        return self.schemas.resolved(made)[0], style, explode if isinstance(explode, bool) else style == "form"

    def _example(self, holder: dict[str, Any], place: Place) -> Any:
        """An example of a parameter or body, UNSET if there is none."""
        for word in ("example", "x-example"):
            if word in holder:
                return holder[word]
        examples = holder.get("examples")
        if isinstance(examples, dict) and examples:
            name, first = next(iter(examples.items()))
            try:
                first, _ = self.files.follow(first, place / "examples" / name)
            except Broken:
                return UNSET
            return first.get("value", UNSET) if isinstance(first, dict) else UNSET
        return UNSET

    # --- bodies

    def _bodies(
        self,
        value: dict[str, Any],
        place: Place,
        method: str,
        parameters: list[tuple[dict[str, Any], Place]],
        inputs: Inputs,
    ) -> tuple[Body | None, list[OtherBody]]:
        """(the body that Rondine writes best, its inputs among the others; the bodies that may stand in its place)."""
        if method.upper() in READING:
            has_body = not _holds_nothing(value.get("requestBody", {}))
            if has_body or any(one["in"] in ("body", "formData") for one, _ in parameters):
                words = (
                    f"{method.upper()} is declared with a body, which has no meaning there (RFC 9110, section 9.3.1)"
                )
                self.warn(place, words, "the body is left out")
            return None, []
        if self.dialect == "2.0":
            offered = self._old_bodies(value, parameters, place)
        else:
            offered = self._described_bodies(value, place)
        if not offered:
            return None, []
        shared = list(inputs.found)
        body = self._made_body(offered[0], inputs)
        others = []
        for one in offered[1:]:
            own = Inputs(list(shared))
            made = self._made_body(one, own)
            others.append(OtherBody(media_type=media_type_of(made), body=made, inputs=own.found[len(shared) :]))
        by_type = {one.media_type: one for one in reversed(others) if one.media_type != media_type_of(body)}
        return body, [by_type[media] for media in sorted(by_type)]

    def _described_bodies(self, value: dict[str, Any], place: Place) -> list["_DescribedBody"]:
        if "requestBody" not in value:
            return []
        try:
            holder, at = self.files.follow(value["requestBody"], place / "requestBody")
        except Broken as error:
            self.warn(error.place, f"the request body is left out: {error.message}", error.hint)
            return []
        content = holder.get("content") if isinstance(holder, dict) else None
        if not isinstance(content, dict) or not content:
            return []
        chosen = _unlike(content)
        if left := chosen[MOST_BODIES:]:
            words = f"the body may be one of {len(chosen)} kinds: the first {MOST_BODIES} are kept"
            self.warn(at / "content", words, f"left out: {', '.join(left)[:300]}")
        out = []
        for media in chosen[:MOST_BODIES]:
            described = content[media] if isinstance(content[media], dict) else {}
            here = at / "content" / media
            said = described.get("encoding")
            out.append(
                _DescribedBody(
                    media,
                    self.schemas.translated(described.get("schema", True), here / "schema"),
                    here,
                    required=holder.get("required") is True,
                    description=_text(holder, "description"),
                    example=self._example(described, here),
                    encoding=said if isinstance(said, dict) else {},
                )
            )
        return out

    def _old_bodies(
        self, value: dict[str, Any], parameters: list[tuple[dict[str, Any], Place]], place: Place
    ) -> list["_DescribedBody"]:
        """OpenAPI 2.0: one parameter in the body, or several in a form, of any of the media types."""
        listed = value.get("consumes", self.root.get("consumes"))
        consumes = [str(one) for one in listed] if isinstance(listed, list) and listed else ["application/json"]
        offered = _unlike(dict.fromkeys(consumes))
        whole = next(((one, at) for one, at in parameters if one["in"] == "body"), None)
        if whole:
            parameter, at = whole
            return [
                _DescribedBody(
                    media,
                    self.schemas.translated(parameter.get("schema", True), at / "schema"),
                    at,
                    required=parameter.get("required") is True,
                    description=_text(parameter, "description"),
                    example=self._example(parameter, at),
                )
                for media in offered[:MOST_BODIES]
                if media not in _FORMS
            ]
        fields = [(one, at) for one, at in parameters if one["in"] == "formData"]
        if not fields:
            return []
        schema = {
            "type": "object",
            "properties": {
                one["name"]: self.schemas.translated(
                    {key: part for key, part in one.items() if key not in ("name", "in", "required")}, at
                )
                for one, at in fields
            },
            "required": [one["name"] for one, _ in fields if one.get("required") is True],
        }
        has_file = any(one.get("type") == "file" for one, _ in fields)
        forms = ["multipart/form-data"] if has_file else [one for one in reversed(_FORMS) if one in consumes]
        encoding = {one["name"]: _old_encoding(one) for one, _ in fields}
        return [_DescribedBody(media, schema, place, required=True, encoding=encoding) for media in forms or _FORMS[:1]]

    def _made_body(self, described: "_DescribedBody", inputs: Inputs) -> Body:
        media, required, example = described.media_type, described.required, described.example
        description, encoding = described.description, described.encoding
        kind = media.partition(";")[0].strip().lower()
        if _body_kind(media) == "json":
            reader = BodyReader(self.schemas, inputs)
            members = reader.read(described.schema, required=required, example=example, description=description)
            return JsonBody(
                members=members,
                media_type=media if _is_json(kind) and "*" not in kind else "application/json",
                optional=not required,
            )
        found, seen = self.schemas.resolved(described.schema)
        properties = found.get("properties")
        if kind in _FORMS and isinstance(properties, dict):
            parts = []
            for name, one in properties.items():
                inner, _ = self.schemas.resolved(one, seen)
                if inner.get("readOnly") is True:
                    continue
                own = example.get(name, UNSET) if isinstance(example, dict) else UNSET
                is_required = required and name in found.get("required", [])
                given = inputs.add(
                    str(name), inner, required=is_required, example=own, prefix="body", is_left_out=not required
                )
                items = self.schemas.resolved(inner["items"], seen)[0] if "items" in inner else {}
                said = encoding.get(name)
                parts.append(
                    _Field(str(name), given, inner, items, said if isinstance(said, dict) else {}, is_required)
                )
            wanted = [] if required else [one.name for one in parts if one.name in found.get("required", [])]
            if kind == "multipart/form-data":
                made = [
                    _part(one, self._part_headers(one, inputs, described.place / "encoding" / one.name))
                    for one in parts
                ]
                return MultipartBody(parts=made, optional=not required, required=wanted)
            return FormBody(fields=[_form_field(one) for one in parts], optional=not required, required=wanted)
        if kind.startswith("text/") or kind.endswith(("xml", "yaml", "csv", "ndjson")):
            text = example if isinstance(example, str) else UNSET
            given = inputs.add("body", {"type": "string"}, required=required, description=description, example=text)
            return TextBody(media_type=media, content=ValueOf(input=given))
        words = f"{description} (bytes, as base64)".strip()
        given = inputs.add("body", {"type": "string"}, required=required, description=words)
        return BytesBody(media_type=media, content=ValueOf(input=given))

    def _part_headers(self, part: "_Field", inputs: Inputs, place: Place) -> list[Parameter]:
        """The headers of a part of a multipart body, each with an input (OpenAPI 3.1, "Encoding Object"); a style that parts do not have is told."""
        if part.encoding.get("style", "form") != "form" or part.encoding.get("explode") is False:
            words = "the style of a part of a multipart body: not sent"
            self.warn(place, words, "a list is sent as one part for each element")
        out = []
        for label, header, at in self._headers(part.encoding.get("headers"), place / "headers"):
            if label.lower() in ("content-type", "content-disposition"):
                continue  # Content-Type is said by contentType, the other by the part itself
            schema = self.schemas.resolved(self.schemas.translated(header.get("schema", True), at / "schema"))[0]
            given = inputs.add(
                f"{part.name}_{label}",
                schema,
                required=part.is_required and header.get("required") is True,
                description=_text(header, "description"),
                example=self._example(header, at),
                prefix="body",
            )
            out.append(Parameter(name=label, value=ValueOf(input=given), explode=header.get("explode") is True))
        return out

    def _headers(self, listed: Any, place: Place) -> Iterator[tuple[str, dict[str, Any], Place]]:
        """The sound ones of a map of headers: (name, Header Object, its place). Broken ones are warned of."""
        for name, one in listed.items() if isinstance(listed, dict) else ():
            try:
                header, at = self.files.follow(one, place / name)
                if not isinstance(header, dict) or not re.fullmatch(r"[!#$%&'*+.^_`|~0-9A-Za-z-]+", str(name)):
                    raise Broken(place / name, f'"{str(name)[:80]}" is no header', "it is left out")
                yield str(name), header, at
            except Broken as error:
                self.warn(error.place, error.message, error.hint)

    # --- responses

    def _responses(self, value: dict[str, Any], place: Place) -> list[ResponseDescription]:
        listed = value.get("responses")
        if not isinstance(listed, dict):
            if listed is not None:
                self.warn(place / "responses", "responses is an object, by status", "it is passed over")
            return []
        out = []
        for status, one in listed.items():
            wanted = str(status) if str(status) == "default" else str(status).upper()
            if wanted.startswith("X-"):
                continue
            here = place / "responses" / status
            if not re.fullmatch(r"[1-5]\d\d|[1-5]XX|default", wanted):
                self.warn(here, f'"{str(status)[:40]}" is no status', "three digits, 4XX, or default")
                continue
            try:
                response, at = self.files.follow(one, here)
            except Broken as error:
                self.warn(error.place, error.message, error.hint)
                continue
            if isinstance(response, dict):
                out += self._described(wanted, response, at, value)
        return sorted(out, key=lambda one: (one.status == "default", one.status))

    def _paging(
        self,
        method: str,
        value: dict[str, Any],
        place: Place,
        responses: list[ResponseDescription],
        query: list[Parameter],
    ) -> Paging | None:
        """The paging that the good response and the query declare; what responses show may still be another one."""
        good = next((one for one in responses if one.status.startswith("2") and one.schema is not None), None)
        if method.upper() != "GET" or good is None:
            return None
        raw = (value.get("responses") or {}).get(good.status)
        try:
            raw, _ = self.files.follow(raw, place / "responses" / good.status)
        except Broken:
            raw = None
        headers = raw.get("headers") if isinstance(raw, dict) else None
        self.schemas.finish()
        found = described_paging(
            good.schema,
            self.schemas.defs,
            headers=[str(name) for name in headers] if isinstance(headers, dict) else [],
            query=[one.name for one in query],
        )
        return found.paging if found is not None else None

    def _described(
        self, status: str, response: dict[str, Any], place: Place, operation: dict[str, Any]
    ) -> list[ResponseDescription]:
        words = _text(response, "description")[:2000]
        headers = self._described_headers(response, place)
        if self.dialect == "2.0":
            listed = operation.get("produces", self.root.get("produces"))
            media = str(listed[0]) if isinstance(listed, list) and listed else "application/json"
            if "schema" not in response:
                own = media if "produces" in operation and status.startswith("2") else ""
                return [ResponseDescription(status=status, media_type=own, description=words, headers=headers)]
            schema = self.schemas.translated(response["schema"], place / "schema")
            return [
                ResponseDescription(status=status, media_type=media, schema=schema, description=words, headers=headers)
            ]
        content = response.get("content")
        if not isinstance(content, dict) or not content:
            return [ResponseDescription(status=status, description=words, headers=headers)]
        out = []
        offered = sorted(content, key=lambda one: not _is_json(str(one)))
        if len(offered) > MOST_MEDIA_TYPES:
            many = f"a response of {len(offered)} media types: the first {MOST_MEDIA_TYPES} are kept"
            left = ", ".join(str(one)[:80] for one in offered[MOST_MEDIA_TYPES:])
            self.warn(place / "content", many, f"left out: {left[:300]}")
        for media in offered[:MOST_MEDIA_TYPES]:
            raw = content[media].get("schema") if isinstance(content[media], dict) else None
            made = None if raw is None else self.schemas.translated(raw, place / "content" / media / "schema")
            kind = str(media)[:200]
            out.append(
                ResponseDescription(status=status, media_type=kind, schema=made, description=words, headers=headers)
            )
        return out

    def _described_headers(self, response: dict[str, Any], place: Place) -> list[ResponseHeader]:
        """The headers that a response is said to have (OpenAPI 3.1, "Header Object"); Content-Type is said by its media types."""
        out = []
        for name, header, at in self._headers(response.get("headers"), place / "headers"):
            if name.lower() == "content-type":
                continue
            if self.dialect == "2.0":
                raw: Any = {key: one for key, one in header.items() if key != "description"}
            else:
                raw = header.get("schema", True)
            out.append(
                ResponseHeader(
                    name=name,
                    schema=self.schemas.translated(raw, at if self.dialect == "2.0" else at / "schema"),
                    required=header.get("required") is True,
                    description=_text(header, "description")[:2000],
                )
            )
        return out

    @staticmethod
    def _accept(responses: list[ResponseDescription]) -> str:
        """The media type to ask for where it is not JSON; empty if JSON will do."""
        offered = [one.media_type for one in responses if one.status.startswith("2") and one.media_type]
        return "" if not offered or any(_is_json(one) or "*" in one for one in offered) else offered[0]

    def _security(self, value: dict[str, Any], place: Place, schemes: set[str]) -> tuple[tuple[str, ...], bool]:
        """(the sign-ins of which any will do, whether it says that it wants none). Several that must be met together are one alternative."""
        listed = value.get("security", self.root.get("security"))
        if not isinstance(listed, list):
            return (), False
        names: dict[str, None] = {}
        for one in listed:
            known = []
            for name in one if isinstance(one, dict) else ():
                if name not in schemes:
                    words = f'there is no security scheme "{name}"'
                    self.warn(place / "security", words, did_you_mean(str(name), schemes))
                else:
                    known.append(str(name))
            if len(known) > 1:
                together = " and ".join(known)
                if together not in self._combined:
                    words = "both must be met, and a connection signs in by one: send the other with every request"
                    self._combined[together] = SignInOffer(together, None, words)
                    self.warn(place / "security", f"{together} must be met together", words)
                names[together] = None
            elif known:
                names[known[0]] = None
        return tuple(names), not names and all(one == {} for one in listed)

    def _declared_schemas(self) -> Iterator[tuple[tuple[str | int, ...], Any]]:
        where = ("definitions",) if self.dialect == "2.0" else ("components", "schemas")
        for name, schema in self._member(*where).items():
            yield (*where, name), schema

    def _member(self, *steps: str) -> dict[str, Any]:
        value = self.root
        for step in steps:
            value = value.get(step) if isinstance(value, dict) else None
        return value if isinstance(value, dict) else {}


def _without_host(path: str, description: str = "") -> Server:
    """A server of which the document says the path alone: whoever connects gives the rest."""
    words = "the definition says the path alone: give scheme and host, such as https://register.example"
    return Server("{+origin}" + path, description or words, {"origin": ""})


@dataclass(frozen=True, slots=True)
class _DescribedBody:
    """What a definition says of a body of one media type. schema: translated.  encoding: of a form's fields, by name."""

    media_type: str
    schema: Schema
    place: Place
    required: bool
    description: str = ""
    example: Any = UNSET
    encoding: dict[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class _Field:
    """A field of a form, or part of a multipart body. schema: resolved.  items: that of the elements, of a list.  encoding: its Encoding Object."""

    name: str
    input: str
    schema: dict[str, Any]
    items: dict[str, Any]
    encoding: dict[str, Any]
    is_required: bool


def _part(field: _Field, headers: list[Parameter]) -> Part:
    """A list is sent as one part for each element."""
    one = field.items if input_type(field.schema) == "json" and field.items else field.schema
    listed = [media.strip() for media in _text(field.encoding, "contentType").split(",")]
    media = next((each for each in listed if each and "*" not in each), "")  # a range is nothing to send
    value = ValueOf(input=field.input)
    is_bytes = one.get("format") == "binary" or one.get("contentEncoding") in ("binary", "base64")
    if is_bytes or one.get("contentMediaType"):
        return Part(
            name=field.name,
            value=value,
            file_name=field.name,
            media_type=media or str(one.get("contentMediaType", "application/octet-stream")),
            encoding="base64",
            headers=headers,
        )
    if not media and input_type(one) == "json":
        media = "application/json"  # OpenAPI 3.1, "Encoding Object": the default of what is complex
    return Part(name=field.name, value=value, media_type=media, headers=headers)


def _form_field(field: _Field) -> Parameter:
    """In its style, if it has one (OpenAPI 3.1, "Encoding Object"); without, objects are JSON and lists one field for each."""
    said, explode = _text(field.encoding, "style"), field.encoding.get("explode")
    is_object = input_type(field.schema) == "json" and "items" not in field.schema
    is_styled = said or isinstance(explode, bool)
    style = (said or "form") if is_styled or not is_object else "json"
    if "json" in _text(field.encoding, "contentType") and not is_styled:
        style = "json"
    is_exploded = explode if isinstance(explode, bool) else style == "form"
    return Parameter(
        name=field.name,
        value=ValueOf(input=field.input),
        style=_query_style(style),
        explode=is_exploded or input_type(field.schema) != "json",
    )


def _old_encoding(parameter: dict[str, Any]) -> dict[str, Any]:
    """OpenAPI 2.0: how a list in a form is written."""
    if parameter.get("type") != "array":
        return {}
    style, is_exploded = _collection_style(parameter)
    return {"style": style, "explode": is_exploded}


def _collection_style(parameter: dict[str, Any]) -> tuple[str, bool]:
    """(style, whether it explodes) of a collectionFormat of OpenAPI 2.0."""
    form = str(parameter.get("collectionFormat", "csv"))
    return {"ssv": "spaceDelimited", "pipes": "pipeDelimited"}.get(form, "form"), form == "multi"


def _holds_nothing(body: Any) -> bool:
    """Whether a request body is declared without anything in it, as generators do for GET."""
    content = body.get("content", {}) if isinstance(body, dict) and "$ref" not in body else None
    schemas = (
        [one.get("schema") for one in content.values() if isinstance(one, dict)]
        if isinstance(content, dict)
        else [None]
    )
    return all(isinstance(one, dict) and one.get("type") == "object" and not one.get("properties") for one in schemas)


def _body_kind(media: str) -> str:
    """Which media types are written the same way."""
    kind = media.partition(";")[0].strip().lower()
    if _is_json(kind) or kind in ("*/*", "application/*"):
        return "json"
    return "xml" if kind.endswith(("/xml", "+xml")) else kind


def _query_style(style: str) -> Any:
    return style if style in ("spaceDelimited", "pipeDelimited", "deepObject", "json") else "form"


def _is_json(media: str) -> bool:
    kind = media.partition(";")[0].strip().lower()
    return kind in ("application/json", "text/json") or kind.endswith("+json")


def _unlike(content: dict[str, Any]) -> list[str]:
    """The media types of a body, what Rondine writes best first; of those that are written and described alike the first alone, and a range only
    where there is nothing else."""
    kept: list[tuple[str, str, Any]] = []
    for media in sorted(map(str, content), key=_rank):
        is_alike = any((kind, one) == (_body_kind(media), content.get(media)) for _, kind, one in kept)
        if not is_alike and not (kept and "*" in media):
            kept.append((media, _body_kind(media), content.get(media)))
    return [media for media, _, _ in kept]


def _rank(media: str) -> int:
    """The place of a media type among those that Rondine writes, the best first; equals in the order in which they stand."""
    kind = media.partition(";")[0].strip().lower()
    if kind == "application/json":
        return 0
    if _is_json(kind):
        return 1
    order = (*_FORMS, "application/xml", "text/xml", "text/plain")
    return 2 + order.index(kind) if kind in order else 9


def _text(holder: Any, name: str) -> str:
    value = holder.get(name) if isinstance(holder, dict) else None
    return value.strip() if isinstance(value, str) else ""


def _words(name: str) -> str:
    """ "listTreesByDistrict" -> "List trees by district"."""
    parted = re.sub(r"(?<=[a-z0-9])(?=[A-Z])|[_./-]+", " ", name).strip()
    return parted[:1].upper() + parted[1:].lower() if parted else ""
