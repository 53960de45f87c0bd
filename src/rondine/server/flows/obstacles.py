"""What would keep a flow's steps from being carried out in one environment: what it asks, and how that is reached."""

from collections.abc import Iterator

from rondine.core.errors import NotFound, Problem, RondineError
from rondine.core.flow.document import Asked, FlowDocument, RecordsStep, steps_in
from rondine.core.live.document import Role
from rondine.server.connecting.environments import connection_obstacles
from rondine.server.connecting.models import Connection, Service
from rondine.server.flows.asking import role_of
from rondine.server.flows.effects import asked_at
from rondine.server.flows.kinds import FLOWS
from rondine.server.flows.models import Flow
from rondine.server.live.ready import made_ready
from rondine.server.operations.kinds import OPERATIONS
from rondine.server.records.kinds import RECORD_TYPES
from rondine.server.releases.configuration import Configuration


def obstacles_of(flow: Flow, configuration: Configuration) -> list[Problem]:
    """All of them, each with its place in the flow, as the environment has it. What a step does with a failure does not
    count: it may go on without."""
    try:
        held = configuration.item(FLOWS, flow)
    except RondineError as error:
        return [error.as_problem("")]
    found = [Problem(**one) for one in held.problems]
    return [*found, *_Looking(configuration).at(held.loaded(), {held.name})]


class _Looking:
    def __init__(self, configuration: Configuration) -> None:
        self.configuration = configuration
        self._of_service: dict[Service, list[Problem]] = {}

    def at(self, document: FlowDocument, within: set[str]) -> Iterator[Problem]:
        for place, step in steps_in(document.steps, "/steps"):
            for pointer, asked in asked_at(step):
                yield from self._asked(f"{place}{pointer}", asked, within)
            if isinstance(step, RecordsStep):
                yield from self._records(
                    f"{place}/record_type", step.record_type, role_of(step, has_key=bool(step.key))
                )

    def _asked(self, place: str, asked: Asked, within: set[str]) -> Iterator[Problem]:
        try:
            if asked.operation:
                operation = self.configuration.named(OPERATIONS, asked.operation)
                for one in self._service(operation.service):
                    yield Problem(f"{place}/operation", f"{asked.operation}: {one.message}", one.hint)
            elif asked.flow and asked.flow not in within:
                inner = self.configuration.named(FLOWS, asked.flow).loaded()
                for one in self.at(inner, {*within, asked.flow}):
                    yield Problem(f"{place}/flow", f"{asked.flow}, {one.where}: {one.message}", one.hint)
            elif asked.record_type:
                yield from self._records(f"{place}/record_type", asked.record_type, "list")
        except NotFound as error:
            yield error.as_problem(place)

    def _records(self, place: str, name: str, role: Role) -> Iterator[Problem]:
        """What keeps records of a live type from being reached; kept ones are there."""
        environment = self.configuration.environment
        try:
            record_type = self.configuration.named(RECORD_TYPES, name)
            if record_type.loaded().kind != "live":
                return
            operation = made_ready(environment, record_type).role(role).operation
        except RondineError as error:
            yield Problem(place, f"{name}: {error.message}", error.hint)
            return
        for one in self._service(Service.objects.get(pk=operation.service_id)):
            yield Problem(place, f"{name}: {one.message}", one.hint)

    def _service(self, service: Service) -> list[Problem]:
        environment = self.configuration.environment
        if service not in self._of_service:
            held = Connection.objects.filter(service=service, environment=environment).first()
            if held is not None:
                self._of_service[service] = connection_obstacles(held)
            else:
                words = f"service {service} has no connection in {environment.name}"
                self._of_service[service] = [Problem("", words, "make one: rondine connection make NAME")]
        return self._of_service[service]
