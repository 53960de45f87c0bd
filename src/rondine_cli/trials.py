"""Sending: an operation once, or a request to an address before there is a service."""

import sys
from argparse import ArgumentTypeError, Namespace
from collections.abc import Collection, Mapping
from typing import Any

from rondine_cli.items import read_text
from rondine_cli.output import Output
from rondine_cli.session import Session, named_values


def add_commands(commands: Any) -> None:
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


def add_sending_verbs(operation: Any) -> None:
    """The verbs of operations that show or send one."""
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
        verb.add_argument("--case", metavar="NAME", help="a test case whose inputs are taken, but for those given here")
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


def run_request(session: Session, args: Namespace, out: Output) -> int:
    item = session.office.operations.get(args.name)
    shown = session.office.trials.show_request(
        service=item["service"],
        environment=args.environment,
        operation=args.name,
        inputs=_values_for(session, item, args),
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


def run_try(session: Session, args: Namespace, out: Output) -> int:
    item = session.office.operations.get(args.name)
    found = session.office.trials.send(
        service=item["service"],
        environment=args.environment,
        operation=args.name,
        inputs=_values_for(session, item, args),
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


def _values_for(session: Session, item: Mapping[str, Any], args: Namespace) -> dict[str, Any]:
    """Those that are given; for the other inputs those of a test case, or their try values, as the bench begins with
    them; a record fills them otherwise."""
    given = named_values(args.input)
    if args.case:
        wanted = [one["name"] for one in item["document"].get("inputs", [])]
        return {**case_inputs(session, args.case, wanted, args.name), **given}
    if args.only_given or args.record:
        return given
    return {**try_values(item["document"]), **given}


def case_inputs(session: Session, name: str, wanted: Collection[str], what: str) -> dict[str, Any]:
    """Those inputs of a test case that are wanted, whatever the case is of. what: that takes them, in words. Raises
    ArgumentTypeError if it has none of them."""
    held = session.office.cases.get(name)["document"].get("inputs", {})
    found = {key: value for key, value in held.items() if key in wanted}
    if not found:
        has = ", ".join(held) or "none"
        raise ArgumentTypeError(f'case "{name}" has no input that {what} takes (it has {has})')
    return found


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
