"""What samples have in common: for each part how often it is there, null, whole or fractional, and examples of it.

A `Shape` gathers observations; it never forgets one, so more samples refine it in any order. Whole numbers widen to
numbers when a fractional one is met; null and missing are counted apart.

XML says less by itself than JSON: whether an element repeats, and whether it has attributes, is settled over all
samples before they are looked at, and what its texts could be (`Shape.formats`) stands for types.
"""

from collections import Counter
from collections.abc import Iterable, Mapping
from typing import Any

from rondine.core.documents.elements import TEXT
from rondine.core.schema.data_keys import Keys, settle_keys
from rondine.core.schema.formats import JSON_SCHEMA_FORMATS
from rondine.core.schema.shape import Shape


def infer(samples: Iterable[Any], *, is_xml: bool = False, keys: Mapping[str, Keys] | None = None) -> Shape:
    """The shape of one or more documents: values as `read_json` gives them, or with is_xml as `read_elements` does.

    keys: what people said of the keys of objects, by the outline's path; the others are judged by how they look."""
    shape = Shape()
    for sample in settled(list(samples)) if is_xml else samples:
        shape.add(sample)
    if not is_xml:
        settle_keys(shape, keys or {})
    return shape


class _Seen:
    """What was seen of an element over all samples."""

    __slots__ = ("holds", "members", "repeats")

    def __init__(self) -> None:
        self.repeats = self.holds = False
        self.members: dict[str, _Seen] = {}

    def look(self, value: Any) -> None:
        if isinstance(value, list):
            self.repeats = True
            for one in value:
                self.look(one)
        elif isinstance(value, dict):
            self.holds = True
            for name, member in value.items():
                self.members.setdefault(name, _Seen()).look(member)

    def made(self, value: Any) -> Any:
        if isinstance(value, list):
            return [self.one(each) for each in value]
        return [self.one(value)] if self.repeats else self.one(value)

    def one(self, value: Any) -> Any:
        if isinstance(value, dict):
            return {name: self.members[name].made(member) for name, member in value.items()}
        if isinstance(value, str):
            value = value.strip()  # as conversions to other types than text do
            return {TEXT: value} if self.holds and value else {} if self.holds else value
        return value


def settled(samples: list[Any]) -> list[Any]:
    """XML values in which an element that repeats anywhere is a list everywhere, and one that has attributes or parts
    anywhere an object."""
    seen = _Seen()
    for sample in samples:
        seen.look(sample)
    return [seen.one(sample) if not isinstance(sample, list) else seen.made(sample) for sample in samples]


#: What the texts of an element could be, as JSON Schema's types, the most special first.
_OF_TEXTS = {"whole": "integer", "numeral": "number", "boolean": "boolean"}


def text_type(shape: Shape) -> str:
    """JSON Schema's type that all texts of an element have: integer, number, boolean, or string."""
    return next((kind for word, kind in _OF_TEXTS.items() if shape.formats and word in shape.formats), "string")


def to_json_schema(
    shape: Shape, *, top: bool = True, is_xml: bool = False, namespaces: Mapping[str, str] | None = None
) -> dict[str, Any]:
    """JSON Schema 2020-12. Members seen in every object are required; those that come with a text of another, with that
    text; what stands under keys that are data is additionalProperties.

    is_xml: members are called by their local names, with what they are in XML beside them (OpenAPI 3.1, "XML Object").
    namespaces: by prefix.
    """
    schema: dict[str, Any] = {"$schema": "https://json-schema.org/draft/2020-12/schema"} if top else {}
    types = shape.types
    if is_xml and types[0] == "string":
        types = [text_type(shape), *types[1:]]
    schema["type"] = types[0] if len(types) == 1 else types
    if is_xml:
        return _xml_schema(schema, shape, namespaces or {})
    if shape.values is not None:
        schema["additionalProperties"] = to_json_schema(shape.values, top=False)
    elif shape.kinds["object"]:
        schema["properties"] = {name: to_json_schema(member, top=False) for name, member in shape.members.items()}
        schema["required"] = [name for name, member in shape.members.items() if member.seen == shape.kinds["object"]]
        if alternatives := shape.variants.alternatives():
            schema["allOf"] = [
                {
                    "if": {"properties": {alternatives.field: {"const": text}}, "required": [alternatives.field]},
                    "then": {"required": list(members)},
                }
                for text, members in alternatives.by_text.items()
                if members
            ]
    if shape.element is not None and shape.element.seen:
        schema["items"] = to_json_schema(shape.element, top=False)
    if shape.format in JSON_SCHEMA_FORMATS and types[0] == "string":
        schema["format"] = shape.format
    return schema


def _xml_schema(schema: dict[str, Any], shape: Shape, namespaces: Mapping[str, str]) -> dict[str, Any]:
    if shape.kinds["object"]:
        called = {name: name.removeprefix("@").rpartition(":")[2] for name in shape.members}
        once = Counter(called.values())
        names = {name: plain if once[plain] == 1 else name for name, plain in called.items()}
        schema["properties"] = {}
        for name, member in shape.members.items():
            made = to_json_schema(member, top=False, is_xml=True, namespaces=namespaces)
            about = _xml_object(name, names[name], namespaces)
            holder = made["items"] if made.get("type") == "array" and isinstance(made.get("items"), dict) else made
            schema["properties"][names[name]] = made
            if about:
                holder["xml"] = about
        schema["required"] = [names[name] for name, one in shape.members.items() if one.seen == shape.kinds["object"]]
    if shape.element is not None and shape.element.seen:
        schema["items"] = to_json_schema(shape.element, top=False, is_xml=True, namespaces=namespaces)
    if schema["type"] == "string" and shape.format in JSON_SCHEMA_FORMATS:
        schema["format"] = shape.format
    return schema


def _xml_object(step: str, name: str, namespaces: Mapping[str, str]) -> dict[str, Any]:
    """What a member is in XML, beside its name in JSON; nodeType is OpenAPI 3.2's word for what 3.1 cannot say."""
    if step == TEXT:
        return {"nodeType": "text"}
    prefix, _, plain = step.removeprefix("@").rpartition(":")
    about: dict[str, Any] = {"attribute": True} if step.startswith("@") else {}
    if plain != name:
        about["name"] = plain
    if prefix in namespaces:
        about |= {"namespace": namespaces[prefix], "prefix": prefix}
    return about
