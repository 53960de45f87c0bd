"""Operations and samples: describe, show the request, try, keep."""

import difflib
import json
import re
import sys
from argparse import ArgumentTypeError, Namespace
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from rondine_cli.items import add_item_verbs, json_or_text, read_document, read_text, show_problems
from rondine_cli.output import Output
from rondine_cli.session import Session, named_values
from rondine_client import RondineProblem

FIELD_TYPES = ("text", "integer", "decimal", "boolean", "date", "datetime", "json")


def add_commands(commands: Any) -> None:
    operation = commands.add_parser("operation", help="requests that services answer").add_subparsers(
        required=True, metavar="VERB"
    )
    add_item_verbs(
        operation, "operations", "operation", ["name", "title", "service", "document.method", "document.path"]
    )
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
    for name, help_text, run in (
        ("request", "show the request as it would be sent; nothing is", run_request),
        ("try", "send it once and show what came back", run_try),
    ):
        verb = operation.add_parser(name, help=help_text)
        verb.add_argument("name")
        verb.add_argument("--environment", default="test")
        verb.add_argument(
            "--input", action="append", metavar="NAME=VALUE", help="may be given several times; NAME= sends a blank"
        )
        verb.add_argument(
            "--record",
            metavar="TYPE/KEY",
            help="a kept record that fills inputs: tree/OLM-00001; several parts of a key: lot/A/2",
        )
        verb.add_argument(
            "--only-given", action="store_true", help="leave the try values out, which inputs have for want of another"
        )
        verb.set_defaults(run=run)
        if name == "try":
            verb.add_argument("--body", action="store_true", help="print the whole body to standard output")
            verb.add_argument(
                "--confirm", action="store_true", help="send even if it may change something at the service"
            )
            verb.add_argument("--in-protected", action="store_true", help="besides, where the environment is protected")
            verb.add_argument("--empty", action="store_true", help="besides, where no input has a value")
    for name, help_text in (("enable", "let it be used again"), ("disable", "refuse its use without removing it")):
        verb = operation.add_parser(name, help=help_text)
        verb.add_argument("name")
        verb.set_defaults(run=run_enable, verb=name)
    paging = operation.add_parser("paging", help="show or change how one asks for further pages")
    paging.add_argument("name", nargs="?")
    paging.add_argument("strategy", nargs="?", help="one of those that --strategies lists, or undecided")
    paging.add_argument(
        "setting", nargs="*", metavar="NAME=VALUE", help="such as parameter=page total=/total, or at=/next"
    )
    paging.add_argument("--strategies", action="store_true", help="list the strategies and their settings")
    paging.set_defaults(run=run_paging)
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

    trial = commands.add_parser("trial", help="one-off requests, before there is a service").add_subparsers(
        required=True, metavar="VERB"
    )
    send = trial.add_parser("send", help="send a request to an address once; nothing is made but the run")
    send.add_argument("address", nargs="?", help="the whole address; or give --file")
    send.add_argument("--file", help="a request as HTTP text (- for standard input)")
    send.add_argument("--method", default="GET")
    send.add_argument("--header", action="append", metavar="NAME=VALUE")
    send.add_argument("--input", action="append", metavar="NAME=VALUE")
    send.add_argument("--environment", default="test")
    send.add_argument("--confirm", action="store_true", help="send what may change something at the service")
    send.add_argument("--empty", action="store_true", help="besides, where no input has a value")
    send.set_defaults(run=run_send)
    kept = trial.add_parser("keep", help="make service, connection and operation of a one-off")
    kept.add_argument("id", type=int, help="the run's number")
    kept.add_argument("--service", required=True, help="made if there is none of this name")
    kept.add_argument("--title", help="of the service", default="")
    kept.add_argument("--operation", help="its name; default: proposed")
    kept.add_argument("--environment", default="test")
    kept.add_argument("--no-paging", action="store_true", help="do not follow the paging that the response shows")
    kept.set_defaults(run=run_keep_trial)

    correct = operation.add_parser("correct", help="say better than its samples what a part of its responses is")
    correct.add_argument("name")
    correct.add_argument("path", help="the part, with [*] for each element of a list, such as $.trees[*].girth")
    correct.add_argument("--name", dest="field_name", metavar="FIELD", help="what its field is called")
    correct.add_argument("--type", dest="field_type", choices=FIELD_TYPES, help="what its values are read as")
    correct.set_defaults(run=run_correct)

    sample = commands.add_parser("sample", help="kept responses").add_subparsers(required=True, metavar="VERB")
    add_item_verbs(sample, "samples", "sample", ["name", "operation", "media_type", "size"])
    keep = sample.add_parser("keep", help="keep the response of a trial, or a file's content")
    keep.add_argument("name")
    keep.add_argument("--run", type=int, help="the number of a trial (default: the operation's last)", dest="run_id")
    keep.add_argument("--file", help="a file with a response (- for standard input)")
    keep.add_argument("--operation")
    keep.add_argument("--keys", choices=["mask", "keep"], help="what becomes of values that look like keys")
    keep.set_defaults(run=run_keep)
    compare = sample.add_parser("compare", help="compare two by structure and value; exit status 1 if they differ")
    compare.add_argument("before")
    compare.add_argument("after", help="another sample, or a trial by its number: --run")
    compare.add_argument("--run", action="store_true", dest="is_run", help="AFTER is the number of a run")
    compare.add_argument("--structure", action="store_true", help="only parts that came, are gone or differ")
    compare.set_defaults(run=run_compare)
    schema = sample.add_parser("schema", help="the schema of one or more samples")
    schema.add_argument("names", nargs="+", metavar="NAME")
    schema.set_defaults(run=run_schema)


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


def run_request(session: Session, args: Namespace, out: Output) -> int:
    item = session.office.operations.get(args.name)
    shown = session.office.trials.show_request(
        service=item["service"],
        environment=args.environment,
        operation=args.name,
        inputs=_values_for(item, args),
        record=record_named(args.record),
    )
    origins = [
        f"{origin['place']:<7} {origin['name']:<20} {origin['value'][:40]:<40} from {origin['source']}"
        for origin in shown["origins"]
    ]
    out.value(shown, "\n".join([shown["text"], "", *origins]))
    for problem in shown["problems"]:
        out.bad(f"{problem['where']}: {problem['message']}{' - ' + problem['hint'] if problem['hint'] else ''}")
    for warning in shown["warnings"]:
        out.say(f"mind: {warning['message']} - {warning['hint']}")
    for finding in shown["findings"]:
        out.say(
            f"a key? {finding['kind']} {finding['name']}: {finding['reason']}; move it: rondine operation move-key"
            f" {args.name} {finding['place']}"
        )
    return 1 if shown["problems"] else 0


def record_named(word: str | None) -> dict[str, Any] | None:
    """`tree/OLM-00001` as the record it names."""
    if word is None:
        return None
    record_type, *key = word.split("/")
    if not key:
        raise ArgumentTypeError(f'"{word}" is not TYPE/KEY, such as tree/OLM-00001')
    return {"record_type": record_type, "key": key}


def run_enable(session: Session, args: Namespace, out: Output) -> None:
    session.office.operations.enable(args.name, enabled=args.verb == "enable")
    out.good(f"operation {args.name} is {args.verb}d")


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


def run_try(session: Session, args: Namespace, out: Output) -> int:
    item = session.office.operations.get(args.name)
    found = session.office.trials.send(
        service=item["service"],
        environment=args.environment,
        operation=args.name,
        inputs=_values_for(item, args),
        confirmed=args.confirm,
        in_protected=args.in_protected,
        empty_is_meant=args.empty,
        record=record_named(args.record),
    )
    if args.body:
        sys.stdout.buffer.write(session.office.bodies.content(found["body"]) if found["body"] else b"")
    else:
        out.value(found, trial_text(session, found))
    return 0 if found["outcome"] and found["outcome"]["is_good"] else 1


def _values_for(item: Mapping[str, Any], args: Namespace) -> dict[str, Any]:
    """Those that are given, and the try values of the other inputs, as the bench begins with them; a record fills them
    otherwise."""
    given = named_values(args.input)
    if args.only_given or args.record:
        return given
    return {**try_values(item["document"]), **given}


def try_values(document: Mapping[str, Any]) -> dict[str, Any]:
    return {
        input_["name"]: input_["try_value"]
        for input_ in document.get("inputs", [])
        if input_.get("try_value") is not None
    }


def trial_text(session: Session, found: Mapping[str, Any]) -> str:
    """A trial for people: request, outcome, times, headers, the beginning of the body, what could become rows."""
    call, outcome = found["call"], found["outcome"]
    lines = [call["request"], ""]
    if outcome is None:
        return "\n".join([*lines, f"no response: {call['error']['message']}", f"  {call['error']['hint']}"])
    lines.append(
        f"{call['status']} {call['reason']}: {outcome['words']}"
        + (f"\n  the service says: {outcome['message']}" if outcome["message"] else "")
        + (f"\n  {outcome['hint']}" if outcome["hint"] else "")
    )
    lines.append(
        f"{call['size']:,} bytes after {call['timings']['done']:.0f} ms, first byte after"
        f" {call['timings']['first_byte']:.0f} ms"
    )
    lines += [f"{name}: {value}" for name, value in call["headers"]]
    if found["unreadable"]:
        lines += ["", found["unreadable"]]
    if found["body"]:
        text = session.office.bodies.text(found["body"])["text"]
        lines += ["", text[:600] + (" …  (all of it: --body)" if len(text) > 600 else "")]
    if found["row_choices"]:
        lines += [
            "",
            "could become rows:",
            *(
                f"  {row_choice['path']}  {row_choice['count']} × {row_choice['holds']}"
                for row_choice in found["row_choices"][:5]
            ),
        ]
    lines += [f"paging: {one['reason']}" for one in found["paging"]]
    if found["described"]:
        words = "as described" if not found["differences"] else "differs from the description:"
        lines += [f"the definition's response {found['described']}: {words}"]
        lines += [f"  {difference['where']}: {difference['message']}" for difference in found["differences"][:20]]
    lines.append(f"keep it as a sample: rondine sample keep NAME --run {found['run']}")
    return "\n".join(lines)


def run_send(session: Session, args: Namespace, out: Output) -> int:
    if bool(args.address) == bool(args.file):
        out.bad("give an address, or a request with --file")
        return 2
    text = f"{args.method} {args.address}" if args.address else read_text(args.file)
    parts = session.office.operations.parse_request(text)
    operation = parts["operation"]
    shown = try_values(operation)
    headers = [{"name": name, "value": value} for name, value in named_values(args.header).items()]
    document = {**operation, "headers": [*operation.get("headers", []), *headers]}
    found = session.office.trials.send_once(
        parts["base_address"],
        document,
        environment=args.environment,
        inputs={**shown, **named_values(args.input)},
        confirmed=args.confirm,
        empty_is_meant=args.empty,
    )
    is_good = bool(found["outcome"] and found["outcome"]["is_good"])
    hint = f"\nmake it a service: rondine trial keep {found['run']} --service NAME" if is_good else ""
    out.value(found, trial_text(session, found) + hint)
    return 0 if is_good else 1


def run_keep_trial(session: Session, args: Namespace, out: Output) -> None:
    made = session.office.trials.keep(
        args.id,
        args.service,
        service_title=args.title,
        operation=args.operation,
        environment=args.environment,
        paging="decline" if args.no_paging else "follow",
    )
    words = f"service {made['service']}, connection {made['connection']} and operation {made['operation']} are there"
    out.value(made, f"{words}{adopted_text(made)}\ntry it: rondine operation try {made['operation']}")


def adopted_text(made: Mapping[str, Any]) -> str:
    """What an operation follows from now on, on a line of its own; empty if nothing was recognised."""
    found = made.get("adopted")
    if not found:
        return ""
    name = found["operation"]
    return f"\n{name} follows {found['reason']}; to decline: rondine operation paging {name} one_response"


def paging_words(session: Session, paging: Mapping[str, Any]) -> str:
    """What an operation's strategy does, by the strategy's own form, and its settings."""
    forms = {form["type"]: form for form in session.office.operations.forms()["paging"]}
    words = forms[paging["type"]]["words"].rstrip(".") if paging["type"] in forms else paging["type"]
    rest = ", ".join(f"{name} {value}" for name, value in paging.items() if name != "type")
    return words[:1].lower() + words[1:] + (f" ({rest})" if rest else "")


def run_paging(session: Session, args: Namespace, out: Output) -> None:
    if args.strategies or not args.name:
        _list_strategies(session, out)
        return
    held = session.office.operations.get(args.name)
    document = held["document"]
    if args.strategy:
        settings = {name: json_or_text(value) for name, value in named_values(args.setting).items()}
        changed = {name: one for name, one in document.items() if name != "paging"}
        if args.strategy != "undecided":
            changed["paging"] = {"type": args.strategy, **settings}
        held = session.office.operations.change(args.name, version=held["version"], document=changed)
    paging = held["document"].get("paging")
    if paging is None:
        words = "has no paging decided; what its responses show is taken over with a sample or a feed"
    else:
        words = paging_words(session, paging)
    out.value(paging, f"{args.name} {words}")
    show_problems(held, out)


def _usual(setting: Mapping[str, Any]) -> str:
    if setting["is_required"]:
        return "required"
    return "optional" if setting["default"] is None else f"usually {json.dumps(setting['default'])}"


def _list_strategies(session: Session, out: Output) -> None:
    forms = session.office.operations.forms()["paging"]
    lines = []
    for form in forms:
        lines.append(f"{form['type']}: {form['words']}")
        for setting in form["fields"]:
            usual = _usual(setting)
            lines.append(f"    {setting['name']:<12} {setting['help'] or setting['title']} ({usual})")
    out.value(forms, "\n".join(lines))


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


def run_keep(session: Session, args: Namespace, out: Output) -> None:
    content = None
    if args.file:
        content = sys.stdin.buffer.read() if args.file == "-" else Path(args.file).read_bytes()
    run_id = args.run_id
    if run_id is None and content is None:
        run_id = _last_trial(session, args.operation)
    made = session.office.samples.keep(args.name, run=run_id, content=content, operation=args.operation, keys=args.keys)
    words = f"sample {made['name']} is kept; see its schema: rondine sample schema {made['name']}"
    out.value(made, words + adopted_text(made))


def _last_trial(session: Session, operation: str | None) -> int:
    """The number of the operation's last trial. Raises RondineProblem if there is none, or if no operation is named."""
    last = next(session.office.runs.search(operation=operation, kind="trial", limit=1), None) if operation else None
    if last is None:
        words = f"{operation} has not been tried yet" if operation else "it is not clear which response to keep"
        hint = f"try it: rondine operation try {operation}" if operation else "give --operation, --run or --file"
        raise RondineProblem({"code": "wrong_input", "detail": words, "where": "--run", "hint": hint})
    found: int = last["id"]
    return found


def run_compare(session: Session, args: Namespace, out: Output) -> int:
    office = session.office
    before = office.samples.get(args.before)["body"]
    if args.is_run:
        after = next((call["body"] for call in office.runs.calls(int(args.after)) if call["body"]), None)
        if after is None:
            out.bad(f"run {args.after} has no stored response")
            return 1
    else:
        after = office.samples.get(args.after)["body"]
    found = (
        office.bodies.compare_structures([before], [after]) if args.structure else office.bodies.compare(before, after)
    )
    return told_differences(found, out, is_structure=args.structure)


def told_differences(found: Mapping[str, Any], out: Output, *, is_structure: bool) -> int:
    """The status of a comparison: 1 if there are any differences."""
    same = "no part came, is gone or differs" if is_structure else "they are the same"
    out.rows(found["differences"], ["path", "kind", "before", "after"], empty=same)
    return 1 if found["differences"] else 0


def run_schema(session: Session, args: Namespace, out: Output) -> None:
    samples = [session.office.samples.get(name) for name in args.names]
    corrections = corrections_of(session, samples[0])
    schema_rows(session.office.bodies.outline(*(sample["body"] for sample in samples), corrections=corrections), out)


def corrections_of(session: Session, sample: Mapping[str, Any]) -> list[Any]:
    """What was said of the responses of a sample's operation."""
    if not sample["operation"]:
        return []
    document = session.office.operations.get(sample["operation"])["document"]
    found: list[Any] = document.get("response", {}).get("corrections", [])
    return found


def schema_rows(found: Mapping[str, Any], out: Output) -> None:
    """A schema: JSON Schema for programs, a line a place for people."""
    if out.as_json:
        out.value(found["schema"])
        return
    rows = [
        {
            "path": "  " * line["depth"] + (line["name"] or "$"),
            "type": line["type"] or " or ".join(line["types"]),
            "there": f"{line['presence']:.0%}",
            "nulls": line["nulls"] or "",
            "range": " to ".join(dict.fromkeys(line["range"] or [])),
            "examples": _keys_in(line) or ", ".join(line["examples"][:2])[:60],
        }
        for line in found["lines"]
    ]
    out.rows(rows, ["path", "type", "there", "nulls", "range", "examples"], empty="the sample is empty")
    for line in found["lines"]:
        if line["alternatives"]:
            out.say(f"{line['path']} is of several kinds: {_kinds_in(line['alternatives'])}")


def _keys_in(line: Mapping[str, Any]) -> str:
    shown = ", ".join(line["keys"][:2])
    return f"{line['key_count']} keys that are data: {shown}"[:60] if shown else ""


def _kinds_in(told: Mapping[str, Any]) -> str:
    kinds = [f"{value['value']} ({', '.join(value['members']) or 'nothing of its own'})" for value in told["values"]]
    return f"{told['field']} tells {'; '.join(kinds)}"
