"""A binding made ready: what its roles need besides a question."""

import time
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any
from uuid import UUID

from rondine.core.errors import DraftError, InputError, NotFound
from rondine.core.live.asking import Fields
from rondine.core.live.checking import only_key, output_of, role_mapping, with_versions
from rondine.core.live.document import ROLES, BindingDocument, Role, RoleBinding
from rondine.core.live.proposing import Known, declared_types, row_way
from rondine.core.mapping.compile import compile_mapping
from rondine.core.mapping.document import MappingDocument, RecordTypeDocument
from rondine.core.paths.jsonpath import JsonPath
from rondine.server.connecting.models import Environment
from rondine.server.held import MOST_READY, TRUSTED
from rondine.server.live.kinds import BINDINGS
from rondine.server.live.models import Binding
from rondine.server.mappings.kinds import MAPPINGS, resolved_mapping
from rondine.server.operations.answering import ReadyMapping
from rondine.server.operations.calling import ReadyOperation, ready_operation
from rondine.server.operations.kinds import OPERATIONS
from rondine.server.operations.trials import schemas_of
from rondine.server.records.kinds import RECORD_TYPES
from rondine.server.records.models import RecordType
from rondine.server.releases.configuration import Configuration


@dataclass(frozen=True, slots=True)
class ReadyRole:
    """mapping: what reads its responses; None if they have nothing of the record. fields: with the types that a
    definition declares for its rows."""

    role: Role
    bound: RoleBinding
    operation: ReadyOperation
    mapping: ReadyMapping | None
    fields: Fields


@dataclass
class ReadyBinding:
    """id, version: of the binding.  release: the number that its environment goes by, None for the draft.  roles: those
    that are ready; failures: why others are not."""

    environment: Environment
    id: UUID
    name: str
    version: int
    document: BindingDocument
    record_type_name: str
    record_type: RecordTypeDocument
    release: int | None
    roles: dict[Role, ReadyRole] = field(default_factory=dict)
    failures: dict[Role, Exception] = field(default_factory=dict)
    until: float = 0.0

    def role(self, role: Role) -> ReadyRole:
        """Raises InputError for one that no operation plays, and what keeps it from being played."""
        if (failure := self.failures.get(role)) is not None:
            raise failure
        if role not in self.roles:
            able = ", ".join(name for name in ROLES if self.document.role(name) is not None)
            raise InputError(
                f"no operation of the service is bound to {role} {self.record_type_name}",
                where=f"binding {self.name}",
                hint=f"bound are {able}; bind another: rondine binding change {self.name}",
            )
        return self.roles[role]


def binding_of(configuration: Configuration, record_type: RecordType) -> Binding | None:
    """The one that is for a record type, as the environment has both."""
    bindings = [one for one in configuration.items(BINDINGS) if one.document.get("record_type") == record_type.name]
    return bindings[0] if bindings else None


def made_ready(environment: Environment, record_type: RecordType) -> ReadyBinding:
    """record_type: as the environment has it. Raises NotFound if it has no binding, DraftError for one that is not
    ready."""
    configuration = Configuration(environment)
    binding = binding_of(configuration, record_type)
    if binding is None:
        raise NotFound(
            f'record type "{record_type.name}" is bound to no operations',
            where=f"{configuration.words} of {environment.name}",
            hint=f"bind it to a service: rondine binding propose {record_type.name}",
        )
    if binding.problems:
        first = binding.problems[0]
        raise DraftError(
            f'binding "{binding.name}" is not ready: {first["message"]}',
            where=f"binding {binding.name}",
            hint=first["hint"],
        )
    document = binding.loaded()
    held = configuration.named(MAPPINGS, document.mapping)
    mapping = resolved_mapping(record_type.project_id, held.loaded(), held.name, configuration)
    release = configuration.release
    ready = ReadyBinding(
        environment,
        binding.pk,
        binding.name,
        binding.version,
        document,
        record_type.name,
        record_type.loaded(),
        release.number if release is not None else None,
        until=time.monotonic() + TRUSTED,
    )
    for role, bound in document.roles():
        try:
            ready.roles[role] = _role(configuration, ready, role, bound, mapping)
        except (DraftError, NotFound) as error:
            ready.failures[role] = error
    return ready


def _role(
    configuration: Configuration, ready: ReadyBinding, role: Role, bound: RoleBinding, mapping: MappingDocument
) -> ReadyRole:
    operation = ready_operation(configuration, configuration.named(OPERATIONS, bound.operation))
    record_type, name = ready.record_type, ready.record_type_name
    output = output_of(mapping, name)
    if output is None:
        raise DraftError(f'mapping "{ready.document.mapping}" fills no {name}', where="/mapping", hint="mend it first")
    read = role_mapping(bound, mapping, name)
    types: Mapping[str, str] = {}
    if operation.document.odata is not None and read is not None:
        paths = [level.path(read.format) for level in read.outputs[0].rows]
        texts = [path.text for path in paths if isinstance(path, JsonPath)]
        came_from = operation.document.came_from
        schemas = schemas_of(configuration.environment.project_id, came_from.definition if came_from else "")
        types = declared_types(Known(operation.name, operation.document, schemas), row_way(texts))
        read, record_type = with_versions(read, record_type)
    made: ReadyMapping | None = None
    if read is not None:
        read = only_key(read, ready.record_type) if bound.brings == "key" else read
        held: dict[str, Any] = {name: record_type}
        made = ReadyMapping(ready.document.mapping, read, compile_mapping(read, held, is_kept=False), held)
    return ReadyRole(role, bound, operation, made, Fields(ready.record_type, output, mapping.format, types))


class ReadyBindings:
    """Those that a process has made ready, for a second each."""

    def __init__(self) -> None:
        self._held: dict[tuple[Any, ...], ReadyBinding] = {}

    def of(self, environment: Environment, record_type: RecordType) -> ReadyBinding:
        key = (environment.pk, environment.release_id, record_type.pk)
        found = self.known(*key)
        if found is None:
            found = made_ready(environment, record_type)
            if len(self._held) >= MOST_READY:
                self._held.clear()
            self._held[key] = found
        return found

    def known(self, *key: Any) -> ReadyBinding | None:
        found = self._held.get(key)
        return found if found is not None and found.until > time.monotonic() else None


def find_record_type(environment: Environment, name: str) -> RecordType:
    """As the environment has it. Raises NotFound."""
    found: RecordType = Configuration(environment).named(RECORD_TYPES, name)
    return found
