"""Applications: what they may use, their tokens, and their calls as they make them."""

import sys
from argparse import ArgumentTypeError, Namespace
from contextlib import ExitStack
from mimetypes import guess_type
from pathlib import Path
from typing import Any

from rondine_cli.items import add_item_verbs, add_set_option, document_of, json_or_text, show_problems, with_changes
from rondine_cli.output import Output
from rondine_cli.session import Session, named_values
from rondine_cli.signing_in import TOKEN, add_sign_in, application_of
from rondine_cli.trials import case_inputs
from rondine_client import Application
from rondine_client.requests import UNKNOWN, Content


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
    make.add_argument("--flow", action="append", metavar="NAME", help="that it may call; may be given again")
    make.add_argument("--all-flows", action="store_true", help="it may call all flows that the environment has")
    make.add_argument("--records", action="append", metavar="RECORD_TYPE", help="that it may read; may be given again")
    make.add_argument("--all-records", action="store_true", help="it may read the records of all types")
    make.add_argument("--may-write", action="store_true", help="it may call operations and flows that write, too")
    make.add_argument("--calls-a-minute", type=int, metavar="COUNT", help="requests at most (default: no limit)")
    make.add_argument(
        "--callback",
        action="append",
        metavar="ADDRESS",
        help="where services may send its users back to, who sign in there; may be given again",
    )
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
    sessions = verbs.add_parser("sessions", help="its users who are signed in at services themselves")
    sessions.add_argument("name")
    sessions.add_argument("--end", action="store_true", help="sign all of them out, at once")
    sessions.set_defaults(run=run_sessions)
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
        if name in ("call", "flow", "records", "record"):
            parser.add_argument("--caller", metavar="KEY", help="the user whom the application calls for")
            parser.add_argument(
                "--session-file", type=Path, metavar="FILE", help="with the session of that user, as sign-in wrote it"
            )
        parser.set_defaults(run=run)
        return parser

    verb("offer", "what the token may use", run_use_offer)
    verb("openapi", "the same as an OpenAPI 3.1 document", run_openapi)
    call = verb("call", "call an operation", run_call)
    call.add_argument("operation")
    call.add_argument("inputs", nargs="*", metavar="NAME=VALUE")
    call.add_argument("--file", action="append", metavar="NAME=PATH", help="a file for an input; may be given again")
    call.add_argument("--case", metavar="NAME", help="a test case whose inputs are taken, but for those given here")
    call.add_argument("--mapping", help="makes records of the response")
    call.add_argument("--key", help="repeated with the same one, the call is made once (default: a new one)")
    call.add_argument("--wait", type=float, metavar="SECONDS", help="for the reply")
    how = call.add_mutually_exclusive_group()
    how.add_argument("--background", action="store_true", help="leave it to a worker, and show its run")
    how.add_argument("--content", metavar="FILE", help="write the bare body of the response there; - for here")
    flow = verb("flow", "run a flow", run_flow)
    flow.add_argument("flow")
    flow.add_argument("inputs", nargs="*", metavar="NAME=VALUE")
    flow.add_argument("--case", metavar="NAME", help="a test case whose inputs are taken, but for those given here")
    flow.add_argument("--key", help="repeated with the same one, it is run once (default: a new one, if it writes)")
    flow.add_argument("--wait", type=float, metavar="SECONDS", help="for the reply")
    flow.add_argument("--background", action="store_true", help="leave it to a worker, and show its run")
    records = verb("records", "kept records, one a line", run_records)
    records.add_argument("record_type")
    records.add_argument("filters", nargs="*", metavar="FIELD=VALUE", help="also FIELD.from=, FIELD.to=, sort=FIELD")
    records.add_argument("--limit", type=int, default=20)
    record = verb("record", "one kept record", run_record)
    record.add_argument("record_type")
    record.add_argument("key", nargs="+")
    add_sign_in(verb)
    run = verb("run", "a call in the background: how it goes, and its reply", run_run)
    run.add_argument("number", type=int)
    run.add_argument("--follow", action="store_true", help="until it is over")


def run_make(session: Session, args: Namespace, out: Output) -> None:
    document = document_of(session.office.applications, args.name)
    for option, field in (
        ("operation", "operations"), ("flow", "flows"), ("records", "record_types"), ("callback", "callbacks"),
    ):  # fmt: skip
        if getattr(args, option):
            document[field] = getattr(args, option)
    for option, field in (
        ("all_operations", "all_operations"), ("all_flows", "all_flows"), ("all_records", "all_record_types"),
        ("may_write", "may_write"),
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
    parts = {"operation": offer["operations"], "flow": offer["flows"], "records": offer["record_types"]}
    rows = [{"kind": kind, **item} for kind, items in parts.items() for item in items]
    out.rows(rows, ["kind", "name", "title"], empty="nothing")
    if not out.as_json:
        out.say(f"as {offer['goes_by']} has them")


def run_sessions(session: Session, args: Namespace, out: Output) -> None:
    if args.end:
        session.office.applications.end_sessions(args.name)
        out.good(f"no user of {args.name} is signed in any more")
        return
    columns = ["service", "caller", "is_begun", "made_at", "used_at", "expires_at"]
    out.rows(session.office.applications.sessions(args.name), columns, empty="nobody is signed in")


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
    out.rows(rows, columns, empty="nothing was used in this time")


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
        {
            "kind": "flow, writes" if one["writes"] else "flow",
            "name": one["name"],
            "takes": ", ".join(given["name"] + ("" if given.get("required") else "?") for given in one["inputs"]),
            "mappings": "",
        }
        for one in offer["flows"]
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
    saved = _saved(session, application, args.case, "operations", args.operation)
    inputs = saved | {name: json_or_text(value) for name, value in named_values(args.inputs).items()}
    if args.content:
        _write_content(application, args, inputs, out)
    elif args.background:
        if args.file:
            raise ArgumentTypeError("--file: files are sent at once; leave --background out")
        run = application.start(args.operation, inputs, mapping=args.mapping, key=args.key)
        out.value(run, f"run {run['number']} is {run['state']}: rondine use run {run['number']} --follow")
    else:
        with ExitStack() as stack:
            files = _opened(args.file, stack)
            reply = application.call(
                args.operation, inputs, mapping=args.mapping, files=files, key=args.key, wait=args.wait
            )
        out.value(reply)


def _saved(session: Session, application: Application, case: str | None, kind: str, name: str) -> dict[str, Any]:
    """The inputs of a test case that an operation or a flow takes."""
    if case is None:
        return {}
    offer: Any = application.offer()
    taken = [given["name"] for one in offer[kind] if one["name"] == name for given in one["inputs"]]
    return case_inputs(session, case, taken, name)


def run_flow(session: Session, args: Namespace, out: Output) -> None:
    application = application_of(session, args)
    saved = _saved(session, application, args.case, "flows", args.flow)
    inputs = saved | {name: json_or_text(value) for name, value in named_values(args.inputs).items()}
    if args.background:
        begun: Any = application.start_flow(args.flow, inputs, key=args.key)
    else:
        begun = application.call_flow(args.flow, inputs, key=args.key, wait=args.wait)
    if "state" not in begun:
        out.value(begun)
        return
    waits = "".join(f", for {one['question'] or one['kind']}" for one in begun["waits_for"])
    out.value(begun, f"run {begun['number']} is {begun['state']}{waits}: rondine use run {begun['number']} --follow")


def _opened(words: list[str] | None, stack: ExitStack) -> dict[str, Content]:
    """Files named by NAME=PATH, open for reading."""
    return {
        name: (Path(path).name, stack.enter_context(open(path, "rb")), guess_type(path)[0] or UNKNOWN)
        for name, path in named_values(words).items()
    }


def _write_content(application: Application, args: Namespace, inputs: dict[str, Any], out: Output) -> None:
    """Into a file that has its name only when it is whole."""
    offered = {one["name"]: one for one in application.offer()["operations"]}
    writes = offered.get(args.operation, {"writes": True})["writes"]
    with ExitStack() as stack:
        if writes or args.file or args.key:
            pieces = iter([application.content(args.operation, inputs, files=_opened(args.file, stack), key=args.key)])
        else:
            pieces = application.download(args.operation, inputs)
        if args.content == "-":
            for piece in pieces:
                sys.stdout.buffer.write(piece)
            return
        made = Path(f"{args.content}.part")
        size = 0
        try:
            with made.open("wb") as file:
                for piece in pieces:
                    size += file.write(piece)
            made.rename(args.content)
        finally:
            made.unlink(missing_ok=True)
    out.good(f"{size:,} bytes are in {args.content}")


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
