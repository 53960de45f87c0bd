"""Applications: what they may use, their tokens, and their calls as they make them."""

import os
import sys
from argparse import ArgumentTypeError, Namespace
from pathlib import Path
from typing import Any

from rondine_cli.items import add_item_verbs, add_set_option, document_of, json_or_text, show_problems, with_changes
from rondine_cli.output import Output
from rondine_cli.session import Session, named_values
from rondine_client import Application, RondineProblem

TOKEN = "RONDINE_APPLICATION_TOKEN"  # the variable's name


def add_commands(commands: Any) -> None:
    verbs = commands.add_parser("application", help="programs that use what an environment has").add_subparsers(
        required=True, metavar="VERB"
    )
    add_item_verbs(
        verbs,
        "applications",
        "application",
        ["name", "title", "environment", "tokens", "used_at", "document.may_write"],
    )
    make = verbs.add_parser("make", help="make or change one (administrators)")
    make.add_argument("name")
    make.add_argument("--title", help="how it is shown (default: the name)")
    make.add_argument("--environment", help="that it uses (default: test)")
    make.add_argument("--operation", action="append", metavar="NAME", help="that it may call; may be given again")
    make.add_argument("--all-operations", action="store_true", help="it may call all that the environment has")
    make.add_argument("--records", action="append", metavar="RECORD_TYPE", help="that it may read; may be given again")
    make.add_argument("--all-records", action="store_true", help="it may read the records of all types")
    make.add_argument("--may-write", action="store_true", help="it may call operations that write, too")
    make.add_argument("--calls-a-minute", type=int, metavar="COUNT", help="requests at most (default: no limit)")
    make.add_argument(
        "--callers",
        nargs="+",
        metavar=("RECORD_TYPE.FIELD", "VALUE"),
        help="only for users whose record has one of these values in a field",
    )
    add_set_option(make, "time_limit=10, keeps_responses=true or enabled=false")
    make.set_defaults(run=run_make)
    offer = verbs.add_parser("offer", help="what one may use now")
    offer.add_argument("name")
    offer.set_defaults(run=run_offer)
    usage = verbs.add_parser("usage", help="how much was used, hour by hour")
    usage.add_argument("name", nargs="?", help="of one application (default: of all)")
    usage.add_argument("--days", type=int, default=7)
    usage.set_defaults(run=run_usage)

    token = verbs.add_parser("token", help="its tokens").add_subparsers(required=True, metavar="VERB")
    new = token.add_parser("make", help="a new one; it is shown once")
    new.add_argument("name")
    new.add_argument("--title", required=True, help="where it is used")
    lasting = new.add_mutually_exclusive_group()
    lasting.add_argument("--days", type=int, default=90, help="how long it lasts (default: 90)")
    lasting.add_argument("--for-ever", action="store_true")
    new.set_defaults(run=run_make_token)
    listing = token.add_parser("list", help="list them")
    listing.add_argument("name")
    listing.set_defaults(run=run_tokens)
    revoke = token.add_parser("revoke", help="end one, at once")
    revoke.add_argument("name")
    revoke.add_argument("token", type=int, help="its number, as listed")
    revoke.set_defaults(run=run_revoke)
    _add_use(commands)


def _add_use(commands: Any) -> None:
    use = commands.add_parser(
        "use", help=f"call and read as an application does, by its token in {TOKEN}"
    ).add_subparsers(required=True, metavar="VERB")

    def verb(name: str, words: str, run: Any) -> Any:
        parser = use.add_parser(name, help=words)
        parser.add_argument("--environment", default="test", help="that the token is for (default: test)")
        if name in ("call", "records", "record"):
            parser.add_argument("--caller", metavar="KEY", help="the user whom the application calls for")
        parser.set_defaults(run=run)
        return parser

    verb("offer", "what the token may use", run_use_offer)
    verb("openapi", "the same as an OpenAPI 3.1 document", run_openapi)
    call = verb("call", "call an operation", run_call)
    call.add_argument("operation")
    call.add_argument("inputs", nargs="*", metavar="NAME=VALUE")
    call.add_argument("--mapping", help="makes records of the response")
    call.add_argument("--key", help="repeated with the same one, the call is made once (default: a new one)")
    call.add_argument("--wait", type=float, metavar="SECONDS", help="for the reply")
    how = call.add_mutually_exclusive_group()
    how.add_argument("--background", action="store_true", help="leave it to a worker, and show its run")
    how.add_argument("--content", metavar="FILE", help="write the bare body of the response there; - for here")
    records = verb("records", "kept records, one a line", run_records)
    records.add_argument("record_type")
    records.add_argument("filters", nargs="*", metavar="FIELD=VALUE", help="also FIELD.from=, FIELD.to=, sort=FIELD")
    records.add_argument("--limit", type=int, default=20)
    record = verb("record", "one kept record", run_record)
    record.add_argument("record_type")
    record.add_argument("key", nargs="+")
    run = verb("run", "a call in the background: how it goes, and its reply", run_run)
    run.add_argument("number", type=int)
    run.add_argument("--follow", action="store_true", help="until it is over")


def run_make(session: Session, args: Namespace, out: Output) -> None:
    document = document_of(session.office.applications, args.name)
    for option, field in (("operation", "operations"), ("records", "record_types")):
        if getattr(args, option):
            document[field] = getattr(args, option)
    for option, field in (
        ("all_operations", "all_operations"), ("all_records", "all_record_types"), ("may_write", "may_write"),
    ):  # fmt: skip
        if getattr(args, option):
            document[field] = True
    if args.calls_a_minute:
        document["calls_a_minute"] = args.calls_a_minute
    if args.callers:
        document["callers"] = _caller_rule(args.callers)
    references = {"environment": args.environment} if args.environment else {}
    if not args.environment and not any(
        one["name"] == args.name for one in session.office.applications.search(args.name)
    ):
        references = {"environment": "test"}
    made = session.office.applications.save(
        args.name,
        document=with_changes(document, args.changes),
        **references,
        **({"title": args.title} if args.title else {}),
    )
    words = f"application {made['name']} is at version {made['version']}, for {made['environment']}"
    hint = "" if made["tokens"] else f"; give it a token: rondine application token make {made['name']} --title WHERE"
    out.value(made, words + hint)
    show_problems(made, out)


def _caller_rule(words: list[str]) -> dict[str, Any]:
    record_type, dot, field = words[0].partition(".")
    if not dot or len(words) < 2:
        raise ArgumentTypeError("--callers: write RECORD_TYPE.FIELD VALUE ..., such as crew-member.state active")
    return {"record_type": record_type, "field": field, "values": words[1:]}


def run_offer(session: Session, args: Namespace, out: Output) -> None:
    offer = session.office.applications.offer(args.name)
    rows = [
        {"kind": kind, **item}
        for kind, items in (("operation", offer["operations"]), ("records", offer["record_types"]))
        for item in items
    ]
    out.rows(rows, ["kind", "name", "title"], empty="nothing")
    if not out.as_json:
        out.say(f"as {offer['goes_by']} has them")


def run_usage(session: Session, args: Namespace, out: Output) -> None:
    rows = (
        {
            **row,
            "mean_ms": round(row["busy_ms"] / row["calls"], 1),
            "service_ms": round(row["service_ms"] / row["calls"], 1),
        }
        for row in session.office.applications.usage(args.name, days=args.days)
    )
    columns = ["hour", "application", "what", "calls", "failed", "mean_ms", "service_ms"]
    out.rows(rows, columns, empty="no operation was called in this time; reading records is not counted")


def run_make_token(session: Session, args: Namespace, out: Output) -> None:
    made = session.office.applications.make_token(args.name, args.title, None if args.for_ever else args.days)
    out.value(made, made["token"])
    if not out.as_json:
        until = f"until {made['expires_at'][:10]}" if made["expires_at"] else "for ever"
        out.say(f"it is shown this once, and lasts {until}; commands take it from {TOKEN}")


def run_tokens(session: Session, args: Namespace, out: Output) -> None:
    columns = ["id", "title", "by", "made_at", "used_at", "expires_at"]
    out.rows(session.office.applications.tokens(args.name), columns, empty="it has no token")


def run_revoke(session: Session, args: Namespace, out: Output) -> None:
    session.office.applications.revoke_token(args.name, args.token)
    out.good(f"token {args.token} of {args.name} counts no more")


def application_of(session: Session, args: Namespace) -> Application:
    """Raises RondineProblem without a token."""
    token = os.environ.get(TOKEN, "")
    if not token:
        raise RondineProblem(
            {
                "code": "sign_in_needed",
                "detail": "there is no token of an application",
                "where": TOKEN,
                "hint": "an administrator makes one: rondine application token make NAME --title WHERE",
            }
        )
    return Application(
        session.project_name, args.environment, token=token, url=session.url, caller=getattr(args, "caller", None)
    )


def run_use_offer(session: Session, args: Namespace, out: Output) -> None:
    offer = application_of(session, args).offer()
    if out.as_json:
        out.value(offer)
        return
    rows: list[dict[str, Any]] = [
        {
            "kind": "operation, writes" if one["writes"] else "operation",
            "name": one["name"],
            "takes": ", ".join(given["name"] + ("" if given.get("required") else "?") for given in one["inputs"]),
            "mappings": ", ".join(held["name"] for held in one["mappings"]),
        }
        for one in offer["operations"]
    ]
    rows += [
        {"kind": "records", "name": one["name"], "takes": ", ".join(one["key"]), "mappings": ""}
        for one in offer["record_types"]
    ]
    out.rows(rows, ["kind", "name", "takes", "mappings"], empty="nothing")
    out.say(f"{offer['application']} in {offer['environment']}; for an example: rondine --json use offer")


def run_openapi(session: Session, args: Namespace, out: Output) -> None:
    out.value(application_of(session, args).openapi())


def run_call(session: Session, args: Namespace, out: Output) -> None:
    application = application_of(session, args)
    inputs = {name: json_or_text(value) for name, value in named_values(args.inputs).items()}
    if args.content:
        body = application.content(args.operation, inputs, key=args.key)
        if args.content == "-":
            sys.stdout.buffer.write(body)
        else:
            Path(args.content).write_bytes(body)
            out.good(f"{len(body):,} bytes are in {args.content}")
    elif args.background:
        run = application.start(args.operation, inputs, mapping=args.mapping, key=args.key)
        out.value(run, f"run {run['number']} is {run['state']}: rondine use run {run['number']} --follow")
    else:
        out.value(application.call(args.operation, inputs, mapping=args.mapping, key=args.key, wait=args.wait))


def run_records(session: Session, args: Namespace, out: Output) -> None:
    found = application_of(session, args).records(args.record_type, limit=args.limit, **named_values(args.filters))
    rows = list(found)
    columns = list(dict.fromkeys(f"data.{name}" for row in rows for name in row["data"]))
    out.rows(rows, columns, empty="there is no record like that")


def run_record(session: Session, args: Namespace, out: Output) -> None:
    out.value(application_of(session, args).record(args.record_type, *args.key))


def run_run(session: Session, args: Namespace, out: Output) -> None:
    application = application_of(session, args)
    if args.follow:
        for run in application.watch(args.number):
            if not out.as_json:
                out.say(f"run {run['number']} is {run['state']}")
    out.value(application.run(args.number))
