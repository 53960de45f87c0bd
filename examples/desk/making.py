"""Items of the desk's project: what is there already is made as it is to be."""

from typing import Any

ENVIRONMENT = "live"


def connect(project: Any, service: str, address: str, credential: str, sign_in: dict[str, Any], **more: Any) -> None:
    document = {"base_address": address, "sign_in": sign_in, **more}
    place = {"service": service, "environment": ENVIRONMENT, "credential": credential}
    good(project.connections.save(f"{service}-{ENVIRONMENT}", document=document, **place))


def operation(
    project: Any, service: str, name: str, path: str, *inputs: Any, query: Any = (), fields: Any = (), **more: Any
) -> None:
    """inputs: of the path, and of a body that is given.  query: inputs that are query parameters of the same name.
    fields: inputs that are fields of a form."""

    def sent(inputs: Any) -> list[Any]:
        return [{"name": one["name"], "value": {"input": one["name"]}} for one in inputs]

    if fields:
        more["body"] = {"type": "form", "fields": sent(fields)}
    document = {"path": path, "inputs": [*inputs, *query, *fields], "query": sent(query), **more}
    title = name.replace("-", " ").capitalize()
    good(project.operations.save(name, title=title, service=service, document=document))


def needed(name: str, of: str = "text") -> dict[str, Any]:
    return {"name": name, "type": of, "required": True, "title": name.capitalize()}


def record_type(project: Any, name: str, key: list[str], fields: dict[str, tuple[str, str]], **more: Any) -> None:
    """fields: (place in the row, type)."""
    types = [{"name": field, "type": of, "searchable": field in key} for field, (_, of) in fields.items()]
    good(project.record_types.save(name, title=name.capitalize(), document={"key": key, "fields": types, **more}))


def mapping(project: Any, service: str, name: str, record: str, rows: Any, fields: dict[str, tuple[str, str]]) -> None:
    """rows: where they are in the response."""
    taken = [{"name": field, "from": place} for field, (place, _) in fields.items()]
    output = {"record_type": record, "rows": [{"level": "row", "at": rows}], "fields": taken}
    good(project.mappings.save(name, title=name.capitalize(), service=service, document={"outputs": [output]}))


def good(item: dict[str, Any]) -> None:
    """Ends the set-up with what is wrong with an item."""
    if item["problems"]:
        raise SystemExit(f"{item['name']} is not ready: {item['problems']}")
