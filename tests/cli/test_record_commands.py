"""Live records and their bindings on the command line."""

import json

import pytest
from tests.conftest import OutsideService
from tests.living import Site


@pytest.fixture(scope="module")
def site(rondine):
    made = Site(rondine, OutsideService, "site-commands")
    yield made
    made.outside.close()


def lines(found):
    return [json.loads(line) for line in found.stdout.splitlines()]


def test_a_live_record_is_made_changed_and_removed(rondine, site):
    def run(*words, **options):
        return rondine.cli("--project", site.name, *words, **options)

    rows = lines(run("record", "list", "planting", "--where", "species=Quercus robur", "--limit", "2"))
    assert [row["species"] for row in rows] == ["Quercus robur"] * 2
    made = lines(run("record", "create", "planting", "--set", "species=Ulmus glabra", "--set", "height=1.5"))[0]
    assert (made["key"], made["confirmed"]) == (["24"], "read back")
    run("record", "change", "planting", "24", "--set", "street=Weir Path 2")
    assert site.rest.rows[24]["site"]["street"] == "Weir Path 2"
    late = run("record", "change", "planting", "24", "--set", "height=3", "--version", '"old"', check=False)
    assert late.returncode == 1 and "was changed at the service" in late.stderr
    run("record", "replace", "planting", "24", "--set", "species=Tilia cordata", "--overwrite")
    assert site.rest.rows[24] == {"number": 24, "species": "Tilia cordata"}
    shown = lines(run("record", "show", "planting", "24"))[0]
    assert shown["data"] == {"number": 24, "species": "Tilia cordata"} and shown["live"]["calls"] == 1
    run("record", "remove", "planting", "24")
    assert run("record", "show", "planting", "24", check=False).returncode == 1


def test_what_the_service_cannot_is_refused_or_done_here(rondine, site):
    def listed(*words, **options):
        return rondine.cli("--project", site.name, "record", "list", "planting", *words, **options)

    refused = listed("--where", "planted.from=2026-03-20", check=False)
    assert refused.returncode == 1 and "the service cannot filter by planted.from" in refused.stderr
    assert "local" in refused.stderr
    done = listed("--where", "planted.from=2026-03-20", "--sort=-planted", "--local", "--limit", "2")
    assert [row["planted"] for row in lines(done)] == ["2026-03-24", "2026-03-23"]
    assert "done here: filter planted.from, order -planted" in done.stderr


def test_a_binding_is_proposed_and_saved(rondine, site):
    def run(*words, **options):
        return rondine.cli("--project", site.name, *words, **options)

    found = lines(run("binding", "propose", "planting"))[0]
    assert found["document"]["find"]["operation"] == "get-planting"
    saved = run("binding", "propose", "planting", "--save", "--live")
    assert "records of planting are live" in saved.stderr
    uses = lines(run("record", "uses", "planting"))[0]
    assert uses["kind"] == "live" and len(uses["roles"]) == 6
    wrong = run("binding", "propose", "planting", "--find", "get-plantin", check=False)
    assert wrong.returncode == 1 and 'did you mean "get-planting"' in wrong.stderr


def test_the_guided_example_of_live_records_runs_and_can_run_again(rondine):
    (rondine.home / "ports").write_text("".join(f"{name}={port}\n" for name, port in rondine.more.items()))
    for _ in range(2):
        found = rondine.cli("guide", "live", "--papers", str(rondine.home / "standins.json"))
        assert "refused: seed-lot 7 was changed at the service since it was read" in found.stdout
        assert "put back: 285 g" in found.stdout
