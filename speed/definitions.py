"""How long reading a definition takes, and how it grows: python speed/definitions.py [--megabytes 10] [--types 1100]

An OpenAPI document of about the size wanted, and OData metadata with so many entity types, both with circles of
references, are read in processes of their own; the ratio to the bare decoder (json.loads, lxml) and to a document of
half the size says how it grows (2.0 is linear).
"""

import argparse
import json
import subprocess
import sys

READ = """
import resource, sys, time, json
sys.path.insert(0, "src"); sys.path.insert(0, "speed")
from definitions import openapi, csdl
kind, size = sys.argv[1], int(sys.argv[2])
content = openapi(size) if kind == "openapi" else csdl(size)
from rondine.core.definitions import Files, read_definition
from lxml import etree
idle = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
began = time.perf_counter()
json.loads(content) if kind == "openapi" else etree.fromstring(content)
bare = time.perf_counter() - began
name = "a.json" if kind == "openapi" else "a.xml"
began = time.perf_counter()
found = read_definition(Files(name, {name: content}), "https://seeds.example/odata/$metadata")
took = time.perf_counter() - began
assert found.operations and not found.left_out
print(json.dumps({"bytes": len(content), "operations": len(found.operations), "bare": bare, "took": took,
                  "megabytes": (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - idle) / 1024}))
"""


def openapi(size: int) -> bytes:
    """A document of about `size` bytes whose schemas refer to each other in circles."""
    count = max(2, size // 1830)
    schemas = {
        f"Tree{n}": {
            "type": "object",
            "required": ["number"],
            "properties": {
                "number": {"type": "string", "description": "on the tree's plate " * 3},
                **{f"measure{k}": {"type": "number", "description": "in metres at breast height"} for k in range(12)},
                "next": {"$ref": f"#/components/schemas/Tree{(n + 1) % count}"},
                "others": {"type": "array", "items": {"$ref": f"#/components/schemas/Tree{(n * 7) % count}"}},
            },
        }
        for n in range(count)
    }
    paths = {
        f"/trees{n}/{{number}}": {
            "get": {
                "operationId": f"findTree{n}",
                "parameters": [{"name": "number", "in": "path", "required": True, "schema": {"type": "string"}}],
                "responses": {
                    "200": {
                        "description": "it",
                        "content": {"application/json": {"schema": {"$ref": f"#/components/schemas/Tree{n}"}}},
                    }
                },
            },
            "put": {
                "operationId": f"replaceTree{n}",
                "parameters": [{"name": "number", "in": "path", "required": True, "schema": {"type": "string"}}],
                "requestBody": {"content": {"application/json": {"schema": {"$ref": f"#/components/schemas/Tree{n}"}}}},
                "responses": {"204": {"description": "done"}},
            },
        }
        for n in range(count)
    }
    document = {
        "openapi": "3.1.0",
        "info": {"title": "Trees", "version": "1"},
        "paths": paths,
        "components": {"schemas": schemas},
    }
    return json.dumps(document).encode()


def csdl(count: int) -> bytes:
    """Metadata with so many entity types, each with ten properties and a navigation to another."""
    types = "".join(
        f'<EntityType Name="Lot{n}"><Key><PropertyRef Name="id"/></Key><Property Name="id" Type="Edm.Int32"'
        ' Nullable="false"/>'
        + "".join(f'<Property Name="p{k}" Type="Edm.String"/>' for k in range(10))
        + f'<NavigationProperty Name="next" Type="Collection(Olmara.Lot{(n * 7 + 1) % count})"/></EntityType>'
        for n in range(count)
    )
    sets = "".join(f'<EntitySet Name="Lots{n}" EntityType="Olmara.Lot{n}"/>' for n in range(count))
    return (
        '<edmx:Edmx Version="4.0" xmlns:edmx="http://docs.oasis-open.org/odata/ns/edmx"><edmx:DataServices><Schema'
        f' Namespace="Olmara" xmlns="http://docs.oasis-open.org/odata/ns/edm">{types}<EntityContainer'
        f' Name="Store">{sets}</EntityContainer></Schema></edmx:DataServices></edmx:Edmx>'
    ).encode()


def measured(kind: str, size: int) -> dict[str, float]:
    done = subprocess.run([sys.executable, "-c", READ, kind, str(size)], capture_output=True, text=True, check=True)
    found: dict[str, float] = json.loads(done.stdout)
    return found


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--megabytes", type=float, default=10)
    parser.add_argument("--types", type=int, default=1100)
    args = parser.parse_args()
    for kind, size in (("openapi", int(args.megabytes * 1e6)), ("odata", args.types)):
        half, whole = measured(kind, size // 2), measured(kind, size)
        print(
            f"{kind}: {whole['bytes'] / 1e6:.1f} MB, {whole['operations']:,.0f} operations in {whole['took']:.2f} s and"
            f" {whole['megabytes']:.0f} MB; {whole['took'] / whole['bare']:.1f} x the bare decoder;"
            f" {whole['took'] / half['took']:.2f} x the time of half the size"
        )


if __name__ == "__main__":
    main()
