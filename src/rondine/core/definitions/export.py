"""A service as an OpenAPI 3.1 document, also one that never had a definition: what was sampled is described by what was
seen.

Read again, it gives the same operations, inputs and schemas. What OpenAPI cannot say is listed beside: two operations
at one method and path, standing values, values put together of several parts.
"""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import uritemplate
from msgspec import UNSET, structs

from rondine.core.definitions.inputs import input_name, schema_of_bounds
from rondine.core.definitions.openapi_bodies import media_rank
from rondine.core.errors import Problem
from rondine.core.http.templates import template_fault, template_names
from rondine.core.operations.document import (
    Body,
    BytesBody,
    FormBody,
    GraphQLBody,
    JsonBody,
    MultipartBody,
    OperationDocument,
    Parameter,
    Part,
    ResponseHeader,
    SoapBody,
    TextBody,
    XmlBody,
)
from rondine.core.operations.inputs import Input
from rondine.core.operations.odata import ODataQuery
from rondine.core.operations.values import Value, ValueOf
from rondine.core.pagination import LinkHeader
from rondine.core.protocols.odata import path_template
from rondine.core.protocols.soap import media_type
from rondine.core.schema.json_schema import PLAIN, Schema, types_of
from rondine.core.settings import dump
from rondine.core.signin import (
    ApiKey,
    AuthorizationCode,
    Basic,
    Bearer,
    ClientCertificate,
    ClientCredentials,
    Digest,
    NoSignIn,
    PasswordGrant,
    SignIn,
)

_OBJECT: dict[str, Any] = {"type": "object", "properties": {}}
_TYPES: dict[str, dict[str, Any]] = {**PLAIN, "json": {"type": ["object", "array"]}}


@dataclass(frozen=True, slots=True)
class ExportedOperation:
    """One operation to describe. sampled: JSON Schema of its sampled responses, used where no definition describes
    them."""

    name: str
    title: str
    document: OperationDocument
    sampled: dict[str, Any] | None = None


@dataclass(frozen=True, slots=True)
class Exported:
    """document: OpenAPI 3.1.  unsaid: what it cannot say, with the operation in `where`."""

    document: dict[str, Any]
    unsaid: list[Problem] = field(default_factory=list)


def to_openapi(
    *,
    title: str,
    operations: Sequence[ExportedOperation],
    schemas: Mapping[str, Schema],
    version: str = "1",
    description: str = "",
    documentation: str = "",
    address: str = "",
    blanks: Mapping[str, str] | None = None,
    sign_in: SignIn | None = None,
) -> Exported:
    """address: the base address, an RFC 6570 template; blanks: values for its places.  sign_in: that of the connection,
    without secrets."""
    writer = _Writer()
    paths: dict[str, dict[str, Any]] = {}
    for exported_operation in map(_with_odata_path, operations):
        path = _openapi_path(exported_operation.document.path)
        item = paths.setdefault(path, {})
        method = exported_operation.document.method.lower()
        if method in item:
            there = item[method]["operationId"]
            asked = f"{exported_operation.document.method} {path}"
            words = f"{asked} is described as {there} already; OpenAPI has one operation for both"
            writer.unsaid.append(Problem(exported_operation.name, words, "both are kept in Rondine's own export"))
            continue
        item[method] = writer.operation(exported_operation)
    document: dict[str, Any] = {"openapi": "3.1.0", "info": {"title": title, "version": version or "1"}}
    if description:
        document["info"]["description"] = description
    if documentation:
        document["externalDocs"] = {"url": documentation}
    if address:
        document["servers"] = [_server(address, blanks or {})]
    scheme = _security_scheme(sign_in)
    if scheme:
        document["security"] = [{"signIn": []}]
    document["paths"] = paths
    components: dict[str, Any] = {}
    if schemas:
        components["schemas"] = {name: _moved(one) for name, one in schemas.items()}
    if scheme:
        components["securitySchemes"] = {"signIn": scheme}
    if components:
        document["components"] = components
    return Exported(document, writer.unsaid)


def _with_odata_path(one: ExportedOperation) -> ExportedOperation:
    """An OData operation with its key, navigation and arguments in its path, where OpenAPI looks for them."""
    query = one.document.odata
    if query is None or not (template := path_template(query)):
        return one
    aliases = [
        Parameter(name=f"@{each.name}", value=each.value, style="json") for each in query.arguments if each.as_json
    ]
    path = one.document.path.rstrip("/") + template
    return replace(one, document=structs.replace(one.document, path=path, query=[*one.document.query, *aliases]))


def _chosen_in(query: ODataQuery) -> list[str]:
    """The system query options that a query always sends."""
    return [
        f"${name}"
        for name, held in (
            ("select", query.select),
            ("filter", query.filter),
            ("orderby", query.order),
            ("expand", query.expand),
        )
        if held
    ]


def _openapi_path(template: str) -> str:
    """The template with plain places; OpenAPI says the style beside the parameter."""
    return re.sub(r"\{[.;]?([\w.%]+)(?:\*|:\d+)?\}", r"{\1}", re.sub(r"\{[?&][^}]*\}", "", template))


def _server(address: str, blanks: Mapping[str, str]) -> dict[str, Any]:
    names = template_names(address)
    url = re.sub(r"\{\+?(\w+)\}", r"{\1}", address)
    return {"url": url, **({"variables": {name: {"default": blanks.get(name, "")} for name in names}} if names else {})}


def _moved(schema: Any) -> Any:
    """References from `#/$defs/` to `#/components/schemas/`."""
    if isinstance(schema, dict):
        return {
            name: value.replace("#/$defs/", "#/components/schemas/")
            if name == "$ref" and isinstance(value, str)
            else _moved(value)
            for name, value in schema.items()
        }
    return [_moved(one) for one in schema] if isinstance(schema, list) else schema


class _Writer:
    def __init__(self) -> None:
        self.unsaid: list[Problem] = []

    def operation(self, one: ExportedOperation) -> dict[str, Any]:
        document = one.document
        inputs = {each.name: each for each in document.inputs}
        out: dict[str, Any] = {"operationId": one.name}
        if one.title:
            out["summary"] = one.title
        if document.description:
            out["description"] = document.description
        if document.tags:
            out["tags"] = list(document.tags)
        if document.deprecated:
            out["deprecated"] = True
        if document.odata is not None and (chosen := _chosen_in(document.odata)):
            words = f"what is chosen by {', '.join(chosen)} is part of the address, and not said here"
            self.unsaid.append(Problem(one.name, words, ""))
        if document.documentation:
            out["externalDocs"] = {"url": document.documentation}
        parameters = [*self._path_parameters(document, inputs)]
        for place, group in (("query", document.query), ("header", document.headers), ("cookie", document.cookies)):
            for each in group:
                if each.enabled and (made := self._parameter(one.name, place, each, inputs)) is not None:
                    parameters.append(made)
        if parameters:
            out["parameters"] = parameters
        if document.body is not None:
            out["requestBody"] = self._bodies(one, inputs)
        out["responses"] = self._responses(one)
        return out

    def _path_parameters(self, document: OperationDocument, inputs: Mapping[str, Input]) -> list[dict[str, Any]]:
        found = []
        template = "" if template_fault(document.path) else document.path
        for variable in uritemplate.URITemplate(template).variables:
            style = {".": "label", ";": "matrix"}.get(variable.operator.value)
            place = "query" if variable.operator.value in ("?", "&") else "path"
            for name, options in variable.variables:
                made = {"name": name, "in": place, **described_input(inputs.get(name), is_path=place == "path")}
                if style:
                    made["style"] = style
                if options.get("explode"):
                    made["explode"] = True
                found.append(made)
        return found

    def _parameter(
        self, operation: str, place: str, one: Parameter, inputs: Mapping[str, Input]
    ) -> dict[str, Any] | None:
        if place == "header" and one.name.lower() in ("accept", "content-type", "authorization"):
            return None
        made: dict[str, Any] = {"name": one.name, "in": place}
        match one.value:
            case ValueOf(input=name) if name:
                made |= described_input(inputs.get(name))
            case str():
                return {**made, "required": True, "schema": {"type": "string", "const": one.value}}
            case _:
                self._unsaid(operation, one.name)
                return {**made, "schema": {"type": "string"}}
        if one.style == "json":
            return {
                **{key: value for key, value in made.items() if key != "schema"},
                "content": {"application/json": {"schema": made["schema"]}},
            }
        if one.style != "form":
            made["style"] = one.style
        is_list = inputs[one.value.input].type == "json" if one.value.input in inputs else False
        if is_list and one.explode != (place == "query" and one.style == "form"):
            made["explode"] = one.explode
        if input_name(one.name) != one.value.input:
            made["x-input"] = one.value.input
        return made

    def _unsaid(self, operation: str, name: str) -> None:
        words = f'"{name}" is a standing value or put together of parts; the document says only that it is a text'
        self.unsaid.append(Problem(operation, words, ""))

    def _bodies(self, one: ExportedOperation, inputs: Mapping[str, Input]) -> dict[str, Any]:
        """The body that is sent, and those that may be sent in its place."""
        out = self._body(one, one.document.body, inputs)
        for other in one.document.other_bodies:
            own = {**inputs, **{each.name: each for each in other.inputs}}
            out["content"] = {**self._body(one, other.body, own)["content"], **out["content"]}
        medias = list(out["content"])
        if media_rank(medias[-1]) > min(map(media_rank, medias)):
            words = f"{medias[-1]} is sent; the document only says which bodies there may be"
            self.unsaid.append(Problem(one.name, words, ""))
        return out

    def _body(self, one: ExportedOperation, body: Body | None, inputs: Mapping[str, Input]) -> dict[str, Any]:
        encoding: dict[str, Any] = {}
        schema: dict[str, Any] = {}
        match body:
            case JsonBody(members=members, media_type=media):
                is_required = not body.optional
                for member in members:
                    part, required = self._value_schema(one.name, member.at, member.value, inputs)
                    from_step = 0 if required else None
                    if member.required_in is not None:
                        from_step = member.required_in.count("/")
                    _place(schema, member.at.split("/")[1:], part, required_from=from_step)
            case FormBody(fields=fields):
                media, schema, is_required = "application/x-www-form-urlencoded", _OBJECT, not body.optional
                for each in fields:
                    part, required = self._value_schema(one.name, each.name, each.value, inputs)
                    if each.style != "form" or not each.explode or part.get("type") == "object":
                        encoding[each.name] = (
                            {"contentType": "application/json"}
                            if each.style == "json"
                            else {"style": each.style, "explode": each.explode}
                        )
                    schema = _with_field(schema, each.name, part, required=required or each.name in body.required)
            case MultipartBody(parts=parts):
                media, schema, is_required = "multipart/form-data", _OBJECT, not body.optional
                for file in parts:
                    part, required = self._value_schema(one.name, file.name, file.value, inputs)
                    is_list = part.get("type") == _TYPES["json"]["type"] and file.media_type != "application/json"
                    if file.encoding == "base64":
                        file_kind = {"contentMediaType": file.media_type or "application/octet-stream"}
                        items = {"type": "string", **file_kind}
                        part = {**part, **({"type": "array", "items": items} if is_list else items)}
                    elif is_list:
                        part = {**part, "type": "array", "items": {"type": "string"}}
                    if said := self._part_encoding(one.name, file, inputs):
                        encoding[file.name] = said
                    schema = _with_field(schema, file.name, part, required=required or file.name in body.required)
            case GraphQLBody():
                media = "application/json"
                schema = {
                    "type": "object",
                    "required": ["query"],
                    "properties": {"query": {"type": "string", "const": body.query}},
                }
                for member in body.variables:
                    part, required = self._value_schema(one.name, member.at, member.value, inputs)
                    steps = ["variables", *member.at.split("/")[1:]]
                    _place(schema, steps, part, required_from=0 if required else None)
                is_required = True
            case SoapBody() | XmlBody():
                if isinstance(body, SoapBody):
                    media = media_type(body.version, body.action)
                else:
                    media = body.media_type
                    words = "the body is XML put together of elements; the document says only that it is a text"
                    self.unsaid.append(Problem(one.name, words, ""))
                return {"required": True, "content": {media: {"schema": {"type": "string"}}}}
            case TextBody(media_type=media, content=content) | BytesBody(media_type=media, content=content):
                schema, is_required = self._value_schema(one.name, "body", content, inputs)
                if isinstance(body, BytesBody):
                    schema = {}
            case None:
                return {}
        described = {**({"schema": schema} if schema else {}), **({"encoding": encoding} if encoding else {})}
        return {**({"required": True} if is_required else {}), "content": {media: described}}

    def _part_encoding(self, operation: str, part: Part, inputs: Mapping[str, Input]) -> dict[str, Any]:
        """The Encoding Object of a part."""
        headers = {}
        for header in part.headers:
            made = self._parameter(operation, "header", header, inputs) or {}
            headers[header.name] = {key: value for key, value in made.items() if key not in ("name", "in", "x-input")}
        return {
            **({"contentType": part.media_type} if part.media_type else {}),
            **({"headers": headers} if headers else {}),
        }

    def _value_schema(
        self, operation: str, name: str, value: Value, inputs: Mapping[str, Input]
    ) -> tuple[dict[str, Any], bool]:
        """(the schema of a value, whether it is always sent)."""
        match value:
            case ValueOf(input=given) if given in inputs:
                input_ = inputs[given]
                found = described_input(input_)
                schema = found["schema"]
                if input_.description:
                    schema = {**schema, "description": input_.description}
                if "example" in found:
                    schema = {**schema, "examples": [found["example"]]}
                return schema, input_.required
            case str():
                return {"type": "string", "const": value}, True
            case _:
                self._unsaid(operation, name)
                return {"type": "string"}, True

    def _responses(self, one: ExportedOperation) -> dict[str, Any]:
        out: dict[str, Any] = {}
        for each in one.document.responses:
            made = out.setdefault(each.status, {"description": each.description or _meaning(each.status)})
            if each.headers:
                made["headers"] = {header.name: _header(header) for header in each.headers}
            if each.media_type:
                content = {} if each.schema is None else {"schema": _moved(each.schema)}
                made.setdefault("content", {})[each.media_type] = content
        if not out and one.sampled is not None:
            schema = {name: value for name, value in one.sampled.items() if name != "$schema"}
            out["200"] = {"description": "as it was sampled", "content": {"application/json": {"schema": schema}}}
        if isinstance(one.document.paging, LinkHeader):
            link = {"description": "the next page (RFC 8288)", "schema": {"type": "string"}}
            for status, made in out.items():
                if status.startswith("2"):
                    made["headers"] = {"Link": link, **made.get("headers", {})}
        return out or {"default": {"description": "not described"}}


def _meaning(status: str) -> str:
    return (
        "any other"
        if status == "default"
        else {"2": "it worked", "4": "it is refused", "5": "it failed"}.get(status[0], "")
    )


def _header(one: ResponseHeader) -> dict[str, Any]:
    return {
        "schema": _moved(one.schema),
        **({"required": True} if one.required else {}),
        **({"description": one.description} if one.description else {}),
    }


def described_input(one: Input | None, *, is_path: bool = False) -> dict[str, Any]:
    """A parameter's schema, example and whether it is required."""
    if one is None:
        return {"required": True, "schema": {"type": "string"}}
    schema: dict[str, Any] = {**_TYPES[one.type]}
    if one.allowed:
        schema["enum"] = list(one.allowed)
    schema |= schema_of_bounds(one.bounds)
    if one.default is not UNSET:
        schema["default"] = _typed(one.default, one.type)
    out: dict[str, Any] = {"schema": schema}
    if one.required or is_path:
        out["required"] = True
    if one.description:
        out["description"] = one.description
    if one.try_value is not UNSET and one.try_value is not None:
        out["example"] = _typed(one.try_value, one.type)
    return out


def _typed(value: Any, kind: str) -> Any:
    """A default or example as JSON has it: decimals are kept as texts in the operation."""
    if kind == "decimal" and isinstance(value, str) and re.fullmatch(r"-?\d{1,15}(\.\d{1,15})?", value):
        return float(value) if "." in value else int(value)
    return dump(value)


def _place(schema: dict[str, Any], steps: list[str], part: dict[str, Any], *, required_from: int | None) -> None:
    """Puts a value's schema at its place within an object's. required_from: the steps from this one on are required,
    each in the one before."""
    if not steps:
        schema.update(part)
        return
    name = steps[0].replace("~1", "/").replace("~0", "~")
    if re.fullmatch(r"\d+|-", name) and types_of(schema) != ["object"]:
        schema["type"] = "array"
        inner = schema.setdefault("items", {})
    else:
        schema["type"] = "object"
        inner = schema.setdefault("properties", {}).setdefault(name, {})
        if required_from is not None and required_from <= 0:
            schema["required"] = list(dict.fromkeys([*schema.get("required", []), name]))
    _place(inner, steps[1:], part, required_from=None if required_from is None else required_from - 1)


def _with_field(schema: dict[str, Any], name: str, part: dict[str, Any], *, required: bool) -> dict[str, Any]:
    """An object's schema with one more field."""
    return {
        **schema,
        "properties": {**schema["properties"], name: part},
        **({"required": [*schema.get("required", []), name]} if required else {}),
    }


def _security_scheme(sign_in: SignIn | None) -> dict[str, Any] | None:
    match sign_in:
        case ApiKey(name=name, carrier=carrier) if carrier != "body":
            return {"type": "apiKey", "name": name, "in": carrier}
        case Basic():
            return {"type": "http", "scheme": "basic"}
        case Digest():
            return {"type": "http", "scheme": "digest"}
        case Bearer():
            return {"type": "http", "scheme": "bearer"}
        case ClientCertificate():
            return {"type": "mutualTLS"}
        case ClientCredentials():
            return _flows("clientCredentials", tokenUrl=sign_in.token_address, scopes=_scopes(sign_in.scope))
        case PasswordGrant():
            return _flows("password", tokenUrl=sign_in.token_address, scopes=_scopes(sign_in.scope))
        case AuthorizationCode():
            return _flows(
                "authorizationCode",
                authorizationUrl=sign_in.authorization_address,
                tokenUrl=sign_in.token_address,
                scopes=_scopes(sign_in.scope),
            )
        case NoSignIn() | None:
            return None
    return None


def _flows(flow: str, **parts: Any) -> dict[str, Any]:
    return {"type": "oauth2", "flows": {flow: parts}}


def _scopes(scope: str) -> dict[str, str]:
    return dict.fromkeys(scope.split(), "")
