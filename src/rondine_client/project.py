"""Everything within one project."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rondine_client.addresses import step
from rondine_client.administration import Environments, Hosts, Members, Names, Releases
from rondine_client.cases import Cases
from rondine_client.connecting import Connections, Credentials, Services, StandingValues
from rondine_client.describing import Definitions, Operations, Samples, Trials
from rondine_client.flows import Flows
from rondine_client.items import Items
from rondine_client.mapping import Bodies, Mappings, Readings
from rondine_client.records import Bindings, Records
from rondine_client.requests import Request, Resource, S, call
from rondine_client.running import Applications, Drift, Events, Feeds, Runs, Subscriptions, Webhooks

if TYPE_CHECKING:
    from rondine_client import types


class Project(Resource[S]):
    """A project by its name; nothing is asked until a method of one of its resources is called."""

    def __init__(self, client: S, name: str) -> None:
        super().__init__(client, f"/projects/{step(name)}")
        self.name = name
        path = self.path
        self.services = Services(client, path, "services")
        self.connections = Connections(client, path, "connections")
        self.credentials = Credentials(client, path, "credentials")
        self.standing_values = StandingValues(client, path, "standing-values")
        self.definitions = Definitions(client, path, "definitions")
        self.operations = Operations(client, path, "operations")
        self.samples = Samples(client, path, "samples")
        self.record_types: Items[S, types.RecordType] = Items(client, path, "record-types")
        self.mappings = Mappings(client, path, "mappings")
        self.bindings = Bindings(client, path, "bindings")
        self.queries: Items[S, types.PreparedQuery] = Items(client, path, "queries")
        self.cases = Cases(client, path, "cases")
        self.feeds = Feeds(client, path, "feeds")
        self.flows = Flows(client, path, "flows")
        self.flow_schedules: Items[S, types.FlowSchedule] = Items(client, path, "flow-schedules")
        self.drift = Drift(client, f"{path}/drift")
        self.subscriptions = Subscriptions(client, path, "subscriptions")
        self.webhooks = Webhooks(client, path, "webhooks")
        self.applications = Applications(client, path, "applications")
        self.events = Events(client, f"{path}/events")
        self.trials = Trials(client, path)
        self.bodies = Bodies(client, path)
        self.readings = Readings(client, f"{path}/readings")
        self.runs = Runs(client, f"{path}/runs")
        self.records = Records(client, f"{path}/environments")
        self.environments = Environments(client, f"{path}/environments")
        self.releases = Releases(client, path)
        self.hosts = Hosts(client, f"{path}/hosts")
        self.members = Members(client, f"{path}/members")
        self.names = Names(client, path)

    @call
    def where_used(self, kind: str, name: str) -> Request[list[types.ItemUse]]:
        """Where an item is used: [{kind, word, name, how, environment, last: how it went the last time}]. kind: as in
        addresses, such as record-types."""
        return self.request("GET", f"/where-used/{step(kind)}/{step(name)}")

    @call
    def search(self, text: str) -> Request[types.SearchShown]:
        """What has a text: {items: [{kind, word, name, where, text}], is_all}; kept records are found by their keys,
        runs by their numbers."""
        return self.request("GET", "/search", query={"q": text})

    @call
    def check(self) -> Request[list[types.WrongItem]]:
        """Everything that is not ready, or is set up but cannot start: [{kind, name, where, message, hint}]."""
        return self.request("GET", "/check")

    @call
    def obstacles(self) -> Request[list[types.ObstacleItem]]:
        """Everything that is set up but cannot start: [{kind, name, environment, reasons: [{where, message,
        hint}]}]."""
        return self.request("GET", "/obstacles")
