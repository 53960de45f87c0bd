"""What can be done with the records of a type in an environment."""

from typing import Any

from rondine.core.errors import RondineError
from rondine.core.live.asking import abilities
from rondine.core.live.document import Role
from rondine.server.connecting.models import Environment
from rondine.server.live.ready import ReadyBinding, made_ready
from rondine.server.records.kinds import RECORD_TYPES
from rondine.server.records.models import RecordType
from rondine.server.releases.configuration import Configuration


def record_type_in(environment: Environment, item: RecordType) -> RecordType:
    """A record type as the environment goes by it; as the draft has it, if its release has none."""
    return Configuration(environment).item_or_draft(RECORD_TYPES, item)


def uses_of(environment: Environment, item: RecordType) -> dict[str, Any]:
    document = item.loaded()
    found: dict[str, Any] = {
        "kind": document.kind, "binding": "", "problem": "", "roles": [], "max_age": 0, "most_local": 0,
        "fields": [
            {
                "field": one.name,
                "compare": _kept_ways(one) if document.kind == "kept" else [],
                "is_sorted": document.kind == "kept" and one.searchable,
                "is_created": False,
                "is_changed": False,
            }
            for one in document.fields
        ],
    }  # fmt: skip
    try:
        ready = made_ready(environment, item)
    except RondineError as error:
        return found | {"problem": "" if document.kind == "kept" else error.message}
    found |= {"binding": ready.name, "max_age": ready.document.max_age, "most_local": ready.document.most_local}
    found["roles"] = [
        {"role": role, "operation": bound.operation, "problem": str(getattr(ready.failures.get(role), "message", ""))}
        for role, bound in ready.document.roles()
    ]
    created, changed = _taken(ready, "create"), _taken(ready, "change", "replace")
    able = {}
    if "list" in ready.roles and document.kind == "live":
        role = ready.role("list")
        able = {one.field: one for one in abilities(ready.document, role.operation.document, role.fields)}
    for one in found["fields"]:
        one |= {"is_created": one["field"] in created, "is_changed": one["field"] in changed}
        if one["field"] in able:
            one |= {"compare": list(able[one["field"]].compare), "is_sorted": able[one["field"]].is_sorted}
    return found


def _kept_ways(field: Any) -> list[str]:
    if not field.searchable:
        return []
    return ["equal", "from", "to", *(["begins"] if field.type == "text" else [])]


def _taken(ready: ReadyBinding, *roles: Role) -> set[str]:
    """The fields whose values some operation takes."""
    found: set[str] = set()
    for role in roles:
        if role in ready.roles:
            pending = list(ready.roles[role].bound.inputs.values())
            while pending:
                source = pending.pop()
                found |= {source.field} if source.field else set()
                pending += source.members.values()
    return found - (set(ready.record_type.key) if "create" not in roles else set())
