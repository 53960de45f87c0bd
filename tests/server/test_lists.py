"""Lists of items: however many there are, they ask the database the same number of questions, and say the same as each
item alone."""

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from rest_framework.test import APIClient

from rondine.server.access.models import Membership, Person, Project
from rondine.server.connecting.models import Connection, Credential, Environment, Service, StandingValue
from rondine.server.feeds.models import Feed
from rondine.server.items.kinds import KINDS as ITEM_KINDS
from rondine.server.items.references import write_references
from rondine.server.mappings.models import Mapping
from rondine.server.operations.models import Definition, Operation, Query, Sample
from rondine.server.records.models import RecordType
from rondine.server.runs.models import Body, Run

KINDS = ("services", "credentials", "connections", "standing-values", "definitions", "operations", "queries",
"samples", "record-types", "mappings", "feeds")  # fmt: skip


@pytest.fixture
def grove(db):
    """A project in which everything uses everything: (its client, a function that makes the things with a number)."""
    project = Project.objects.create(name="grove")
    person = Person.objects.create(name="rovere")
    Membership.objects.create(person=person, project=project, role="builder")
    test = Environment.objects.create(project=project, name="test")
    service = Service.objects.create(project=project, name="register")
    client = APIClient()
    client.force_authenticate(person)

    def plant(number):
        def make(model, name, **more):
            made = model.objects.create(project=project, name=f"{name}-{number}", **more)
            write_references(next(kind for kind in ITEM_KINDS.values() if kind.model is model), [made])
            return made

        credential = make(Credential, "key", environment=test, names=["key"])
        make(Connection, "connection", service=make(Service, "service"), environment=test, credential=credential)
        make(StandingValue, "season", document={"values": {"test": "spring"}})
        make(Definition, "definition", service=service, schemas={"Tree": {}, "Care": {}})
        make(Query, "query", document={"query": "{ trees { number } }"})
        made = {"path": "/trees", "query": [{"name": "season", "value": {"standing": f"season-{number}"}}]}
        body = {"type": "graphql", "prepared": f"query-{number}"}
        came = {"definition": f"definition-{number}"}
        operation = make(Operation, "operation", service=service, document={**made, "body": body, "came_from": came})
        stored = Body.of(project.pk, b"{}", "application/json", "utf-8")
        stored.save()
        make(Sample, "sample", operation=operation, body=stored)
        fields = [{"name": "number", "type": "text"}, {"name": "before", "type": "text"}]
        links = [{"record_type": f"tree-{number - 1}", "fields": ["before"]}] if number else []
        make(RecordType, "tree", document={"key": ["number"], "fields": fields, "links": links})
        outputs = [{"record_type": f"tree-{number}", "fields": [{"name": "number", "from": "number"}]}]
        based_on = {"based_on": f"mapping-{number - 1}"} if number else {}
        mapping = make(Mapping, "mapping", service=service, document={"outputs": outputs, **based_on})
        feed = make(Feed, "feed", operation=operation, mapping=mapping, environment=test)
        for _ in range(2):
            Run.objects.create(project=project, environment=test, kind="feed", feed=feed, state="done")

    return client, plant


@pytest.mark.parametrize("kind", KINDS)
def test_a_list_asks_as_many_questions_for_many_as_for_few(grove, kind):
    client, plant = grove
    for number in range(2):
        plant(number)
    with CaptureQueriesContext(connection) as few:
        client.get(f"/api/v1/projects/grove/{kind}")
    for number in range(2, 9):
        plant(number)
    with CaptureQueriesContext(connection) as many:
        items = client.get(f"/api/v1/projects/grove/{kind}").json()["items"]
    assert len(items) >= 9
    assert len(many) == len(few), [one["sql"][:200] for one in many]
    assert not any("stored" in one["sql"] for one in many)


@pytest.mark.parametrize("kind", KINDS)
def test_a_list_says_of_an_item_what_the_item_says_alone(grove, kind):
    client, plant = grove
    for number in range(3):
        plant(number)
    listed = client.get(f"/api/v1/projects/grove/{kind}").json()["items"]
    assert listed == [client.get(f"/api/v1/projects/grove/{kind}/{one['name']}").json() for one in listed]


def test_uses_are_told_with_the_kind_and_name_of_what_uses(grove):
    client, plant = grove
    for number in range(2):
        plant(number)

    def alone(kind, name):
        return client.get(f"/api/v1/projects/grove/{kind}/{name}").json()

    assert alone("record-types", "tree-0")["used_by"] == [
        {"kind": "mapping", "name": "mapping-0"},
        {"kind": "feed", "name": "feed-0"},
        {"kind": "record type", "name": "tree-1"},
    ]
    assert alone("mappings", "mapping-0")["used_by"] == [
        {"kind": "mapping", "name": "mapping-1"},
        {"kind": "feed", "name": "feed-0"},
    ]
    assert [output["record_type"] for output in alone("mappings", "mapping-1")["whole"]["outputs"]] == [
        "tree-0",
        "tree-1",
    ]
    assert alone("standing-values", "season-1")["used_by"] == [{"kind": "operation", "name": "operation-1"}]
    assert alone("queries", "query-1")["used_by"] == ["operation-1"]
    assert alone("definitions", "definition-1")["operations"] == ["operation-1"]
    assert alone("definitions", "definition-1")["schemas"] == 2
    assert alone("feeds", "feed-1")["last_run"]["id"] == max(Run.objects.values_list("pk",
    flat=True).filter(feed__name="feed-1"))  # fmt: skip
