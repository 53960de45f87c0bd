"""The structure of a request body from a sample of it: JSON, a form, or XML. Fed with the sample's values, the body
made so equals the sample."""

from typing import Any
from urllib.parse import parse_qsl

from rondine.core.definitions.files import Files
from rondine.core.definitions.inputs import BodyReader, Inputs
from rondine.core.definitions.json_schema import Schemas
from rondine.core.documents.elements import TEXT, looks_like_xml, read_elements
from rondine.core.documents.json import read_json
from rondine.core.media_types import bare_media_type
from rondine.core.operations.document import Body, FormBody, JsonBody, Member, Parameter, TextBody, XmlBody, XmlElement
from rondine.core.operations.values import ValueOf
from rondine.core.schema import infer, to_json_schema


def body_from_sample(text: str, media_type: str, inputs: Inputs) -> Body:
    """The body, its inputs added to `inputs` with the sample's values as try values. media_type: empty if it is not
    known.

    Raises DocumentError with line and column if the sample is not sound.
    """
    plain = bare_media_type(media_type)
    if plain == "application/x-www-form-urlencoded":
        return _form(text, inputs)
    if "json" in plain or (not plain and text.lstrip()[:1] in ("{", "[")):
        return _json(read_json(text.encode("utf-8", "surrogatepass"), name="the body"), inputs, media_type)
    if plain.endswith(("/xml", "+xml")) or (not plain and looks_like_xml(text.encode("utf-8", "replace"))):
        return _xml(text, inputs, media_type)
    given = inputs.add("body", {"type": "string"}, required=False, example=text)
    return TextBody(media_type=media_type or "text/plain", content=ValueOf(input=given))


def _form(text: str, inputs: Inputs) -> FormBody:
    fields = []
    for name, value in parse_qsl(text.strip(), keep_blank_values=True):
        given = inputs.add(name, {"type": "string"}, required=False, example=value, prefix="body")
        fields.append(Parameter(name=name, value=ValueOf(input=given)))
    return FormBody(fields=fields)


def _json(value: Any, inputs: Inputs, media_type: str) -> JsonBody:
    reader = BodyReader(Schemas(Files("", {}), "3.1", lambda *_: None), inputs, is_sampled=True)
    members = reader.read(_as_written(to_json_schema(infer([value]), top=False)), required=False, example=value)
    taken = {member.at for member in members}
    if "" not in taken:
        nulls = [at for at in _nulls(value, "") if not any(at == one or at.startswith(f"{one}/") for one in taken)]
        members += [Member(at=at, value="null", type="json") for at in nulls]
    return JsonBody(members=members, media_type=media_type or "application/json")


def _as_written(schema: Any) -> Any:
    """The schema without formats whose inputs would write a value otherwise: a date and time is written in UTC."""
    if isinstance(schema, dict):
        return {name: _as_written(one) for name, one in schema.items() if not (name == "format" and one == "date-time")}
    return [_as_written(one) for one in schema] if isinstance(schema, list) else schema


def _nulls(value: Any, at: str) -> list[str]:
    """The places of objects' members that are null."""
    if value is None:
        return [at]
    if not isinstance(value, dict):
        return []
    steps = ((str(name).replace("~", "~0").replace("/", "~1"), one) for name, one in value.items())
    return [null for name, one in steps for null in _nulls(one, f"{at}/{name}")]


def _xml(text: str, inputs: Inputs, media_type: str) -> XmlBody:
    found = read_elements(text.encode("utf-8", "replace"), charset="utf-8", name="the body")
    root, value = next(iter(found.value.items()))
    elements: list[XmlElement] = []
    _element(value, "", elements, inputs)
    return XmlBody(
        namespaces=found.namespaces, root=root, elements=elements, media_type=media_type or "application/xml"
    )


def _element(value: Any, at: str, elements: list[XmlElement], inputs: Inputs) -> None:
    """The places within an element: attributes, its text, elements; what repeats is one input, a list."""
    if not isinstance(value, dict):
        _add(value or "", at or ".", elements, inputs)
        return
    for name, one in value.items():
        here = f"{at}/{name}" if at else name
        if name == TEXT:
            _add(one, f"{at}/." if at else ".", elements, inputs)
        elif name.startswith("@") or not isinstance(one, dict):
            _add(one or "", here, elements, inputs)
        else:
            _element(one, here, elements, inputs)


def _add(value: Any, at: str, elements: list[XmlElement], inputs: Inputs) -> None:
    names = [step.removeprefix("@").rpartition(":")[2] for step in at.split("/") if step != "."]
    kind = {"type": "array"} if isinstance(value, list) else {"type": "string"}
    given = inputs.add("_".join(names) or "text", kind, required=False, example=value, prefix="body")
    elements.append(XmlElement(at=at, value=ValueOf(input=given)))
