"""The bodies that OpenAPI describes: JSON taken apart into members, forms and parts in the styles of their encoding,
texts and bytes; one is sent, the others are kept to choose from.
"""

from dataclasses import dataclass, field
from functools import partial
from typing import Any

from msgspec import UNSET

from rondine.core.definitions.files import Broken, Place
from rondine.core.definitions.inputs import BodyReader, Inputs, each_with_inputs, input_type
from rondine.core.definitions.openapi_reading import Reading, collection_style, is_json, query_style, text_in
from rondine.core.media_types import bare_media_type
from rondine.core.operations.document import (
    READING,
    Body,
    BytesBody,
    FormBody,
    JsonBody,
    MultipartBody,
    OtherBody,
    Parameter,
    Part,
    TextBody,
)
from rondine.core.operations.values import ValueOf
from rondine.core.protocols.body_choice import to_choose_from
from rondine.core.schema.json_schema import Schema

#: Kinds of bodies of one request that are kept.
MOST_BODIES = 4
_FORMS = ("application/x-www-form-urlencoded", "multipart/form-data")


class Bodies:
    """Reads the bodies of operations."""

    def __init__(self, reading: Reading) -> None:
        self.reading = reading

    def of(
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
                self.reading.warn(place, words, "the body is left out")
            return None, []
        if self.reading.dialect == "2.0":
            offered = self._old_bodies(value, parameters, place)
        else:
            offered = self._described_bodies(value, place)
        return to_choose_from(
            each_with_inputs([partial(self._made_body, described_body) for described_body in offered], inputs)
        )

    def _described_bodies(self, value: dict[str, Any], place: Place) -> list["_DescribedBody"]:
        if "requestBody" not in value:
            return []
        try:
            holder, at = self.reading.files.follow(value["requestBody"], place / "requestBody")
        except Broken as error:
            self.reading.warn(error.place, f"the request body is left out: {error.message}", error.hint)
            return []
        content = holder.get("content") if isinstance(holder, dict) else None
        if not isinstance(content, dict) or not content:
            return []
        chosen = _unlike(content)
        if left := chosen[MOST_BODIES:]:
            words = f"the body may be one of {len(chosen)} kinds: the first {MOST_BODIES} are kept"
            self.reading.warn(at / "content", words, f"left out: {', '.join(left)[:300]}")
        out = []
        for media in chosen[:MOST_BODIES]:
            described = content[media] if isinstance(content[media], dict) else {}
            here = at / "content" / media
            said = described.get("encoding")
            out.append(
                _DescribedBody(
                    media,
                    self.reading.schemas.translated(described.get("schema", True), here / "schema"),
                    here,
                    required=holder.get("required") is True,
                    description=text_in(holder, "description"),
                    example=self.reading.example(described, here),
                    encoding=said if isinstance(said, dict) else {},
                )
            )
        return out

    def _old_bodies(
        self, value: dict[str, Any], parameters: list[tuple[dict[str, Any], Place]], place: Place
    ) -> list["_DescribedBody"]:
        """OpenAPI 2.0: one parameter in the body, or several in a form, of any of the media types."""
        listed = value.get("consumes", self.reading.root.get("consumes"))
        consumes = [str(one) for one in listed] if isinstance(listed, list) and listed else ["application/json"]
        offered = _unlike(dict.fromkeys(consumes))
        whole = next(((one, at) for one, at in parameters if one["in"] == "body"), None)
        if whole:
            parameter, at = whole
            return [
                _DescribedBody(
                    media,
                    self.reading.schemas.translated(parameter.get("schema", True), at / "schema"),
                    at,
                    required=parameter.get("required") is True,
                    description=text_in(parameter, "description"),
                    example=self.reading.example(parameter, at),
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
                one["name"]: self.reading.schemas.translated(
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
        kind = bare_media_type(media)
        if _body_kind(media) == "json":
            reader = BodyReader(self.reading.schemas, inputs)
            members = reader.read(described.schema, required=required, example=example, description=description)
            return JsonBody(
                members=members,
                media_type=media if is_json(kind) and "*" not in kind else "application/json",
                optional=not required,
            )
        found, seen = self.reading.schemas.resolved(described.schema)
        properties = found.get("properties")
        if kind in _FORMS and isinstance(properties, dict):
            parts = []
            for name, one in properties.items():
                inner, _ = self.reading.schemas.resolved(one, seen)
                if inner.get("readOnly") is True:
                    continue
                own = example.get(name, UNSET) if isinstance(example, dict) else UNSET
                is_required = required and name in found.get("required", [])
                given = inputs.add(
                    str(name), inner, required=is_required, example=own, prefix="body", is_left_out=not required
                )
                items = self.reading.schemas.resolved(inner["items"], seen)[0] if "items" in inner else {}
                said = encoding.get(name)
                parts.append(
                    _Field(str(name), given, inner, items, said if isinstance(said, dict) else {}, is_required)
                )
            wanted = [] if required else [part.name for part in parts if part.name in found.get("required", [])]
            if kind == "multipart/form-data":
                made = [
                    _part(part, self._part_headers(part, inputs, described.place / "encoding" / part.name))
                    for part in parts
                ]
                return MultipartBody(parts=made, optional=not required, required=wanted)
            return FormBody(fields=[_form_field(part) for part in parts], optional=not required, required=wanted)
        if kind.startswith("text/") or kind.endswith(("xml", "yaml", "csv", "ndjson")):
            text = example if isinstance(example, str) else UNSET
            given = inputs.add("body", {"type": "string"}, required=required, description=description, example=text)
            return TextBody(media_type=media, content=ValueOf(input=given))
        words = f"{description} (bytes, as base64)".strip()
        given = inputs.add("body", {"type": "string"}, required=required, description=words)
        return BytesBody(media_type=media, content=ValueOf(input=given))

    def _part_headers(self, part: "_Field", inputs: Inputs, place: Place) -> list[Parameter]:
        """The headers of a part of a multipart body, each with an input (OpenAPI 3.1, "Encoding Object"); a style that
        parts do not have is told."""
        if part.encoding.get("style", "form") != "form" or part.encoding.get("explode") is False:
            words = "the style of a part of a multipart body: not sent"
            self.reading.warn(place, words, "a list is sent as one part for each element")
        out = []
        for label, header, at in self.reading.headers(part.encoding.get("headers"), place / "headers"):
            if label.lower() in ("content-type", "content-disposition"):
                continue  # Content-Type is said by contentType, the other by the part itself
            schema = self.reading.schemas.resolved(
                self.reading.schemas.translated(header.get("schema", True), at / "schema")
            )[0]
            given = inputs.add(
                f"{part.name}_{label}",
                schema,
                required=part.is_required and header.get("required") is True,
                description=text_in(header, "description"),
                example=self.reading.example(header, at),
                prefix="body",
            )
            out.append(Parameter(name=label, value=ValueOf(input=given), explode=header.get("explode") is True))
        return out


@dataclass(frozen=True, slots=True)
class _DescribedBody:
    """What a definition says of a body of one media type. schema: translated.  encoding: of a form's fields, by
    name."""

    media_type: str
    schema: Schema
    place: Place
    required: bool
    description: str = ""
    example: Any = UNSET
    encoding: dict[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class _Field:
    """A field of a form, or part of a multipart body. schema: resolved.  items: that of the elements, of a list.
    encoding: its Encoding Object."""

    name: str
    input: str
    schema: dict[str, Any]
    items: dict[str, Any]
    encoding: dict[str, Any]
    is_required: bool


def _part(field: _Field, headers: list[Parameter]) -> Part:
    """A list is sent as one part for each element."""
    one = field.items if input_type(field.schema) == "json" and field.items else field.schema
    listed = [media.strip() for media in text_in(field.encoding, "contentType").split(",")]
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
    """In its style, if it has one (OpenAPI 3.1, "Encoding Object"); without, objects are JSON and lists one field for
    each."""
    said, explode = text_in(field.encoding, "style"), field.encoding.get("explode")
    is_object = input_type(field.schema) == "json" and "items" not in field.schema
    is_styled = said or isinstance(explode, bool)
    style = (said or "form") if is_styled or not is_object else "json"
    if "json" in text_in(field.encoding, "contentType") and not is_styled:
        style = "json"
    is_exploded = explode if isinstance(explode, bool) else style == "form"
    return Parameter(
        name=field.name,
        value=ValueOf(input=field.input),
        style=query_style(style),
        explode=is_exploded or input_type(field.schema) != "json",
    )


def _old_encoding(parameter: dict[str, Any]) -> dict[str, Any]:
    """OpenAPI 2.0: how a list in a form is written."""
    if parameter.get("type") != "array":
        return {}
    style, is_exploded = collection_style(parameter)
    return {"style": style, "explode": is_exploded}


def _holds_nothing(body: Any) -> bool:
    """Whether a request body is declared without anything in it, as generators do for GET."""
    content = body.get("content", {}) if isinstance(body, dict) and "$ref" not in body else None
    schemas = (
        [one.get("schema") for one in content.values() if isinstance(one, dict)]
        if isinstance(content, dict)
        else [None]
    )
    return all(
        isinstance(schema, dict) and schema.get("type") == "object" and not schema.get("properties")
        for schema in schemas
    )


def _body_kind(media: str) -> str:
    """Which media types are written the same way."""
    kind = bare_media_type(media)
    if is_json(kind) or kind in ("*/*", "application/*"):
        return "json"
    return "xml" if kind.endswith(("/xml", "+xml")) else kind


def _unlike(content: dict[str, Any]) -> list[str]:
    """The media types of a body, what Rondine writes best first; of those that are written and described alike the
    first alone, and a range only where there is nothing else."""
    kept: list[tuple[str, str, Any]] = []
    for media in sorted(map(str, content), key=media_rank):
        is_alike = any((kind, one) == (_body_kind(media), content.get(media)) for _, kind, one in kept)
        if not is_alike and not (kept and "*" in media):
            kept.append((media, _body_kind(media), content.get(media)))
    return [media for media, _, _ in kept]


def media_rank(media: str) -> int:
    """The place of a media type among those that Rondine writes, the best first; equals in the order in which they
    stand."""
    kind = bare_media_type(media)
    if kind == "application/json":
        return 0
    if is_json(kind):
        return 1
    order = (*_FORMS, "application/xml", "text/xml", "text/plain")
    return 2 + order.index(kind) if kind in order else 9
