"""Removing items: what is used stays, and what belongs to an item goes with it only if that was asked for."""

import itertools

import pytest

from rondine_client import RondineProblem

#: Of projects, one for each test.
NUMBERS = itertools.count(1)


@pytest.fixture
def nursery(rondine):
    """A project with one service in the making: two operations, a sample, a mapping and a connection."""
    name = f"nursery-{next(NUMBERS)}"
    admin = rondine.client("ada")
    admin.projects.make(name)
    project = admin.project(name)
    project.services.make("beds")
    project.connections.make(
        "beds-test", service="beds", environment="test", document={"base_address": "https://beds.example"}
    )
    project.operations.make("beds-list", service="beds", document={"path": "/beds"})
    project.operations.make("beds-find", service="beds", document={"path": "/beds/1"})
    project.record_types.make("bed", document={"fields": [{"name": "number", "type": "text"}], "key": ["number"]})
    output = {
        "record_type": "bed",
        "rows": [{"level": "bed", "at": "[*]"}],
        "fields": [{"name": "number", "from": "number"}],
    }
    project.mappings.make("beds", service="beds", document={"outputs": [output]})
    project.samples.keep("one-bed", text='[{"number": "B-1"}]', operation="beds-list")
    return project


def refused(call, *args, **content):
    with pytest.raises(RondineProblem) as caught:
        call(*args, **content)
    assert caught.value.code == "conflict"
    return caught.value


def names(items):
    return [one["name"] for one in items]


def test_a_service_goes_with_its_items_only_when_that_is_said(nursery):
    found = refused(nursery.services.remove, "beds")
    assert 'service "beds" has' in found.message
    assert all(part in found.message for part in ("1 connection", "2 operations", "1 mapping", "1 sample"))
    assert found.hint.endswith("rondine service remove beds --with-its-items")
    assert names(nursery.operations) == ["beds-find", "beds-list"]

    nursery.services.remove("beds", with_its_items=True)
    for kind in (nursery.services, nursery.connections, nursery.operations, nursery.mappings, nursery.samples):
        assert names(kind) == []
    assert names(nursery.record_types) == ["bed"], "which belongs to no service"
    assert nursery.record_types.get("bed")["used_by"] == []


@pytest.mark.parametrize("user", ["feed", "binding", "case"])
def test_nothing_goes_while_something_else_uses_a_part_of_it(nursery, user):
    if user == "feed":
        nursery.feeds.make("all-beds", operation="beds-list", mapping="beds", environment="test")
    elif user == "binding":
        document = {"record_type": "bed", "mapping": "beds", "list": {"operation": "beds-list"}}
        nursery.bindings.make("bed", document=document)
    else:
        nursery.cases.record("bed-case", operation="beds-list", sample="one-bed", mapping="beds")
    told = {"feed": "feed all-beds", "binding": "binding bed", "case": "case bed-case"}[user]
    found = refused(nursery.services.remove, "beds", with_its_items=True)
    assert "is still used by" in found.message and told in found.message
    part = {"feed": 'operation "beds-list"', "binding": 'operation "beds-list"', "case": 'sample "one-bed"'}[user]
    assert part in found.message or 'mapping "beds"' in found.message, "of the part that is used"
    assert names(nursery.services) == ["beds"] and names(nursery.operations) == ["beds-find", "beds-list"]
    assert names(nursery.samples) == ["one-bed"]


def test_an_operation_goes_with_its_samples_and_both_are_told_apart_from_uses(nursery):
    [sample] = nursery.where_used("operations", "beds-list")
    assert (sample["kind"], sample["name"], sample["belongs"]) == ("samples", "one-bed", True)
    [mapping] = nursery.where_used("record-types", "bed")
    assert (mapping["name"], mapping["belongs"]) == ("beds", False)
    nursery.operations.remove("beds-list")
    assert names(nursery.samples) == []


def test_what_is_in_a_protected_environment_goes_by_an_administrator_only(rondine, nursery):
    project = nursery.name
    nursery.members.set("mira", "builder")
    nursery.environments.change("test", is_protected=True)
    mine = rondine.client("mira").project(project)
    with pytest.raises(RondineProblem) as caught:
        mine.services.remove("beds", with_its_items=True)
    assert caught.value.code == "not_allowed" and names(nursery.connections) == ["beds-test"]
    nursery.services.remove("beds", with_its_items=True)
    assert names(nursery.connections) == []


def test_each_that_went_has_a_last_revision(rondine, nursery):
    nursery.services.remove("beds", with_its_items=True)
    project = nursery.name
    rows = rondine.sql(
        "SELECT kind, items_revision.name, why FROM items_revision JOIN access_project ON project_id = access_project.id"
        " WHERE what = 'removed' AND access_project.name = %s ORDER BY kind, items_revision.name",
        project,
    )
    assert [tuple(row) for row in rows] == [
        ("connections", "beds-test", "with service beds"),
        ("mappings", "beds", "with service beds"),
        ("operations", "beds-find", "with service beds"),
        ("operations", "beds-list", "with service beds"),
        ("samples", "one-bed", "with service beds"),
        ("services", "beds", ""),
    ]
