"""Operations and prepared queries: made, described, corrected, copied."""

import difflib
import json
import re
from argparse import Namespace
from collections.abc import Mapping
from typing import Any

from rondine_cli.items import add_item_verbs, read_document, read_text, show_problems
from rondine_cli.output import Output
from rondine_cli.paging import add_paging_verb
from rondine_cli.session import Session
from rondine_cli.trials import add_sending_verbs
from rondine_client import RondineProblem

FIELD_TYPES = ("text", "integer", "decimal", "boolean", "date", "datetime", "json")


def add_commands(commands: Any) -> None:
    operation = commands.add_parser("operation", help="requests that services answer").add_subparsers(
        required=True, metavar="VERB"
    )
    add_item_verbs(
        operation,
        "operations",
        "operation",
        ["name", "title", "service", "document.method", "document.path", "last_run.state"],
    )
    _add_making(operation)
    _add_describing(operation)
    add_sending_verbs(operation)
    add_paging_verb(operation)
    for name, help_text in (("enable", "let it be used again"), ("disable", "refuse its use without removing it")):
        verb = operation.add_parser(name, help=help_text)
        verb.add_argument("name")
        verb.set_defaults(run=run_enable, verb=name)
    reads = operation.add_parser(
        "reads", help="say that one changes nothing at its service although its method may, as a posted search"
    )
    reads.add_argument("name")
    reads.add_argument("--not", action="store_false", dest="reads", help="take that back")
    reads.set_defaults(run=run_reads)
    read_as = operation.add_parser("read-as", help="say what its responses are read as, in place of their Content-Type")
    read_as.add_argument("name")
    read_as.add_argument(
        "media_type",
        nargs="?",
        default="",
        help='such as "text/csv; delimiter=semicolon"; none: as it says',
    )
    read_as.set_defaults(run=run_read_as)
    move = operation.add_parser(
        "move-key", help="move a fixed value that looks like a key into the connection's credential"
    )
    move.add_argument("name")
    move.add_argument("place", help="as 'rondine operation request' shows it, such as /query/0")
    move.add_argument("--environment", default="test")
    move.set_defaults(run=run_move)
    query = commands.add_parser("query", help="query texts kept once, for all operations that use them").add_subparsers(
        required=True, metavar="VERB"
    )
    add_item_verbs(query, "queries", "query", ["name", "title", "document.language", "used_by"])
    made = query.add_parser("make", help="make or change one, from a GraphQL text or a document")
    made.add_argument("name")
    made.add_argument("--title", default="")
    of = made.add_mutually_exclusive_group(required=True)
    of.add_argument("--graphql", metavar="FILE", help="a GraphQL document (- for standard input)")
    of.add_argument("--file", help="a prepared query's document (JSON or YAML; - for standard input)")
    made.set_defaults(run=run_query_make)


def _add_making(operation: Any) -> None:
    make = operation.add_parser("make", help="make or change one, from an address or a document")
    make.add_argument("name")
    make.add_argument("--service", required=True)
    make.add_argument("--title", default="")
    source = make.add_mutually_exclusive_group(required=True)
    source.add_argument("--address", help="a complete address; it is taken apart")
    source.add_argument(
        "--pasted", metavar="FILE", help="a request as HTTP text, or a list of parameters (- for standard input)"
    )
    source.add_argument("--file", help="an operation document (JSON or YAML; - for standard input)")
    make.add_argument("--environment", default="test", help="whose connection a pasted address is held against")
    make.add_argument(
        "--below",
        action="store_true",
        help="send it below the connection's base address although the pasted one is elsewhere",
    )
    make.set_defaults(run=run_make)
    copy = operation.add_parser("copy", help="copy one as the start of another, with its samples and mapping")
    copy.add_argument("name")
    copy.add_argument("new_name")
    copy.set_defaults(run=run_copy)
    usual = operation.add_parser(
        "usual", help="list, find, create, replace, change and remove of a resource, made from its path"
    )
    usual.add_argument("path", help="such as /v1/trees")
    usual.add_argument("--service", required=True)
    usual.add_argument(
        "--record-type", default="", help="its fields become the members of bodies, its key the place in the path"
    )
    usual.add_argument("--key", default="id", help="the place's name, if there is no record type (default: id)")
    usual.add_argument("--show", action="store_true", help="only show them")
    usual.set_defaults(run=run_usual)
    apart = operation.add_parser("apart", help="take an address apart and show what it is made of")
    apart.add_argument("address")
    apart.set_defaults(run=run_apart)


def _add_describing(operation: Any) -> None:
    body = operation.add_parser("body", help="show what one sends, choose another body, or make one from a sample")
    body.add_argument("name")
    body.add_argument(
        "media_type",
        nargs="?",
        default="",
        help="send this one of those that its definition offers; with --sample, what the sample is",
    )
    body.add_argument(
        "--sample",
        metavar="FILE",
        help="make it of this, with an input for each value: JSON, a form or XML; - for standard input",
    )
    body.set_defaults(run=run_body)
    describe = operation.add_parser("describe", help="say by which imported schema its responses are")
    describe.add_argument("name")
    describe.add_argument(
        "--definition", required=True, help="a JSON Schema, an XML Schema or a sample that was imported"
    )
    describe.add_argument("--schema", help="which of its schemas, if it has several")
    describe.add_argument("--status", default="200", help="three digits, a family such as 4XX, or default")
    describe.set_defaults(run=run_describe)
    correct = operation.add_parser("correct", help="say better than its samples what a part of its responses is")
    correct.add_argument("name")
    correct.add_argument("path", help="the part, with [*] for each element of a list, such as $.trees[*].girth")
    correct.add_argument("--name", dest="field_name", metavar="FIELD", help="what its field is called")
    correct.add_argument("--type", dest="field_type", choices=FIELD_TYPES, help="what its values are read as")
    correct.set_defaults(run=run_correct)


def run_make(session: Session, args: Namespace, out: Output) -> int:
    below = {"service": args.service, "environment": args.environment}
    found: Mapping[str, Any] = {}
    if args.pasted:
        found = session.office.operations.parse_request(read_text(args.pasted), **below)
    elif args.address:
        found = session.office.operations.parse_address(args.address, **below)
    if found.get("difference") and not args.below:
        out.bad(
            f"{found['difference']}\nif that is meant: --below; to call the pasted address: rondine trial send ADDRESS"
        )
        return 1
    document = found["operation"] if found else read_document(args.file)
    made = session.office.operations.save(args.name, service=args.service, title=args.title, document=document)
    base = found.get("base_address", "")
    connections = session.office.connections.search(service=args.service)
    if base and not any(connection["environment"] == args.environment for connection in connections):
        out.say(
            f"{args.service} has no connection in {args.environment} yet, and the address begins with {base}; to make"
            f" one:\n  rondine connection make {args.service}-{args.environment} --service {args.service} --environment"
            f" {args.environment} --base-address {base}"
        )
    out.value(
        made,
        f"operation {made['name']} is at version {made['version']}: {made['document'].get('method', 'GET')}"
        f" {made['document'].get('path', '/')}\nsend it once: rondine operation try {made['name']}",
    )
    show_problems(made, out)
    return 0


def run_query_make(session: Session, args: Namespace, out: Output) -> None:
    if args.graphql:
        text = read_text(args.graphql)
        names = dict.fromkeys(re.findall(r"\$(\w+)\s*:", text))
        kind = "mutation" if re.search(r"^\s*mutation\b", text, re.MULTILINE) else "query"
        document = {"query": text, "kind": kind, "variables": [{"name": name} for name in names]}
    else:
        document = read_document(args.file)
    made = session.office.queries.save(args.name, title=args.title, document=document)
    used = f", used by {', '.join(made['used_by'])}" if made["used_by"] else ""
    out.value(made, f"query {made['name']} is at version {made['version']}{used}")
    show_problems(made, out)


def run_copy(session: Session, args: Namespace, out: Output) -> None:
    made = session.office.operations.copy(args.name, args.new_name)
    also = [*made["samples"], *([f"mapping {made['mapping']}"] if made["mapping"] else [])]
    out.value(made, f"operation {made['name']}{', with ' + ', '.join(also) if also else ''}")


def run_correct(session: Session, args: Namespace, out: Output) -> int:
    if args.field_name is None and args.field_type is None:
        out.bad("nothing is corrected: give --name or --type")
        return 2
    office = session.office
    held = office.operations.get(args.name)
    bodies = [one["body"] for one in office.samples.search(operation=args.name)]
    paths = [line["path"] for line in office.bodies.outline(*bodies)["lines"]] if bodies else []
    if paths and args.path not in paths:
        near = difflib.get_close_matches(args.path, paths, n=3)
        out.bad(f"no sample of {args.name} has {args.path}" + (f"; there are {', '.join(near)}" if near else ""))
        return 1
    document = held["document"]
    response = document.get("response", {})
    found: list[Mapping[str, Any]] = [
        correction for correction in response.get("corrections", []) if correction["path"] != args.path
    ]
    before: dict[str, Any] = {"path": args.path}
    for correction in response.get("corrections", []):
        if correction["path"] == args.path:
            before.update(correction)
    given = {"name": args.field_name, "type": args.field_type}
    found.append({**before, **{name: value for name, value in given.items() if value is not None}})
    changed = office.operations.change(
        args.name, version=held["version"], document={**document, "response": {**response, "corrections": found}}
    )
    words = [f"is called {args.field_name}"] * bool(args.field_name) + [f"is {args.field_type}"] * bool(args.field_type)
    out.value(changed, f"{args.path} {' and '.join(words)} in what is proposed from now on")
    return 0


def run_usual(session: Session, args: Namespace, out: Output) -> int:
    """One whose name is taken does not keep the others from being made."""
    found = session.office.operations.usual(args.path, record_type=args.record_type, key=args.key)
    taken = []
    for one in [] if args.show else found:
        try:
            session.office.operations.make(
                one["name"], title=one["title"], service=args.service, document=one["document"]
            )
        except RondineProblem as problem:
            if problem.code != "conflict":
                raise
            taken.append(one)
    found = [one for one in found if one not in taken]
    rows = [{**one, "inputs": len(one["document"].get("inputs", []))} for one in found]
    out.rows(
        rows,
        ["name", "title", "document.method", "document.path", "inputs"],
        empty="nothing is proposed" if args.show or not taken else "nothing was made",
    )
    for one in taken:
        out.bad(f"not made: {one['title']}; there is an operation {one['name']} already")
    return 1 if taken else 0


def run_apart(session: Session, args: Namespace, out: Output) -> None:
    found = session.office.operations.parse_address(args.address)
    document = found["operation"]
    lines = [f"base address  {found['base_address']}", f"path          {document.get('path', '/')}"]
    lines += [f"query         {one['name']} = {_value(one.get('value', ''))}" for one in document.get("query", [])]
    lines += [
        f"input         {input_['name']}{', required' if input_.get('required') else ''}"
        for input_ in document.get("inputs", [])
    ]
    lines += [
        f"a key?        {finding['name']}: {finding['reason']}; move it into a credential"
        for finding in found["findings"]
    ]
    out.value(found, "\n".join(lines))


def _value(value: Any) -> str:
    if isinstance(value, dict):
        return f"the input {value['input']}" if "input" in value else f"the standing value {value['standing']}"
    return "".join(map(_value, value)) if isinstance(value, list) else str(value)


def run_enable(session: Session, args: Namespace, out: Output) -> None:
    session.office.operations.enable(args.name, enabled=args.verb == "enable")
    out.good(f"operation {args.name} is {args.verb}d")


def run_read_as(session: Session, args: Namespace, out: Output) -> None:
    held = session.office.operations.get(args.name)
    response = {**held["document"].get("response", {}), "read_as": args.media_type}
    document = {**held["document"], "response": response}
    changed = session.office.operations.change(args.name, version=held["version"], document=document)
    words = f"are read as {args.media_type}" if args.media_type else "are read as their Content-Type says"
    out.value(changed, f"responses of {args.name} {words}")
    show_problems(changed, out)


def run_reads(session: Session, args: Namespace, out: Output) -> None:
    held = session.office.operations.get(args.name)
    document = {**held["document"], "reads": args.reads}
    held = session.office.operations.change(args.name, version=held["version"], document=document)
    words = "is taken to change nothing" if args.reads else "is what its method says"
    out.value(held["document"], f"{args.name} {words}")
    show_problems(held, out)


def run_move(session: Session, args: Namespace, out: Output) -> None:
    item = session.office.operations.get(args.name)
    moved = session.office.connections.extract_secret(
        args.place, service=item["service"], environment=args.environment, operation=args.name
    )
    words = (
        f"{moved['name']} is now a secret of credential {moved['credential']}; connection {moved['connection']}"
        " sends it"
    )
    out.value(moved, words)


def run_body(session: Session, args: Namespace, out: Output) -> None:
    if args.sample:
        _make_body(session, args, out)
        return
    held = session.office.operations.get(args.name)
    if args.media_type:
        document = session.office.operations.choose_body(held["document"], args.media_type)
        held = session.office.operations.change(args.name, version=held["version"], document=document)
    body = held["document"].get("body")
    others = [other_body["media_type"] for other_body in held["document"].get("other_bodies", [])]
    words = f"{args.name} sends {_body_words(body)}" if body else f"{args.name} sends no body"
    inputs = ", ".join(input_["name"] for input_ in held["document"].get("inputs", []))
    lines = [words, *([f"inputs: {inputs}"] if inputs else [])]
    lines += [f"or: rondine operation body {args.name} {other}" for other in others]
    out.value({"body": body, "others": others}, "\n".join(lines))
    show_problems(held, out)


def _body_words(body: Mapping[str, Any]) -> str:
    """What a body is sent as."""
    known = {
        "form": "application/x-www-form-urlencoded",
        "multipart": "multipart/form-data",
        "graphql": "a GraphQL query",
        "soap": "a SOAP envelope",
    }
    found = known.get(body["type"]) or body.get("media_type") or f"application/{body['type']}"
    return f"{found}{', or nothing where no value is given' if body.get('optional') else ''}"


def _make_body(session: Session, args: Namespace, out: Output) -> None:
    made: Mapping[str, Any] = session.office.operations.body_from_sample(read_text(args.sample), args.media_type)[
        "operation"
    ]
    held = session.office.operations.get(args.name)
    rest = json.dumps({name: one for name, one in held["document"].items() if name not in ("body", "inputs")})
    fresh = {input_["name"] for input_ in made.get("inputs", [])}
    inputs = [
        input_
        for input_ in held["document"].get("inputs", [])
        if input_["name"] not in fresh and re.search(rf'"{input_["name"]}"|[{{,]{input_["name"]}[}},*:]', rest)
    ]  # those of the body before go with it
    document = {**held["document"], "body": made["body"], "inputs": [*inputs, *made.get("inputs", [])]}
    changed = session.office.operations.change(args.name, version=held["version"], document=document)
    names = ", ".join(input_["name"] for input_ in made.get("inputs", []))
    out.value(changed, f"the body of {args.name} is {made['body']['type']}, with the inputs {names}")
    show_problems(changed, out)


def run_describe(session: Session, args: Namespace, out: Output) -> int:
    roots = session.office.definitions.get(args.definition)["document"].get("roots", [])
    if args.schema is None and len(roots) != 1:
        out.bad(
            f"definition {args.definition} has several schemas; choose one with --schema: {', '.join(roots) or 'none'}"
        )
        return 2
    schema = args.schema or roots[0]
    made = session.office.operations.describe_response(args.name, args.definition, schema, status=args.status)
    out.value(made, f"responses {args.status} of {args.name} are held against {schema} of {args.definition}")
    show_problems(made, out)
    return 0
