"""Makes the desk's project in Rondine, with the client library alone: services, operations, record types, a feed, a
release, and the application with its token. Safe to run again: what is there is changed to what is written here.

python set_up.py --url http://127.0.0.1:18200 --people var/people.txt --register http://127.0.0.1:18210 ...
"""

import argparse
import json
import os
import secrets
from pathlib import Path
from typing import Any

from making import ENVIRONMENT, connect, good, mapping, needed, operation, record_type
from tree_file import set_up_tree_file

from rondine_client import Application, Client, RondineProblem

PROJECT, APPLICATION = "tree-desk", "desk"
REGISTER, CREW = "tree-register", "crew-board"
#: Besides these two, what the tree file is put together from.
OTHERS = {
    "soil": "soil laboratory",
    "inspections": "inspection desk",
    "seeds": "seed store",
    "permits": "permit counter",
}


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--url", required=True, help="of Rondine")
    parser.add_argument("--people", type=Path, required=True, help="a file with the name and password of ada")
    parser.add_argument("--register", required=True, help="address of the tree register")
    parser.add_argument("--register-key", type=Path, required=True, help="a file with its key")
    parser.add_argument("--crew", required=True, help="address of the crew board")
    for name, words in OTHERS.items():
        parser.add_argument(f"--{name}", required=True, help=f"address of the {words}")
    parser.add_argument("--papers", type=Path, required=True, help="a file with the clients and secrets of all of them")
    parser.add_argument("--desk", required=True, help="the desk's own address")
    parser.add_argument("--settings", type=Path, required=True, help="where the desk finds what it needs")
    args = parser.parse_args()
    passwords = dict(line.split()[:2] for line in args.people.read_text().splitlines() if line.strip())
    with Client(args.url) as client:
        client.sign_in("ada", passwords["ada"], title="set-up of the tree desk")
        try:
            set_up(client, args)
        finally:
            client.sign_out()


def set_up(client: Client, args: argparse.Namespace) -> None:
    if PROJECT not in [one["name"] for one in client.projects.list()]:
        client.projects.make(PROJECT, "Tree desk (example)")
    project = client.project(PROJECT)
    permitted = [(one["host"], one["port"]) for one in project.hosts.list()]
    at = {name: getattr(args, name) for name in OTHERS}
    for address in (args.register, args.crew, *at.values()):
        host, _, port = address.rpartition("//")[2].partition(":")
        if (host, int(port)) not in permitted:
            project.hosts.permit(host, int(port), is_private=True)
    register(project, args.register, args.register_key.read_text().strip())
    papers = json.loads(args.papers.read_text())
    crew_board(project, args.crew, papers)
    set_up_tree_file(project, at, papers)
    release(project)
    use: dict[str, Any] = {"all_operations": True, "all_record_types": True, "all_flows": True, "may_write": True}
    use["time_limit"] = 8
    use["callbacks"] = [f"{args.desk}/crew/back"]
    good(project.applications.save(APPLICATION, title="Tree desk", environment=ENVIRONMENT, document=use))
    known = json.loads(args.settings.read_text()) if args.settings.exists() else {}
    if not is_good(known.get("token", ""), args.url):
        known["token"] = project.applications.make_token(APPLICATION, "the desk", None)["token"]
    known |= {"url": args.url, "project": PROJECT, "environment": ENVIRONMENT}
    known.setdefault("secret_key", secrets.token_urlsafe(50))
    with os.fdopen(os.open(args.settings, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as file:
        json.dump(known, file)
    project.feeds.run("girths")  # goes on after this has ended


def register(project: Any, address: str, key: str) -> None:
    """Trees with their measures, sheets and papers: REST behind an API key."""
    project.services.save(REGISTER, title="Tree register")
    project.credentials.save("register-key", environment=ENVIRONMENT)
    project.credentials.set_secrets("register-key", key=key)
    connect(project, REGISTER, address, "register-key", {"type": "api_key", "name": "X-Register-Key"})

    number, district = needed("number"), needed("district")
    limit, page, size = (
        {"name": name, "type": "integer", "default": value}
        for name, value in (("limit", 500), ("page", 1), ("size", 1000))
    )
    operation(project, REGISTER, "list-districts", "/v1/districts")
    trees = {"paging": {"type": "link_header"}, "response": {"rows": ["$.trees[*]"]}}
    operation(project, REGISTER, "list-trees", "/v1/trees", query=[district, limit], **trees)
    operation(project, REGISTER, "get-tree", "/v1/trees/{number}", number)
    operation(project, REGISTER, "get-picture", "/v1/trees/{number}/sheet.svg", number)
    operation(project, REGISTER, "get-sheet", "/v1/trees/{number}/sheet.pdf", number)
    operation(project, REGISTER, "list-papers", "/v1/trees/{number}/papers", number)
    operation(project, REGISTER, "get-paper", "/v1/trees/{number}/papers/{place}", number, needed("place"))
    file = {"name": "file", "value": {"input": "file"}, "file_name": "paper", "encoding": "base64"}
    paper = {"type": "multipart", "parts": [{"name": "title", "value": {"input": "title"}}, file]}
    inputs = [number, {"name": "title"}, needed("file")]
    operation(project, REGISTER, "hand-in-paper", "/v1/trees/{number}/papers", *inputs, method="POST", body=paper)
    operation(project, REGISTER, "count-trees", "/v1/counts", query=[district])
    measures = {"paging": {"type": "page_number", "input": "page", "total": "/total"}}
    measures["response"] = {"rows": ["$.measures[*]"]}
    operation(project, REGISTER, "list-measures", "/v1/measures", query=[page, size], **measures)

    fields = {
        "number": ("number", "text"),
        "species": ("species.common", "text"),
        "latin": ("species.latin", "text"),
        "district": ("place.district", "text"),
        "street": ("place.street", "text"),
        "girth_m": ("measures.girth", "decimal"),
        "height_m": ("measures.height", "decimal"),
        "planted": ("planted", "date"),
        "protected": ("protected", "boolean"),
    }
    record_type(project, "tree", ["number"], fields, kind="passing")
    mapping(project, REGISTER, "trees", "tree", "trees[*]", fields)
    mapping(project, REGISTER, "one-tree", "tree", {"jsonpath": "$"}, fields)
    fields = {"tree": ("tree", "text"), "year": ("year", "integer"), "girth_m": ("girth", "decimal")}
    record_type(project, "girth", ["tree", "year"], fields)
    mapping(project, REGISTER, "girths", "girth", "measures[*]", fields)
    daily = {"schedule": {"type": "interval", "every": "P1D"}}
    of = {"operation": "list-measures", "mapping": "girths", "environment": ENVIRONMENT}
    good(project.feeds.save("girths", title="Girths by year", document=daily, **of))


def crew_board(project: Any, address: str, papers: dict[str, str]) -> None:
    """Crew days: REST where everybody signs in with an account of their own."""
    project.services.save(CREW, title="Crew board")
    project.credentials.save("crew-client", environment=ENVIRONMENT)
    project.credentials.set_secrets("crew-client", client_secret=papers["crew_secret"])
    sign_in = {
        "type": "authorization_code",
        "authorization_address": f"{address}/oauth/consent",
        "token_address": f"{address}/oauth/token",
        "client_id": papers["crew_client"],
        "scope": "days.read days.plan",
    }
    connect(project, CREW, address, "crew-client", sign_in, callers_sign_in=True)
    number, date, *others = needed("number"), needed("date", "date"), *map(needed, ("crew", "district", "task"))
    operation(project, CREW, "who-am-i", "/v1/me")
    since = {"name": "from", "type": "date"}
    operation(project, CREW, "list-days", "/v1/days", query=[since], response={"rows": ["$.days[*]"]})
    operation(project, CREW, "plan-day", "/v1/days", method="POST", fields=[date, *others])
    operation(project, CREW, "move-day", "/v1/days/{number}/move", number, method="POST", fields=[date])
    operation(project, CREW, "cancel-day", "/v1/days/{number}", number, method="DELETE")
    fields = {"number": ("number", "integer"), "date": ("date", "date")}
    fields |= {name: (name, "text") for name in ("crew", "district", "task", "state", "planned_by")}
    record_type(project, "crew-day", ["number"], fields, kind="passing")
    mapping(project, CREW, "days", "crew-day", "days[*]", fields)


def release(project: Any) -> None:
    """The environment goes by a release of what is there; a new one, if something has changed."""
    now = project.environments.get(ENVIRONMENT)["release"]
    if now is None or project.releases.compare(now):
        made = project.releases.make("set up by the example")
        project.environments.use_release(ENVIRONMENT, made["number"], why="set up by the example")


def is_good(token: str, url: str) -> bool:
    with Application(PROJECT, ENVIRONMENT, token=token or "none", url=url) as application:
        try:
            application.offer()
        except RondineProblem as problem:
            if problem.code != "sign_in_needed":
                raise
            return False
    return True


if __name__ == "__main__":
    main()
