"""What an application may use: operations, flows and record types, as its environment goes by them."""

from functools import cached_property
from typing import Any
from uuid import UUID

from rondine.core.errors import NotAllowed, NotFound, SignInNeeded, did_you_mean
from rondine.core.operations.document import is_reading
from rondine.server.applications.admission import Admission
from rondine.server.flows.effects import Effects, effects_of
from rondine.server.flows.kinds import FLOWS
from rondine.server.flows.models import Flow
from rondine.server.items.kinds import ItemKind
from rondine.server.mappings.kinds import MAPPINGS
from rondine.server.mappings.models import Mapping
from rondine.server.operations.kinds import OPERATIONS
from rondine.server.operations.models import Operation
from rondine.server.records.actions import record_set
from rondine.server.records.browsing import find_record, shown_data
from rondine.server.records.kinds import RECORD_TYPES
from rondine.server.records.models import RecordType
from rondine.server.releases.configuration import Configuration


class Offer:
    """Items are given as the release has them, and found by the names that they have there."""

    def __init__(self, admission: Admission) -> None:
        self.admission = admission
        self.configuration = Configuration(admission.environment)
        self._effects: dict[UUID, Effects] = {}

    @cached_property
    def operations(self) -> list[Operation]:
        """All that it may call, by name. One that writes is left out if it may not write."""
        document = self.admission.document
        ids = None if document.all_operations else self._ids(OPERATIONS, document.operations)
        found: list[Operation] = self._offered(OPERATIONS, ids)
        return [one for one in found if document.may_write or is_reading(one.loaded())]

    @cached_property
    def flows(self) -> list[Flow]:
        """All that it may call, by name. One that writes is left out if it may not write."""
        document = self.admission.document
        found: list[Flow] = self._offered(FLOWS, None if document.all_flows else self._ids(FLOWS, document.flows))
        return [one for one in found if document.may_write or not self.effects(one).writes]

    def effects(self, flow: Flow) -> Effects:
        if flow.pk not in self._effects:
            self._effects[flow.pk] = effects_of(flow.loaded(), self.configuration)
        return self._effects[flow.pk]

    @cached_property
    def record_types(self) -> list[RecordType]:
        document = self.admission.document
        return self._offered(
            RECORD_TYPES, None if document.all_record_types else self._ids(RECORD_TYPES, document.record_types)
        )

    def operation(self, name: str) -> Operation:
        """Raises NotFound, also for one that it may not call, and NotAllowed for one that writes where it may not."""
        document = self.admission.document
        found: Operation = self._one(OPERATIONS, name, document.operations, is_all=document.all_operations)
        if not document.may_write and not is_reading(found.loaded()):
            raise self._may_only_read(f'operation "{name}" writes', f"operation {name}")
        return found

    def flow(self, name: str) -> Flow:
        """As `operation`."""
        document = self.admission.document
        found: Flow = self._one(FLOWS, name, document.flows, is_all=document.all_flows)
        if not document.may_write and (step := self.effects(found).writes):
            raise self._may_only_read(f'flow "{name}" writes (step "{step}")', f"flow {name}")
        return found

    def _may_only_read(self, words: str, where: str) -> NotAllowed:
        return NotAllowed(
            f'{words}, and application "{self.admission.application.name}" may only read',
            where=where,
            hint="ask an administrator: rondine application make NAME --may-write",
        )

    def record_type(self, name: str) -> RecordType:
        """Raises NotFound, also for one that it may not read."""
        document = self.admission.document
        found: RecordType = self._one(RECORD_TYPES, name, document.record_types, is_all=document.all_record_types)
        return found

    def mapping(self, operation: Operation, name: str) -> Mapping:
        """A mapping of the operation's service. Raises NotFound."""
        names = [one.name for one in self.mappings(operation.service_id)]
        if name not in names:
            hint = did_you_mean(name, names) or "leave mapping out: the body comes as the service sends it"
            raise NotFound(f'there is no mapping "{name}" for this operation', where="/mapping", hint=hint)
        found: Mapping = self.configuration.named(MAPPINGS, name)
        return found

    def mappings(self, service_id: UUID) -> list[Mapping]:
        """Those of a service that are ready."""
        return [one for one in self._mappings if one.service_id == service_id and not one.problems]

    @cached_property
    def _mappings(self) -> list[Mapping]:
        return sorted(self.configuration.items(MAPPINGS), key=lambda one: one.name)

    def check_caller(self, caller: str) -> None:
        """Whether the application may call for a user. Raises SignInNeeded if it names none, NotAllowed for one whose
        record is not in a state that permits it."""
        rule = self.admission.document.callers
        if rule is None:
            return
        where = "Rondine-Caller header"
        if not caller:
            raise SignInNeeded(
                "the request does not say for which user it is",
                where=where,
                hint=f"send Rondine-Caller with the key of the user's record in {rule.record_type}",
            )
        records = record_set(
            self.admission.environment,
            RecordType.objects.get(project=self.admission.environment.project_id, name=rule.record_type),
        )
        document = records.loaded()
        if document.kind != "kept":  # copies of before say nothing of the state now
            raise self._refused(caller, f"records of {rule.record_type} are {document.kind}, and not kept", where)
        try:
            record = find_record(records, document, [caller])
        except NotFound as error:
            raise self._refused(caller, f"there is no {rule.record_type} of this key", where) from error
        if record.gone_at is not None:
            raise self._refused(caller, f"the {rule.record_type} is gone", where)
        state: Any = shown_data(record.data, document).get(rule.field)
        text = {True: "true", False: "false", None: "nothing"}.get(state, str(state))
        if text not in rule.values:
            raise self._refused(caller, f"{rule.field} is {text}", where)

    def _refused(self, caller: str, why: str, where: str) -> NotAllowed:
        return NotAllowed(
            f'this application may not call for "{caller[:80]}": {why}', where=where, hint="ask an administrator"
        )

    def _ids(self, kind: ItemKind, names: list[str]) -> set[UUID]:
        """Documents name items as the draft does."""
        found = kind.model._default_manager.filter(project=self.admission.environment.project_id, name__in=names)
        return set(found.values_list("pk", flat=True))

    def _offered(self, kind: ItemKind, ids: set[UUID] | None) -> list[Any]:
        found = [item for item in self.configuration.items(kind) if ids is None or item.pk in ids]
        return sorted(found, key=lambda item: item.name)

    def _one(self, kind: ItemKind, name: str, names: list[str], *, is_all: bool) -> Any:
        environment = self.admission.environment
        try:
            found = self.configuration.named(kind, name)
        except NotFound:
            found = None
        if found is None or not (is_all or found.pk in self._ids(kind, names)):
            offered: list[Any] = (
                self.operations if kind is OPERATIONS else self.flows if kind is FLOWS else self.record_types
            )
            near = did_you_mean(name, [one.name for one in offered])
            raise NotFound(
                f'application "{self.admission.application.name}" has no {kind.word} "{name}" in {environment.name}',
                where=f"{self.configuration.words} of {environment.name}",
                hint=near or "ask an administrator what it may use",
            )
        return found
