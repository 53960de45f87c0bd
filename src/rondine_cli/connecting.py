"""Services, connections and their sign-in, permitted hosts."""

import json
import re
import time
from argparse import ArgumentTypeError, Namespace
from datetime import datetime
from pathlib import Path
from typing import Any

from rondine_cli.items import (
    add_item_verbs,
    add_set_option,
    document_of,
    json_or_text,
    read_document,
    show_problems,
    with_changes,
)
from rondine_cli.output import Output
from rondine_cli.session import Session

SCHEMES = (
    "none",
    "api_key",
    "bearer",
    "basic",
    "digest",
    "client_certificate",
    "client_credentials",
    "authorization_code",
    "jwt_bearer",
    "password_grant",
    "sign_in_operation",
    "user_name_token",
    "soap_header",
)


def add_commands(commands: Any) -> None:
    service = commands.add_parser("service", help="outside services").add_subparsers(required=True, metavar="VERB")
    add_item_verbs(service, "services", "service", ["name", "title", "version"])
    make = service.add_parser("make", help="make or change one")
    make.add_argument("name")
    make.add_argument("--title", default="")
    make.add_argument("--documentation", default="", help="address of its documentation")
    make.set_defaults(run=run_service_make)
    described = service.add_parser("openapi", help="describe it as OpenAPI 3.1, on standard output")
    described.add_argument("name")
    described.add_argument("--environment", default="test", help="whose connection says where it is")
    described.set_defaults(run=run_service_openapi)
    facts = service.add_parser("preparation", help="what is known of it, and what is still to find out")
    facts.add_argument("name")
    facts.set_defaults(run=run_preparation)
    stands = service.add_parser("stand-in", help="what stands in for it while it is away: switch it on, and look")
    stands.add_argument("name")
    switch = stands.add_mutually_exclusive_group()
    switch.add_argument("--on", action="store_true", help="switch it on")
    switch.add_argument("--off", action="store_true", help="switch it off")
    stands.add_argument("--delay", type=float, metavar="SECONDS", help="before each response")
    stands.add_argument("--fail-every", type=int, metavar="COUNT", help="each so many-th call fails; 1: all, 0: none")
    stands.add_argument("--fail-status", type=int, metavar="STATUS", help="that a call fails with")
    stands.add_argument("--rows", type=int, metavar="COUNT", help="of lists, in all")
    stands.add_argument("--page-size", type=int, metavar="COUNT", help="rows of a page")
    stands.set_defaults(run=run_stand_in)
    note = service.add_parser("note", help="note what its documentation says")
    note.add_argument("name")
    note.add_argument("--documentation", metavar="URL")
    note.add_argument("--base-address", metavar="URL")
    note.add_argument("--sign-in", choices=SCHEMES, metavar="SCHEME", help=f"one of {', '.join(SCHEMES)}")
    note.add_argument("--setting", action="append", default=[], metavar="NAME=VALUE", help="of the sign-in")
    note.add_argument("--key-from", metavar="TEXT", help="where to get a key or an account")
    note.add_argument(
        "--limit", action="append", type=limit_of, metavar="LIMIT", help='such as "100 a minute", or none'
    )
    note.add_argument("--example", metavar="URL", help="an example address")
    note.set_defaults(run=run_note)
    prepared = service.add_parser("connect", help="make connection and first operation from what is noted")
    prepared.add_argument("name")
    prepared.add_argument("--environment", default="test")
    prepared.set_defaults(run=run_connect)

    connection = commands.add_parser("connection", help="how a service is reached in an environment").add_subparsers(
        required=True, metavar="VERB"
    )
    add_item_verbs(
        connection,
        "connections",
        "connection",
        ["name", "service", "environment", "document.base_address", "check_result.works"],
    )
    _add_connection_make(connection)
    check = connection.add_parser("check", help="see whether it works, step by step")
    check.add_argument("name")
    check.add_argument(
        "--from", dest="where", choices=["web", "worker"], default="web", help="which process looks (default: web)"
    )
    check.set_defaults(run=run_check)
    for verb, help_text, run in (
        ("enable", "let it be used again", run_enable),
        ("disable", "refuse its use without removing it", run_enable),
        ("meter", "how much of its limits is used, and when it refills", run_meter),
        ("effective", "what goes with every request, and where from", run_effective),
        ("token", "the life of its access token; never the token", run_token),
        ("discard-token", "forget its access token", run_discard),
        ("sign-in", "sign in at the service in the browser", run_sign_in),
    ):
        made = connection.add_parser(verb, help=help_text)
        made.add_argument("name")
        made.set_defaults(run=run, verb=verb)
    waiting = connection.add_parser(
        "wait", help="decide on a wait that the service asked for: an hour of it is believed"
    )
    waiting.add_argument("name")
    which = waiting.add_mutually_exclusive_group(required=True)
    which.add_argument("--lift", action="store_true", help="call again now")
    which.add_argument("--as-asked", action="store_true", help="wait as long as the service asked")
    waiting.set_defaults(run=run_wait)
    found = connection.add_parser("addresses", help="the OAuth addresses that a service itself names")
    found.add_argument("issuer", metavar="URL")
    found.set_defaults(run=run_addresses)

    host = commands.add_parser(
        "host", help="the hosts that may be reached (administrators permit them)"
    ).add_subparsers(required=True, metavar="VERB")
    host.add_parser("list", help="list them").set_defaults(run=run_hosts)
    permit = host.add_parser("permit", help="permit one")
    permit.add_argument("host")
    permit.add_argument("--port", type=int)
    permit.add_argument("--private", action="store_true", help="it may have a private or loopback address")
    permit.set_defaults(run=run_permit)
    remove = host.add_parser("remove", help="take a permission back")
    remove.add_argument("id", type=int, help="as 'rondine host list' shows it")
    remove.set_defaults(run=run_host_remove)


def _add_connection_make(connection: Any) -> None:
    make = connection.add_parser("make", help="make one, or change what is given")
    make.add_argument("name")
    make.add_argument("--service", required=True)
    make.add_argument("--environment", default="test")
    make.add_argument("--title", help="how it is shown (default: the name)")
    make.add_argument("--credential", help="the credential that holds its secrets")
    make.add_argument("--file", help="a whole connection document (JSON or YAML; - for standard input)")
    where = make.add_argument_group("where")
    where.add_argument("--base-address", metavar="URL", help="with {blanks}, if it has some")
    where.add_argument("--blank", action="append", default=[], metavar="NAME=VALUE")
    where.add_argument(
        "--further-origin",
        action="append",
        metavar="ORIGIN",
        help="where next pages may be besides, such as https://archive.register.example",
    )
    where.add_argument("--proxy", metavar="URL")
    where.add_argument("--site", help="only workers started with --site SITE execute its runs")
    where.add_argument("--authority", metavar="FILE", help="certificate of the service's own authority, PEM")
    where.add_argument("--certificate", metavar="FILE", help="our client certificate, PEM")
    much = make.add_argument_group("how much")
    much.add_argument(
        "--limit", action="append", type=limit_of, metavar="LIMIT", help='such as "10 a second", "50000 a month"'
    )
    much.add_argument("--parallel", type=int, help="calls under way at a time, over all processes")
    how = make.add_argument_group("how to sign in")
    how.add_argument("--sign-in", choices=SCHEMES, metavar="SCHEME", help=f"one of {', '.join(SCHEMES)}")
    how.add_argument(
        "--setting", action="append", default=[], metavar="NAME=VALUE", help="of the sign-in, see docs/sign-in"
    )
    how.add_argument("--api-key-header", metavar="NAME", help="short for --sign-in api_key --setting name=NAME")
    every = make.add_argument_group("with every request")
    every.add_argument("--header", action="append", metavar="NAME=VALUE")
    every.add_argument(
        "--standing-header",
        action="append",
        metavar="NAME=STANDING-VALUE",
        help="a header that carries a standing value",
    )
    every.add_argument("--query", action="append", metavar="NAME=VALUE")
    add_set_option(make, "time_outs.idle=30 or retrying.max_waits=5")
    make.set_defaults(run=run_connection_make)


def limit_of(text: str) -> dict[str, Any] | None:
    """A limit as people write it: "10 a second", "1000 in 24 hours", "50,000 a month"; "none" is not a limit."""
    if text.strip().lower() == "none":
        return None
    found = re.fullmatch(
        r"\s*([\d,]+)(?: calls?)?\s+(?:an?|per|in|/)\s*(\d+)?\s*(second|minute|hour|day|month)s?\s*", text
    )
    if not found:
        raise ArgumentTypeError(f'"{text}" is not a limit; write it like "10 a second" or "1000 in 24 hours"')
    every = {"every": int(found.group(2))} if found.group(2) and found.group(2) != "1" else {}
    return {"calls": int(found.group(1).replace(",", "")), "span": found.group(3), **every}


def pairs_of(pairs: list[str], option: str) -> dict[str, str]:
    for pair in pairs:
        if "=" not in pair:
            raise ArgumentTypeError(f"{option} {pair}: write NAME=VALUE")
    return dict(pair.split("=", 1) for pair in pairs)


def sign_in_of(scheme: str, settings: list[str]) -> dict[str, Any]:
    """Values that are JSON (numbers, lists, true) are taken as such, all others as text."""
    out: dict[str, Any] = {"type": scheme}
    return out | {name: json_or_text(value) for name, value in pairs_of(settings, "--setting").items()}


def run_service_make(session: Session, args: Namespace, out: Output) -> None:
    made = session.office.services.save(
        args.name, title=args.title, document={"documentation": args.documentation} if args.documentation else {}
    )
    out.value(made, f"service {made['name']} is at version {made['version']}")


def run_service_openapi(session: Session, args: Namespace, out: Output) -> None:
    made = session.office.services.export(args.name, args.environment)
    print(json.dumps(made["document"], ensure_ascii=False, indent=2))
    for one in made["unsaid"]:
        out.say(f"not said: {one['where']}: {one['message']}")


def run_preparation(session: Session, args: Namespace, out: Output) -> None:
    lines = [
        f"{'✓' if one['value'] else '·'} {one['title']}: "
        + (f"{one['value']} ({one['source']})" if one["value"] else f"not known yet; {one['hint']}")
        for one in session.office.services.preparation(args.name)
    ]
    out.value(session.office.services.preparation(args.name) if out.as_json else None, "\n".join(lines))


def run_stand_in(session: Session, args: Namespace, out: Output) -> None:
    services = session.office.services
    names = ("delay", "fail_every", "fail_status", "rows", "page_size")
    given = {name: value for name in names if (value := getattr(args, name)) is not None}
    if args.on or args.off or given:
        held = services.get(args.name)
        before = held["document"].get("stand_in") or {}
        document = {**held["document"], "stand_in": None if args.off else {**before, **given}}
        services.change(args.name, version=held["version"], document=document)
    shown = services.stand_in(args.name)
    if out.as_json:
        out.value(shown)
        return
    out.rows(shown["operations"], ["name", "method", "path", "responds", "words"], empty="it has no operations")
    if shown["is_on"]:
        out.say(f"it responds at {shown['address']}: take it for the base address of a connection")
    else:
        out.say(f"it is switched off; rondine service stand-in {args.name} --on")


def run_note(session: Session, args: Namespace, out: Output) -> None:
    held = session.office.services.get(args.name)
    noted = dict(held["document"].get("preparation", {}))
    given = {"base_address": args.base_address, "key_from": args.key_from, "example": args.example}
    noted |= {name: value for name, value in given.items() if value is not None}
    if args.sign_in:
        noted["sign_in"] = sign_in_of(args.sign_in, args.setting)
    if args.limit:
        noted["limits"] = [one for one in args.limit if one]
    document = {**held["document"], "preparation": noted}
    if args.documentation:
        document["documentation"] = args.documentation
    session.office.services.change(args.name, version=held["version"], document=document)
    run_preparation(session, args, out)


def run_connect(session: Session, args: Namespace, out: Output) -> None:
    made = session.office.services.connect_prepared(args.name, args.environment)
    lines = [
        f"connection {made['connection']} is made; see whether it works: rondine connection check {made['connection']}"
    ]
    if made["credential"]:
        lines.append(f"give it its secret: rondine credential set {made['credential']}")
    if made["operation"]:
        lines.append(f"and send the first operation: rondine operation try {made['operation']}")
    out.value(made, "\n".join(lines))


def run_connection_make(session: Session, args: Namespace, out: Output) -> int:
    document = document_of(session.office.connections, args.name)
    if args.file:
        document = read_document(args.file)
    for name in ("base_address", "site", "parallel"):
        if getattr(args, name) is not None:
            document[name] = getattr(args, name)
    if args.blank:
        document["blanks"] = {**document.get("blanks", {}), **pairs_of(args.blank, "--blank")}
    if args.further_origin:
        document["further_origins"] = args.further_origin
    if args.proxy is not None:
        document["proxy"] = {**document.get("proxy", {}), "address": args.proxy}
    tls = {name: Path(getattr(args, name)).read_text() for name in ("authority", "certificate") if getattr(args, name)}
    if tls:
        document["tls"] = {**document.get("tls", {}), **tls}
    if args.limit:
        document["limits"] = [one for one in args.limit if one]
    held = document.get("sign_in", {}).get("type")
    if args.setting and not (args.sign_in or args.api_key_header or held):
        out.bad("--setting is a setting of the sign-in, and there is none: say which with --sign-in")
        return 2
    if args.api_key_header or args.sign_in or args.setting:
        scheme = args.sign_in or ("api_key" if args.api_key_header else held)
        before = document.get("sign_in", {}) if held == scheme and not args.sign_in else {}
        document["sign_in"] = {**before, **sign_in_of(scheme, args.setting)}
        if args.api_key_header:
            document["sign_in"]["name"] = args.api_key_header
    headers: list[tuple[str, Any]] = list(pairs_of(args.header or [], "--header").items())
    standing = pairs_of(args.standing_header or [], "--standing-header").items()
    headers += [(name, [{"standing": value}]) for name, value in standing]
    for name, pairs in (("headers", headers), ("query", pairs_of(args.query or [], "--query").items())):
        if pairs:
            document[name] = [{"name": key, "value": value} for key, value in pairs]
    document = with_changes(document, args.changes)
    references = {"service": args.service, "environment": args.environment}
    if args.credential:
        references["credential"] = args.credential
    if args.title:
        references["title"] = args.title
    made = session.office.connections.save(args.name, **references, document=document)
    out.value(
        made,
        f"connection {made['name']} is at version {made['version']}; see whether it works: rondine connection check"
        f" {made['name']}",
    )
    show_problems(made, out)
    for warning in made["warnings"]:
        out.say(f"mind: {warning['message']} - {warning['hint']}")
    return 0


def run_check(session: Session, args: Namespace, out: Output) -> int:
    found = session.office.connections.check(args.name, where=args.where)
    lines = [
        f"{'✓' if step['is_good'] else '✗'} {step['step']}: {step['words']}"
        + (f" ({step['ms']:g} ms)" if step["ms"] is not None else "")
        + (f"\n  {step['hint']}" if step["hint"] else "")
        for step in found["steps"]
    ]
    ending = f"it {'works' if found['works'] else 'does not work'}, looked at from {found['by']}"
    out.value(found, "\n".join([*lines, ending]))
    return 0 if found["works"] else 1


def run_enable(session: Session, args: Namespace, out: Output) -> None:
    session.office.connections.enable(args.name, enabled=args.verb == "enable")
    out.good(f"connection {args.name} is {args.verb}d")


def run_wait(session: Session, args: Namespace, out: Output) -> None:
    found = session.office.connections.decide_wait(args.name, believe=args.as_asked)
    held = found["held_until"]
    out.value(found, f"calls wait until {_moment(held)}" if held else f"calls over {args.name} go out again")


def run_meter(session: Session, args: Namespace, out: Output) -> None:
    found = session.office.connections.meter(args.name)
    lines = [
        f"{limit['words']}: {limit['used']:,} used, {limit['left']:,} left"
        + (f", refills {_moment(limit['refills_at'])}" if limit["refills_at"] and limit["used"] else "")
        for limit in found["limits"]
    ]
    if found["parallel"]:
        lines.append(f"{found['parallel']} at a time: {found['under_way']} under way")
    if found["held_until"]:
        lines.append(f"held back until {_moment(found['held_until'])}: {found['held_why']}")
        lines.append(f"to call again now: rondine connection wait {args.name} --lift")
    if found["said"]:
        lines.append(f"the service itself says: {found['said']['left']:,} left")
    lines = lines or ["the connection has no limits"]
    if found["operations"]:
        lines.append("calls of the last 24 hours by operation:")
        lines += [f"  {operation['operation']}  {operation['calls']:,}" for operation in found["operations"]]
    out.value(found, "\n".join(lines))


def _moment(seconds: float) -> str:
    return datetime.fromtimestamp(seconds).astimezone().strftime("%Y-%m-%d %H:%M:%S")


def run_effective(session: Session, args: Namespace, out: Output) -> None:
    out.rows(
        session.office.connections.effective(args.name),
        ["place", "name", "value", "source"],
        empty="nothing goes with it",
    )


def run_token(session: Session, args: Namespace, out: Output) -> None:
    found = session.office.connections.sign_in_state(args.name)
    lines = []
    for token in found["tokens"]:
        of = f"operation {token['operation']}: " if token["operation"] else ""
        lines.append(f"{of}{token['words']}")
        if token["obtained_at"]:
            until = f", valid until {token['expires_at']}" if token["expires_at"] else ""
            by = f", signed in by {token['signed_in_by']}" if token["signed_in_by"] else ""
            scope = f", scope {token['scope']}" if token["scope"] else ""
            lines.append(f"  obtained {token['obtained_at']}{until}, renewed {token['renewed']} times{scope}{by}")
    out.value(found, "\n".join(lines) or "this sign-in has no token: it sends the secret itself")


def run_discard(session: Session, args: Namespace, out: Output) -> None:
    session.office.connections.discard_token(args.name)
    out.good(f"connection {args.name} holds no token any more")


def run_sign_in(session: Session, args: Namespace, out: Output) -> int:
    """Prints the consent page's address and waits until the person has come back from it."""
    before = session.office.connections.sign_in_state(args.name)["tokens"]
    begun = session.office.connections.begin_sign_in(args.name)
    out.value(begun, f"open this in a browser in which you are signed in to Rondine:\n{begun['address']}")
    if out.as_json:
        return 0
    out.say(f"the service sends you back to {begun['callback']}; waiting for that, ten minutes at most")
    until = time.monotonic() + 600
    while time.monotonic() < until:
        time.sleep(1)
        now = session.office.connections.sign_in_state(args.name)["tokens"]
        if now != before and now and now[0]["state"] == "valid":
            out.good("signed in")
            return 0
        if now != before and now and now[0]["refusal"]:
            out.bad(now[0]["words"])
            return 1
    out.bad("nobody came back; begin again")
    return 1


def run_addresses(session: Session, args: Namespace, out: Output) -> None:
    found = session.office.connections.find_addresses(args.issuer)
    lines = [
        f"token address          {found['token_address']}",
        f"authorization address  {found['authorization_address'] or 'none'}",
        f"scopes                 {' '.join(found['scopes']) or 'not named'}",
        f"PKCE                   {'yes' if found['has_pkce'] else 'not named'}",
    ]
    out.value(found, "\n".join(lines))


def run_hosts(session: Session, args: Namespace, out: Output) -> None:
    out.rows(
        session.office.hosts.list(),
        ["id", "host", "port", "is_private"],
        empty="no host is permitted; an administrator does it: rondine host permit HOST",
    )


def run_permit(session: Session, args: Namespace, out: Output) -> None:
    made = session.office.hosts.permit(args.host, args.port, is_private=args.private)
    out.value(made, f"{made['host']} may be reached")


def run_host_remove(session: Session, args: Namespace, out: Output) -> None:
    session.office.hosts.remove(args.id)
    out.good("the permission is taken back")
