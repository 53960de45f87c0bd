"""Subscriptions: who is told of what; and what happened to feeds."""

from argparse import Namespace
from typing import Any

from rondine_cli.items import add_item_verbs, add_set_option, document_of, show_problems, with_changes
from rondine_cli.output import Output
from rondine_cli.session import Session

EVENTS = ["failed", "recovered", "incomplete", "drift", "not_marked", "late", "refused", "ended"]
FLOW_EVENTS = ["flow_asks", "flow_doubt", "flow_failed", "flow_ended", "flow_refused"]


def add_commands(commands: Any) -> None:
    subscription = commands.add_parser(
        "subscription", help="who is told of what, by signed webhook or e-mail"
    ).add_subparsers(required=True, metavar="VERB")
    add_item_verbs(
        subscription,
        "subscriptions",
        "subscription",
        ["name", "environment", "document.about.type", "document.by.type", "told", "failures"],
    )
    make = subscription.add_parser("make", help="make or change one")
    make.add_argument("name")
    make.add_argument("--title", help="how it is shown (default: the name)")
    make.add_argument("--environment", default="test")
    make.add_argument("--event", action="append", choices=EVENTS, help="of feeds; may be given again (default: all)")
    make.add_argument("--feed", action="append", metavar="NAME", help="of these feeds (default: of all)")
    make.add_argument("--records", metavar="RECORD_TYPE", help="of changes of these records, and not of feeds")
    make.add_argument(
        "--calls",
        nargs="*",
        metavar="APPLICATION",
        help="of the end of calls in the background of these applications (none named: of all), and not of feeds",
    )
    make.add_argument(
        "--flows",
        nargs="*",
        metavar="FLOW",
        help="of runs of these flows (none named: of all): that somebody is asked, failures; and not of feeds",
    )
    how = make.add_mutually_exclusive_group()
    how.add_argument("--webhook", metavar="ADDRESS", help="to this address, signed")
    how.add_argument("--email", action="append", metavar="ADDRESS", help="by e-mail; may be given again")
    make.add_argument("--credential", metavar="NAME", help="whose signing_key signs what webhooks send")
    add_set_option(make, "by.batch=20 or enabled=false")
    make.set_defaults(run=run_make)

    webhook = commands.add_parser("webhook", help="where services send changes by themselves").add_subparsers(
        required=True, metavar="VERB"
    )
    add_item_verbs(
        webhook, "webhooks", "webhook", ["name", "environment", "document.becomes.type", "path", "waiting", "last_at"]
    )
    make = webhook.add_parser("make", help="make or change one")
    make.add_argument("name")
    make.add_argument("--title", help="how it is shown (default: the name)")
    make.add_argument("--environment", default="test")
    make.add_argument("--credential", metavar="NAME", help="whose signing_key deliveries are verified with")
    becomes = make.add_mutually_exclusive_group()
    becomes.add_argument("--mapping", help="deliveries become records by this mapping")
    becomes.add_argument("--runs", metavar="FEED", help="deliveries start a run of this feed")
    make.add_argument("--newest-by", metavar="FIELD", help="the field that says which of two deliveries is the newer")
    make.add_argument("--signed-in", metavar="HEADER", help="the header with an HMAC (default: Standard Webhooks)")
    add_set_option(make, "proof.prefix=sha256=, proof.algorithm=sha1 or challenge.parameter=challenge")
    make.set_defaults(run=run_make_webhook)
    deliveries = webhook.add_parser("deliveries", help="what came in, newest first")
    deliveries.add_argument("name")
    deliveries.set_defaults(run=run_deliveries)

    event = commands.add_parser("event", help="what happened to feeds, flows and calls").add_subparsers(
        required=True, metavar="VERB"
    )
    listing = event.add_parser("list", help="list them, newest first")
    listing.add_argument("--environment")
    listing.add_argument("--feed")
    listing.add_argument("--flow")
    listing.add_argument("--application")
    listing.add_argument("--kind", choices=[*EVENTS, "call_ended", *FLOW_EVENTS])
    listing.add_argument("--limit", type=int, default=20)
    listing.set_defaults(run=run_events)


def run_make(session: Session, args: Namespace, out: Output) -> None:
    document = document_of(session.office.subscriptions, args.name)
    if args.records:
        document["about"] = {"type": "records", "record_type": args.records}
    elif args.calls is not None:
        document["about"] = {"type": "calls", "applications": args.calls}
    elif args.flows is not None:
        document["about"] = {"type": "flows", "flows": args.flows}
    elif args.event or args.feed or "about" not in document:
        document["about"] = {"type": "feeds", "events": args.event or [], "feeds": args.feed or []}
    if args.webhook:
        document["by"] = {"type": "webhook", "address": args.webhook}
    elif args.email:
        document["by"] = {"type": "email", "to": args.email}
    made = session.office.subscriptions.save(
        args.name,
        environment=args.environment,
        document=with_changes(document, args.changes),
        **({"credential": args.credential} if args.credential else {}),
        **({"title": args.title} if args.title else {}),
    )
    out.value(made, f"subscription {made['name']} is at version {made['version']}; it tells what happens from now on")
    show_problems(made, out)


def run_make_webhook(session: Session, args: Namespace, out: Output) -> None:
    document = document_of(session.office.webhooks, args.name)
    if args.mapping:
        document["becomes"] = {"type": "records", "mapping": args.mapping}
    elif args.runs:
        document["becomes"] = {"type": "run", "feed": args.runs}
    if args.newest_by:
        document["becomes"] = {**document.get("becomes", {}), "newest_by": args.newest_by}
    if args.signed_in:
        document["proof"] = {"type": "hmac", "header": args.signed_in}
        document["id_header"] = ""
    made = session.office.webhooks.save(
        args.name,
        environment=args.environment,
        document=with_changes(document, args.changes),
        **({"credential": args.credential} if args.credential else {}),
        **({"title": args.title} if args.title else {}),
    )
    out.value(
        made,
        f"webhook {made['name']} is at version {made['version']}; let the service send to {session.url}{made['path']}",
    )
    show_problems(made, out)


def run_deliveries(session: Session, args: Namespace, out: Output) -> None:
    out.rows(
        session.office.webhooks.deliveries(args.name),
        ["id", "at", "mark", "state", "size", "repeated", "run", "error.message"],
        empty="nothing has come yet",
    )


def run_events(session: Session, args: Namespace, out: Output) -> None:
    names = ("environment", "feed", "flow", "application", "kind")
    filters = {name: value for name in names if (value := getattr(args, name))}
    out.rows(
        session.office.events.search(limit=args.limit, **filters),
        ["id", "at", "environment", "feed", "flow", "application", "kind", "message", "run"],
        empty="nothing worth telling has happened",
    )
