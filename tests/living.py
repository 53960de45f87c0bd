"""A project of its own, in which record types are bound to services as a user does it: import, try, map, bind."""

import asyncio
import json
from pathlib import Path

import httpx
from aiohttp import web

from rondine.standins import seed_store
from rondine_client import Application
from tests.plantings import Rest

DOCUMENTS = Path(seed_store.__file__).parent / "documents"


class Living:
    def __init__(self, rondine, name):
        self.rondine, self.name = rondine, name
        admin = rondine.client("ada")
        admin.projects.make(name)
        self.admin = admin.project(name)
        self.admin.members.set("mira", "builder")
        self.project = rondine.client("mira").project(name)

    def permit(self, port):
        self.admin.hosts.permit("127.0.0.1", port, is_private=True)

    def connect(self, service, address, sign_in=None, secrets=None, **document):
        project = self.project
        project.services.make(service)
        credential = None
        if secrets:
            credential = f"{service}-key"
            project.credentials.make(credential, environment="test")
            project.credentials.set_secrets(credential, **secrets)
        document |= {"base_address": address} | ({"sign_in": sign_in} if sign_in else {})
        project.connections.make(service, service=service, environment="test", credential=credential, document=document)
        return service

    def bind(self, record_type, operation, rows, *, inputs=None, operations=None, take=None, **settings):
        """A record type whose records are live, from a trial of the operation that lists them. Gives the proposal."""
        project = self.project
        service = project.operations.get(operation)["service"]
        trial = project.trials.send(service=service, operation=operation, inputs=inputs or {})
        assert trial["outcome"]["is_good"], trial
        found = project.mappings.propose(trial["body"], rows=rows, name=record_type, take=take)
        project.record_types.make(record_type, document={**found["record_type"], "kind": "live"})
        project.mappings.make(record_type, service=service, document=found["mapping"])
        proposed = project.bindings.propose(record_type, operations={"list": operation, **(operations or {})})
        document = {**proposed["document"], **settings}
        made = project.bindings.make(record_type, document=document)
        assert made["problems"] == [], made["problems"]
        return proposed

    def set(self, record_type, **changes):
        held = self.project.bindings.get(record_type)
        document = {**held["document"], **changes}
        return self.project.bindings.change(record_type, version=held["version"], document=document)


class Site:
    """Live plantings of a REST service in a project of their own, and an application that may change them. status: that
    the service answers everything with, if it is told one.  pause: before it does anything.  late: so long after that it
    answers."""

    def __init__(self, rondine, serve, name):
        self.rondine, self.name, self.rest = rondine, name, Rest()
        self.status, self.pause, self.late = 0, 0.0, 0.0
        self.outside = serve(self.answer)
        self.living = living = Living(rondine, name)
        living.permit(self.outside.port)
        living.connect("rest", self.outside.url)
        files = {"plantings.json": json.dumps(Rest.definition()).encode()}
        living.project.definitions.import_into("rest", files=files, record_types=[])
        living.bind("planting", "list-plantings", ["$.plantings[*]"])
        document = {"record_types": ["planting"], "may_write": True}
        living.admin.applications.make("site", environment="test", document=document)
        self.token = living.admin.applications.make_token("site", "tests")["token"]
        self.use = self.application()

    async def answer(self, request):
        await asyncio.sleep(self.pause)
        if self.status:
            return web.json_response({"message": "the diary rests"}, status=self.status)
        reply = await self.rest.answer(request)
        await asyncio.sleep(self.late)
        return reply

    def application(self, kind=Application, token=None, **options):
        return kind(self.name, "test", token=token or self.token, url=self.rondine.url, **options)

    def sent(self, method, path, **options):
        headers = {"Authorization": f"Bearer {self.token}", **options.pop("headers", {})}
        address = f"{self.rondine.url}/api/v1/use/{self.name}/test{path}"
        return httpx.request(method, address, headers=headers, timeout=60, **options)


TREES = [
    {"number": "OLM-1", "girth": 125, "planted": "2026-03-01", "state": "sound"},
    {"number": "OLM-2", "girth": 80, "planted": "2025-11-30", "state": "felled"},
    {"number": "OLM-3", "girth": "unknown", "planted": None, "state": "sound"},
]


class Tried(Living):
    """A project with an operation that was tried, and a mapping of what came back. served: what the service was asked
    for.  trial: the number of its run."""

    def __init__(self, rondine, serve, name):
        super().__init__(rondine, name)
        self.served = []
        self.outside = serve(self.answer)
        self.permit(self.outside.port)
        self.connect("register", self.outside.url)
        project = self.project
        project.standing_values.make("felled-word", document={"values": {"test": "felled"}})
        operation = {
            "path": "/trees",
            "inputs": [{"name": "district", "required": True, "try_value": "Orti"}],
            "query": [{"name": "district", "value": {"input": "district"}}],
        }
        project.operations.make("trees", service="register", document=operation)
        types = {"number": "text", "girth": "decimal", "planted": "date"}
        fields = [{"name": name, "type": kind} for name, kind in types.items()]
        project.record_types.make("tree", document={"key": ["number"], "fields": fields})
        output = {
            "record_type": "tree",
            "rows": [{"level": "tree", "at": "trees[*]"}],
            "where": [{"from": "state", "is": "not_equal", "value": "felled"}],
            "fields": [
                {"name": "number", "from": "number"},
                {"name": "girth", "from": "girth", "convert": [{"type": "arithmetic", "divide": "100"}]},
                {"name": "planted", "from": "planted"},
            ],
        }
        self.mapping = {"outputs": [output]}
        project.mappings.make("trees", service="register", document=self.mapping)
        self.trial = project.trials.send(service="register", operation="trees", inputs={"district": "Orti"})["run"]

    def answer(self, asked):
        self.served.append(asked.path_qs)
        if asked.query.get("district") == "Nowhere":
            return web.json_response({"message": "there is no such district"}, status=422)
        return web.json_response({"trees": TREES})

    def map_otherwise(self, **changes):
        """How the girth is made."""
        held = self.project.mappings.get("trees")
        document = json.loads(json.dumps(self.mapping))
        document["outputs"][0]["fields"][1].update(changes)
        self.project.mappings.change("trees", version=held["version"], document=document)

    def record(self, name="orti", **options):
        """A test case of the trial."""
        options = {"inputs": {"district": "Orti"}, "run": self.trial, "mapping": "trees", **options}
        return self.project.cases.record(name, "trees", **options)
