"""The client library: everything the service's API offers, as plain calls.

from rondine_client import Client

office = Client("http://127.0.0.1:18200", token="...").project("olmara")
for tree in office.records("test", "tree", district="Terrazze"):
    print(tree["data"]["number"])
"""

from rondine_client.client import Client
from rondine_client.errors import RondineProblem, Unreachable
from rondine_client.project import Items, Project

__all__ = ["Client", "Items", "Project", "RondineProblem", "Unreachable"]
