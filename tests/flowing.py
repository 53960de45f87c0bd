"""A project for the flows of one test file, with services that the tests rule."""

import asyncio
import time
from collections import Counter, defaultdict

from aiohttp import web

from tests.whole_rondine import wait_until

NUMBER = {"number": {"input": "number"}}
OVER = ("done", "failed", "cancelled")


class Papers:
    """Services that each answer for one tree: /NAME/OLM-1. seconds: before each answers.  status: with which.  asked:
    how often, by path.  written: what came to be, once for each key.  left: whose callers went before the answer."""

    NAMES = ("tree", "soil", "lots", "permits", "crew")

    def __init__(self, rondine, serve, name):
        self.rondine, self.name = rondine, name
        self.seconds, self.status = defaultdict(float), {}
        self.asked, self.written, self.keys, self.left = Counter(), [], [], []
        self.under_way = self.most = 0
        self.outside = serve(self.answer)
        admin = rondine.client("ada")
        admin.projects.make(name)
        self.admin = admin.project(name)
        self.admin.members.set("mira", "builder")
        self.admin.members.set("odo", "operator")
        self.admin.hosts.permit("127.0.0.1", self.outside.port, is_private=True)
        self.project = project = rondine.client("mira").project(name)
        fields = [{"name": name, "type": "text"} for name in ("number", "title", "source")]
        project.record_types.make("paper", document={"key": ["number"], "fields": fields})
        for one in self.NAMES:
            project.services.make(one)
            base = {"base_address": self.outside.url}
            project.connections.make(f"{one}-test", service=one, environment="test", document=base)
            document = {"path": f"/{one}/{{number}}", "inputs": [{"name": "number", "required": True}]}
            project.operations.make(f"find-{one}", service=one, document=document)
            output = {
                "record_type": "paper",
                "rows": [{"level": "paper", "at": "papers[*]"}],
                "fields": [{"name": "number", "from": "number"}, {"name": "title", "from": "title"}],
            }
            project.mappings.make(f"{one}-papers", service=one, document={"outputs": [output]})
        for one, more in (("plan", {"takes_key": True}), ("cancel", {"takes_key": True}), ("fell", {})):
            document = {
                "method": "POST",
                "path": f"/{one}",
                "inputs": [{"name": "number", "required": True}],
                "body": {"type": "json", "members": [{"at": "/number", "value": {"input": "number"}}]},
                **more,
            }
            project.operations.make(one, service="crew", document=document)

    async def answer(self, request):
        name = request.path.split("/")[1]
        self.asked[request.path] += 1
        self.under_way += 1
        self.most = max(self.most, self.under_way)
        try:
            if request.method == "POST":
                key = request.headers.get("Idempotency-Key", "")
                if not key or key not in self.keys:
                    self.written.append((name, (await request.json())["number"]))
                self.keys.append(key)
            until = time.monotonic() + self.seconds[name]
            while time.monotonic() < until:
                await asyncio.sleep(0.02)
                if request.transport is None or request.transport.is_closing():
                    self.left.append(name)
                    return web.Response()
        finally:
            self.under_way -= 1
        if name in self.status:
            return web.json_response({"message": f"the {name} counter is closed"}, status=self.status[name])
        number = request.path.rpartition("/")[2]
        paper = {"number": f"{name}-{number}", "title": f"{name} of {number}"}
        return web.json_response({"papers": [paper], "number": number, "girth": 1.25, "day": len(self.written)})

    def flow(self, name, *steps, number=True, **document):
        """Makes a flow, which must be ready."""
        inputs = [{"name": "number", "required": True, "try_value": "OLM-1"}] if number else []
        content = {"inputs": inputs, **document, "steps": [*steps]}
        made = self.project.flows.make(name, document=content)
        assert made["problems"] == [], made["problems"]
        return name

    def begin(self, name, **inputs):
        return self.project.flows.run(name, inputs or {"number": "OLM-1"})["id"]

    def run(self, name, **inputs):
        """A run to its end: (the run, its reply, its failure)."""
        return self.end_of(self.begin(name, **inputs))

    def end_of(self, run, *, seconds=60):
        last = wait_until(lambda: (found := self.project.runs.get(run))["state"] in OVER and found, seconds)
        shown = self.project.flows.shown(run)
        return last, shown["reply"], shown["failure"]

    def wait_for(self, run, kind):
        """The pause for which a run rests."""

        def found():
            if self.project.runs.get(run)["state"] != "waiting":
                return None
            return next((one for one in self.project.flows.shown(run)["pauses"] if one["kind"] == kind), None)

        return wait_until(found, 30)


def ask(name, operation="", mapping="", given=None, **more):
    asked = {"operation": operation or f"find-{name}", "mapping": mapping, "inputs": given or NUMBER}
    return {"type": "ask", "name": name, "ask": asked, **more}


def together(name, *names, **more):
    branches = [
        {"name": one, "operation": f"find-{one}", "mapping": f"{one}-papers", "inputs": NUMBER} for one in names
    ]
    return {"type": "ask", "name": name, "together": branches, **more}


def end(**reply):
    return {"type": "end", "name": "end", "reply": reply}
