"""Forms and JSON Schemas drawn from documents: one field for each of a document's, with its kind, default, choices and
help text.

What a field is stands with it: `Annotated[..., Meta(title=..., description=...)]`; a title only where the field's name
does not say it. What the whole is stands in the class's docstring.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from inspect import cleandoc
from types import NoneType, UnionType
from typing import Annotated, Any, Literal, Union, get_args, get_origin, get_type_hints

import msgspec

from rondine.core.settings import Document, documents_in, dump


@dataclass(frozen=True, slots=True)
class FormField:
    """kind: text, long_text, choice, choices (any number of them), integer, number, boolean, list (of texts), integers
    (a list of them), map (text to text) or json (anything else)."""

    name: str
    title: str
    kind: str
    help: str = ""
    default: Any = None
    choices: list[str] = field(default_factory=list)
    is_required: bool = False
    is_rare: bool = False


@dataclass(frozen=True, slots=True)
class Form:
    """type: the tag in the stored form, empty if it has none.  words: what the whole is.  may_be_none: of a part that
    can be left out altogether."""

    type: str
    title: str
    words: str
    fields: list[FormField]
    may_be_none: bool = False


def form_of(kind: type[Document]) -> Form:
    """The form of one document class, with the fields it inherits."""
    hints = get_type_hints(kind, include_extras=True)
    form_fields = []
    for one in msgspec.structs.fields(kind):
        shape, choices = _shape(hints[one.name])
        default = (
            None
            if one.required or one.default is msgspec.UNSET
            else dump(one.default if one.default is not msgspec.NODEFAULT else one.default_factory())
        )
        title, help_text, extra = _said_of(hints[one.name])
        form_fields.append(
            FormField(
                one.encode_name,
                title or title_of(one.name),
                extra.get("form", shape),
                help_text,
                default,
                choices,
                one.required,
                one.name in kind.RARE,
            )
        )
    own = set(kind.__annotations__)
    form_fields.sort(key=lambda one: (one.is_rare, one.name not in own))
    tag = str(kind.__struct_config__.tag or "")
    return Form(tag, title_of(tag or kind.__name__), _words_of(kind), form_fields)


def forms_of_parts(kind: type[Document]) -> dict[str, Form]:
    """The forms of those fields, by name, that are documents of one class, or none; each has its field's title."""
    plain, hints = get_type_hints(kind), get_type_hints(kind, include_extras=True)
    found = {}
    for one in msgspec.structs.fields(kind):
        is_union = get_origin(plain[one.name]) in (Union, UnionType)
        parts = get_args(plain[one.name]) if is_union else (plain[one.name],)
        classes = [part for part in parts if part is not NoneType]
        if len(classes) == 1 and isinstance(classes[0], type) and issubclass(classes[0], Document):
            title = _said_of(hints[one.name])[0] or title_of(one.name)
            found[one.name] = replace(form_of(classes[0]), title=title, may_be_none=NoneType in parts)
    return found


def document_schema(kind: Any) -> dict[str, Any]:
    """JSON Schema 2020-12 of a document by itself, for editors: its parts under $defs, each field with its help
    text."""
    schema: dict[str, Any] = msgspec.json.schema(kind)
    _describe(schema.get("$defs", {}), kind)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}


def component_schema(kind: Any) -> tuple[dict[str, Any], dict[str, Any]]:
    """The same for an OpenAPI document: (the schema, the components it refers to under #/components/schemas/)."""
    (schema,), components = msgspec.json.schema_components([kind], ref_template="#/components/schemas/{name}")
    _describe(components, kind)
    return schema, components


def _describe(parts: dict[str, Any], kind: Any) -> None:
    """Puts what docstrings say with the parts that they say it of, on one line."""
    documents = documents_in(kind)
    for name in parts.keys() & documents.keys():
        parts[name]["description"] = _words_of(documents[name])


def _words_of(kind: type[Document]) -> str:
    return " ".join(cleandoc(kind.__doc__ or "").split())


def _said_of(hint: Any) -> tuple[str, str, Mapping[str, Any]]:
    """(title, description, what else its form needs) of a field; what stands furthest out counts."""
    title, description = "", ""
    extra: dict[str, Any] = {}
    for meta in getattr(hint, "__metadata__", ()):
        if isinstance(meta, msgspec.Meta):
            title, description = meta.title or title, meta.description or description
            extra |= meta.extra or {}
    return title, description, extra


def title_of(name: str) -> str:
    text = name.replace("_", " ")
    for word in ("api", "jwt", "id", "tls"):
        text = re.sub(rf"\b{word}\b", word.upper() if word != "id" else "id", text)
    return text[:1].upper() + text[1:]


def _shape(hint: Any) -> tuple[str, list[str]]:
    """(kind, choices)."""
    while get_origin(hint) is Annotated:
        hint = get_args(hint)[0]
    if get_origin(hint) in (Union, UnionType):
        inner = [argument for argument in get_args(hint) if argument is not type(None)]
        return _shape(inner[0]) if len(inner) == 1 else ("json", [])
    if get_origin(hint) is Literal:
        return "choice", [str(argument) for argument in get_args(hint)]
    if hint is str:
        return "text", []
    for plain, kind in ((bool, "boolean"), (int, "integer"), (float, "number")):
        if hint is plain:
            return kind, []
    container = get_origin(hint)
    args = [
        get_args(argument)[0] if get_origin(argument) is Annotated else argument
        for argument in get_args(hint)
        if argument is not Ellipsis
    ]
    if container in (list, tuple) and args == [str]:
        return "list", []
    if container in (list, tuple) and args == [int]:
        return "integers", []
    if container in (list, tuple) and get_origin(args[0]) is Literal:
        return "choices", [str(argument) for argument in get_args(args[0])]
    if container is dict and args[0] is str and args[1] in (str, Any):
        return "map", []
    return "json", []
