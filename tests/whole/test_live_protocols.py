"""Each role of live records over REST, OData 2.0, GraphQL and SOAP: imported, tried, mapped and bound by choices alone."""

import json
import sys
from decimal import Decimal

import httpx
import pytest
from tests.living import Living
from tests.plantings import GraphQl, OData2, Rest
from tests.whole_rondine import free_ports, running

from rondine_client import RondineProblem


@pytest.fixture(scope="module")
def living(rondine):
    return Living(rondine, "living-protocols")


def refused(action, *arguments, **options):
    with pytest.raises(RondineProblem) as raised:
        action(*arguments, **options)
    return raised.value.document


def imported(living, service, address, port, name, content):
    living.permit(port)
    living.connect(service, address)
    living.project.definitions.import_into(service, files={name: content}, record_types=[])


def test_rest_with_declared_filters_pages_and_etags(living, serve):
    rest = Rest()
    outside = serve(rest.answer)
    imported(living, "rest", outside.url, outside.port, "plantings.json", json.dumps(Rest.definition()).encode())
    proposed = living.bind("rest-planting", of(living, "rest", "list"), ["$.plantings[*]"])
    document, records = proposed["document"], living.project.records
    assert document["find"]["operation"].startswith("get-planting") and document["create"]["operation"] == "plant"
    assert document["create"]["brings"] == "key"
    filters = {(one["input"], one["field"], one.get("compare", "equal")) for one in document["list"]["filters"]}
    assert filters == {("species", "species", "equal"), ("height_min", "height", "from")}

    page = records.page("test", "rest-planting", species="Quercus robur", **{"height.from": "4"})
    assert "species=Quercus+robur" in rest.calls[-1] or "species=Quercus%20robur" in rest.calls[-1]
    assert "height_min=4" in rest.calls[-1] and page["live"]["local"] == []
    assert all(Decimal(one["data"]["height"]) >= 4 for one in page["items"]) and page["items"]
    every = list(records.search("test", "rest-planting"))
    assert [one["key"] for one in every] == [[number] for number in range(1, 24)]

    impossible = refused(records.page, "test", "rest-planting", **{"planted.from": "2026-03-20"}, sort="-planted")
    assert [one["where"] for one in impossible["problems"]] == ["?planted.from", "?sort"]
    before = len(rest.calls)
    local = records.page(
        "test", "rest-planting", local=True, limit=3, sort="-planted", **{"planted.from": "2026-03-20"}
    )
    assert [one["data"]["planted"] for one in local["items"]] == ["2026-03-24", "2026-03-23", "2026-03-22"]
    assert local["live"]["calls"] == len(rest.calls) - before == 5 and not local["is_all"]
    assert local["live"]["local"] == ["filter planted.from", "order -planted"]
    rest_of_it = records.page(
        "test",
        "rest-planting",
        local=True,
        limit=3,
        sort="-planted",
        cursor=local["next"],
        **{"planted.from": "2026-03-20"},
    )
    assert [one["data"]["planted"] for one in rest_of_it["items"]] == ["2026-03-21", "2026-03-20"] and rest_of_it[
        "is_all"
    ]
    living.set("rest-planting", most_local=10)
    too_many = refused(records.page, "test", "rest-planting", local=True, sort="planted")
    assert "not all rows could be gone through" in too_many["detail"] and "10 rows" in too_many["detail"]

    made = records.create(
        "test", "rest-planting", {"species": "Tilia cordata", "street": "Bell Hill 2", "height": "2.25"}
    )
    assert made["key"] == ["24"] and made["confirmed"] == "read back"
    assert rest.rows[24]["site"]["street"] == "Bell Hill 2" and rest.rows[24]["height"] == 2.25
    found = records.get("test", "rest-planting", "24")
    rest.rows[24]["height"] = 9.5
    assert (
        refused(records.change, "test", "rest-planting", "24", data={"height": "3"}, version=found["version"])["status"]
        == 412
    )
    now = records.get("test", "rest-planting", "24")
    assert now["data"]["height"] == "9.5", "what changed outside is shown"
    records.change("test", "rest-planting", "24", data={"height": "3"}, version=now["version"])
    assert rest.rows[24]["height"] == 3 and rest.rows[24]["site"]["street"] == "Bell Hill 2"
    paved = records.get("test", "rest-planting", "24")["version"]
    done = records.change("test", "rest-planting", "24", data={"is_paved": True}, version=paved)
    assert rest.rows[24]["site"] == {"street": "Bell Hill 2", "is_paved": True}, "an object is sent whole"
    assert done["differences"] == []
    records.remove("test", "rest-planting", "24", version="*")
    assert 24 not in rest.rows
    assert refused(records.get, "test", "rest-planting", "24")["status"] == 404


def test_odata_2_with_its_literals_dates_and_merge(living, serve):
    old = OData2()
    outside = serve(old.answer)
    imported(living, "old", outside.url, outside.port, "old.xml", OData2.METADATA.encode())
    living.bind("old-planting", of(living, "old", "list"), ["$.d.results[*]"])
    records = living.project.records
    page = records.page(
        "test",
        "old-planting",
        sort="-height",
        species="Quercus robur",
        **{"height.from": "3.5", "planted.to": "2026-03-20T00:00:00Z"},
    )
    heights = [Decimal(one["data"]["height"]) for one in page["items"]]
    assert heights == sorted(heights, reverse=True) and heights and min(heights) >= Decimal("3.5")
    asked = httpx.URL(old.calls[-1].partition(" ")[2]).params["$filter"]
    assert asked == "Species eq 'Quercus robur' and Height ge 3.5M and Planted le datetime'2026-03-20T00:00:00'"
    assert len(list(records.search("test", "old-planting"))) == 23
    assert page["items"][0]["version"].startswith('W/"')
    made = records.create(
        "test",
        "old-planting",
        {"number": 77, "species": "Acer campestre", "planted": "2026-05-06T00:00:00Z", "height": "2.5"},
    )
    assert made["confirmed"] == "read back" and made["differences"] == []
    assert old.rows[77]["planted"] == "2026-05-06" and old.rows[77]["height"] == 2.5
    changed = records.change(
        "test", "old-planting", "77", data={"planted": "2026-05-07T00:00:00Z"}, version=made["version"]
    )
    assert (changed["data"]["planted"], changed["data"]["species"]) == ("2026-05-07T00:00:00Z", "Acer campestre")
    assert (
        refused(records.change, "test", "old-planting", "77", data={"height": "1"}, version=made["version"])["status"]
        == 412
    )
    records.replace(
        "test",
        "old-planting",
        "77",
        data={"species": "Ulmus", "planted": "2026-01-01T00:00:00Z"},
        version=changed["version"],
    )
    assert "height" not in old.rows[77]
    records.remove("test", "old-planting", "77", version="*")
    assert 77 not in old.rows


def test_graphql_of_a_server_that_none_of_us_wrote(living):
    graphql = GraphQl()
    try:
        imported(living, "graph", graphql.served.url, graphql.served.port, "plantings.graphql", GraphQl.SDL.encode())
        proposed = living.bind("graph-planting", "plantings", ["$.data.plantings.nodes[*]"])
        document, records = proposed["document"], living.project.records
        assert {role: document[role]["operation"] for role in ("find", "create", "change", "remove")} == {
            "find": "planting", "create": "create-planting", "change": "update-planting", "remove": "delete-planting",
        }  # fmt: skip
        assert len(list(records.search("test", "graph-planting"))) == 23
        page = records.page("test", "graph-planting", species="Tilia cordata", limit=4)
        assert {one["data"]["species"] for one in page["items"]} == {"Tilia cordata"} and len(page["items"]) == 4
        assert page["live"]["calls"] == 1 and page["next"] and page["is_all"] is False
        made = records.create(
            "test", "graph-planting", {"number": 50, "species": "Ulmus glabra", "planted": "2026-02-03"}
        )
        assert made["confirmed"] == "read back" and graphql.rows[50]["planted"] == "2026-02-03"
        found = records.get("test", "graph-planting", "50")
        records.change("test", "graph-planting", "50", data={"street": "Weir Path 1"}, version=found["version"])
        assert graphql.rows[50]["street"] == "Weir Path 1" and graphql.rows[50]["species"] == "Ulmus glabra"
        old = refused(records.change, "test", "graph-planting", "50", data={"street": "x"}, version=found["version"])
        assert old["status"] == 412, "a service without ETags is read before it is written to"
        records.remove("test", "graph-planting", "50", version="*")
        assert 50 not in graphql.rows
        assert refused(records.get, "test", "graph-planting", "50")["code"] == "not_found"
    finally:
        graphql.served.close()


def of(living, service, verb):
    """The operation of a service whose name begins so."""
    [found] = [one["name"] for one in living.project.operations.search(service=service) if one["name"].startswith(verb)]
    return found


@pytest.fixture
def soap():
    """Where it is served."""
    port = next(free_ports(18490))
    words = [sys.executable, "-m", "tests.soap_plantings", str(port)]
    url = f"http://127.0.0.1:{port}"
    with running(words, f"{url}/rows"):
        yield url


def test_soap_of_a_server_that_none_of_us_wrote(living, soap):
    port = int(soap.rpartition(":")[2])
    imported(living, "soap", soap, port, "plantings.wsdl", httpx.get(f"{soap}/?wsdl").content)
    living.bind(
        "soap-planting",
        of(living, "soap", "list"),
        ["/soap11env:Envelope/soap11env:Body/tns:ListPlantingsResponse/tns:ListPlantingsResult/tns:Planting"],
    )
    records = living.project.records
    assert [one["key"] for one in records.search("test", "soap-planting")] == [[number] for number in range(1, 24)]
    page = records.page("test", "soap-planting", species="Quercus robur", limit=3)
    assert {one["data"]["species"] for one in page["items"]} == {"Quercus robur"} and len(page["items"]) == 3
    values = {"number": 60, "species": "Acer campestre", "height": "1.25", "planted": "2026-04-05"}
    made = records.create("test", "soap-planting", values)
    assert made["confirmed"] == "read back" and made["differences"] == []
    held = httpx.get(f"{soap}/rows").json()["60"]
    assert (held["species"], held["height"], held["planted"]) == ("Acer campestre", "1.25", "2026-04-05")
    found = records.get("test", "soap-planting", "60")
    changed = records.change("test", "soap-planting", "60", data={"street": "Weir Path 3"}, version=found["version"])
    assert changed["data"]["street"] == "Weir Path 3" and changed["data"]["species"] == "Acer campestre"
    assert httpx.get(f"{soap}/rows").json()["60"]["street"] == "Weir Path 3"
    old = refused(records.change, "test", "soap-planting", "60", data={"street": "x"}, version=found["version"])
    assert old["status"] == 412
    records.remove("test", "soap-planting", "60", version="*")
    assert "60" not in httpx.get(f"{soap}/rows").json()
    assert refused(records.get, "test", "soap-planting", "60")["detail"].startswith(
        "the service answers with a fault - there is no planting 60"
    )
