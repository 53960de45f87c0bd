"""An application of its own project, and the service that it calls."""

import asyncio

import httpx
from aiohttp import web

from rondine_client import Application

ROWS = [{"number": f"OLM-{number}", "girth": number} for number in range(1, 6)]


class Desk:
    """A project of its own with a service that a test rules: two trees a page by `start`, one tree, a care that is
    planned, and an application that may use all of it. seconds: before the service acts.  pause: after it has."""

    def __init__(self, rondine, serve, name):
        self.rondine, self.name = rondine, name
        self.planned, self.keys = [], []
        self.seconds, self.pause, self.status = 0.0, 0.0, 200
        self.outside = serve(self.answer)
        admin = rondine.client("ada")
        admin.projects.make(name)
        self.admin = admin.project(name)
        self.admin.members.set("mira", "builder")
        self.admin.hosts.permit("127.0.0.1", self.outside.port, is_private=True)
        self.project = rondine.client("mira").project(name)
        project = self.project
        project.services.make("desk-register")
        base = {"base_address": self.outside.url}
        project.connections.make("desk-register-test", service="desk-register", environment="test", document=base)
        start = {"name": "start", "type": "integer"}
        pages = {
            "path": "/trees",
            "inputs": [start],
            "query": [{"name": "start", "value": {"input": "start"}}],
            "paging": {"type": "next_address", "at": "/next"},
            "response": {"rows": ["$.trees[*]"]},
        }
        project.operations.make("list-trees", service="desk-register", document=pages)
        one = {"path": "/trees/{number}", "inputs": [{"name": "number", "required": True}]}
        project.operations.make("get-tree", service="desk-register", document=one)
        plan = {
            "method": "POST",
            "path": "/plans",
            "inputs": [{"name": "task", "required": True}],
            "body": {"type": "json", "members": [{"at": "/task", "value": {"input": "task"}}]},
        }
        project.operations.make("plan", service="desk-register", document=plan)
        fields = [{"name": "number", "type": "text"}, {"name": "girth", "type": "decimal", "searchable": True}]
        project.record_types.make("tree", document={"key": ["number"], "fields": fields})
        output = {
            "record_type": "tree",
            "rows": [{"level": "tree", "at": "trees[*]"}],
            "fields": [{"name": "number", "from": "number"}, {"name": "girth", "from": "girth"}],
        }
        project.mappings.make("trees", service="desk-register", document={"outputs": [output]})
        document = {"all_operations": True, "all_record_types": True, "may_write": True}
        self.admin.applications.make("desk", environment="test", document=document)
        self.token = self.admin.applications.make_token("desk", "tests")["token"]
        self.use = self.application()

    async def answer(self, request):
        await asyncio.sleep(self.seconds)
        if self.status >= 400:
            return web.json_response({"message": "the register rests"}, status=self.status)
        if request.method == "POST":
            key = request.headers.get("Idempotency-Key")
            if key is None or key not in self.keys:  # with a key it acts once
                self.planned.append((await request.json())["task"])
                self.keys.append(key)
            await asyncio.sleep(self.pause)
            return web.json_response({"number": len(self.planned)}, status=201)
        if request.path.startswith("/trees/"):
            found = [row for row in ROWS if row["number"] == request.path.rpartition("/")[2]]
            return web.json_response(found[0] if found else {"message": "none"}, status=200 if found else 404)
        start = int(request.query.get("start", 0))
        following = f"/trees?start={start + 2}" if start + 2 < len(ROWS) else None
        return web.json_response({"trees": ROWS[start : start + 2], "next": following})

    def application(self, token=None, environment="test", **options):
        return Application(self.name, environment, token=token or self.token, url=self.rondine.url, **options)

    def set(self, **changes):
        held = self.admin.applications.get("desk")
        document = {**held["document"], **changes}
        self.admin.applications.change("desk", version=held["version"], document=document)

    def sent(self, method, path, **options):
        """A request as any HTTP client makes it."""
        headers = {"Authorization": f"Bearer {self.token}", **options.pop("headers", {})}
        address = f"{self.rondine.url}/api/v1/use/{self.name}/test{path}"
        return httpx.request(method, address, headers=headers, timeout=60, **options)
