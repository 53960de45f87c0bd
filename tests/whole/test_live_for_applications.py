"""Applications find and change live records through their door: each change once for its key."""

import asyncio
import concurrent.futures
import time
import uuid

import pytest
from tests.conftest import OutsideService
from tests.living import Site

from rondine_client import Application, AsyncApplication, RondineProblem


@pytest.fixture(scope="module")
def site(rondine):
    made = Site(rondine, OutsideService, "site")
    yield made
    made.outside.close()


def refused(action, *arguments, **options):
    with pytest.raises(RondineProblem) as raised:
        action(*arguments, **options)
    return raised.value.document


def test_an_application_finds_and_changes_live_records(site):
    use, rest = site.use, site.rest
    page = use.page("planting", limit=3, species="Quercus robur")
    assert [one["data"]["species"] for one in page["items"]] == ["Quercus robur"] * 3
    assert page["live"]["calls"] == 1 and "count" in page
    assert len(list(use.records("planting"))) == 23
    made = use.create("planting", {"species": "Ulmus glabra", "street": "Bell Hill 1"})
    assert made["confirmed"] == "read back" and made["run"].startswith("/api/v1/use/site/test/runs/")
    number = made["key"][0]
    found = use.record("planting", number)
    assert found["data"]["street"] == "Bell Hill 1" and found["version"] == made["version"]
    use.change("planting", number, data={"height": "2.5"}, version=found["version"])
    assert rest.rows[int(number)]["height"] == 2.5
    assert (
        refused(use.change, "planting", number, data={"height": "3"}, version=found["version"])["code"]
        == "changed_meanwhile"
    )
    use.remove("planting", number, version="*")
    assert int(number) not in rest.rows
    run = site.sent("GET", made["run"].partition("/test")[2]).json()
    assert run["state"] == "done" and run["reply"]["body"]["key"] == [number]


def test_a_change_is_made_once_for_its_key_however_often_it_is_asked_for(site):
    site.pause = 0.3
    key, before = str(uuid.uuid4()), len(site.rest.rows)

    def ask(_):
        body = {"data": {"species": "Acer campestre", "street": "Weir Path 9"}}
        return site.sent("POST", "/records/planting", json=body, headers={"Idempotency-Key": key})

    with concurrent.futures.ThreadPoolExecutor(8) as pool:
        replies = list(pool.map(ask, range(8)))
    site.pause = 0.0
    assert {reply.status_code for reply in replies} == {201}
    assert len({reply.text for reply in replies}) == 1 and len(site.rest.rows) == before + 1
    other = site.sent("POST", "/records/planting", json={"data": {"species": "x"}}, headers={"Idempotency-Key": key})
    assert (other.status_code, other.json()["code"]) == (422, "key_used")
    none = site.sent("POST", "/records/planting", json={"data": {"species": "x"}})
    assert (none.status_code, none.json()["code"]) == (400, "key_needed")
    assert len(site.rest.rows) == before + 1


def test_what_an_application_may_not_do_is_refused_on_every_way_in(site):
    living = site.living
    document = {"record_types": ["planting"]}
    living.admin.applications.make("reader", environment="test", document=document)
    token = living.admin.applications.make_token("reader", "tests")["token"]
    reader = Application(site.name, "test", token=token, url=site.rondine.url)
    assert reader.page("planting", limit=1)["items"]
    assert refused(reader.create, "planting", {"species": "x"})["code"] == "not_allowed"
    assert refused(reader.remove, "planting", 1, version="*")["code"] == "not_allowed"
    assert refused(reader.page, "tree")["code"] == "not_found"
    offered = reader.offer()["record_types"]
    assert [(one["name"], one["kind"], one["roles"]) for one in offered] == [("planting", "live", [])]
    assert site.use.offer()["record_types"][0]["roles"] == ["create", "change", "replace", "remove"]
    paths = site.use.openapi()["paths"]
    assert set(paths["/records/planting"]) == {"get", "post"}
    assert set(paths["/records/planting/{number}"]) == {"get", "patch", "put", "delete"}
    names = {one["name"] for one in paths["/records/planting"]["get"]["parameters"]}
    assert {"species", "height.from", "local", "limit"} <= names and "height.to" not in names


def test_a_maximum_age_is_shared_and_the_same_question_is_asked_once_at_a_time(site):
    site.living.set("planting", max_age=60, stale_for=300)
    time.sleep(1.1)  # for so long a process trusts what it has read
    site.pause, before = 0.5, len(site.rest.calls)

    async def many():
        async with site.application(AsyncApplication) as use:
            return await asyncio.gather(*(use.page("planting", limit=4, max_age=30) for _ in range(20)))

    pages = asyncio.run(many())
    site.pause = 0.0
    assert len(site.rest.calls) == before + 1, "twenty asked at once"
    assert (
        sum(not page["live"]["is_cached"] for page in pages) == 1 and len({page["live"]["run"] for page in pages}) == 1
    )
    site.status = 503  # the service is away: who permits some age is told how old it is, and why
    assert site.use.page("planting", limit=4, max_age=30)["live"]["is_cached"]
    time.sleep(1.2)
    late = site.use.page("planting", limit=4, max_age=1)
    site.status = 0
    assert late["live"]["stale_why"] and late["live"]["age"] > 1 and late["items"] == pages[0]["items"]
    site.living.set("planting", max_age=0, stale_for=0)
    time.sleep(1.1)


def test_a_service_that_fails_is_told_with_its_words_and_whether_it_may_pass(site):
    site.status = 503
    failing = site.application(retries=0)
    problem = refused(failing.page, "planting", limit=2)
    site.status = 0
    assert problem["outside"] == {"status": 503, "message": "the diary rests"} and problem["may_pass"]


def test_uses_are_counted_and_runs_are_told(site):
    def counted():
        usage = site.living.admin.applications.usage("site")
        return sum(one["calls"] for one in usage if one["what"] == "records planting")

    before = counted()
    site.use.page("planting", limit=1)
    until = time.monotonic() + 10
    while counted() <= before and time.monotonic() < until:
        time.sleep(0.1)
    assert counted() == before + 1
