"""Finding things in a project: where an item is used, and what has a text."""

from argparse import Namespace
from typing import Any

from rondine_cli.output import Output
from rondine_cli.session import Session

KINDS = (
    "services", "operations", "connections", "credentials", "standing-values", "queries", "record-types", "mappings",
    "feeds", "flows", "flow-schedules", "webhooks", "subscriptions", "definitions", "samples", "applications",
    "bindings", "cases",
)  # fmt: skip


def add_commands(commands: Any) -> None:
    used = commands.add_parser("where-used", help="where an item is used, and how each use went the last time")
    used.add_argument("kind", choices=KINDS)
    used.add_argument("name")
    used.set_defaults(run=run_where_used)
    search = commands.add_parser("search", help="what has a text: items, kept records by key, runs by number")
    search.add_argument("text")
    search.set_defaults(run=run_search)


def run_where_used(session: Session, args: Namespace, out: Output) -> None:
    columns = ["word", "name", "how", "environment", "last.state", "last.at", "last.words"]
    out.rows(session.office.where_used(args.kind, args.name), columns, empty="nothing uses it")


def run_search(session: Session, args: Namespace, out: Output) -> None:
    found = session.office.search(args.text)
    out.rows(found["items"], ["word", "name", "where", "text"], empty="nothing has this text")
    if not found["is_all"] and not out.as_json:
        out.say("there is more: take a longer text")
