"""The client library: everything the service's API offers, as plain calls.

from rondine_client import Client

office = Client("http://127.0.0.1:18200", token="...").project("olmara")
for tree in office.records.search("test", "tree", district="Terrazze"):
    print(tree["data"]["number"])

Applications use what was released to them, with their own tokens:

    from rondine_client import Application

    desk = Application("olmara", "live", token="...")
    for tree in desk.records("tree", district="Terrazze"):
        print(tree["data"]["number"])

`AsyncClient` and `AsyncApplication` offer the same for asyncio. The shapes of results are in `rondine_client.types`.
"""

from rondine_client.application import Application, AsyncApplication
from rondine_client.client import AsyncClient, Client
from rondine_client.errors import RondineProblem, Unreachable
from rondine_client.items import Items
from rondine_client.project import Project

__all__ = [
    "Application",
    "AsyncApplication",
    "AsyncClient",
    "Client",
    "Items",
    "Project",
    "RondineProblem",
    "Unreachable",
]
