"""Test cases: recorded, and checked without a network."""

from argparse import ArgumentTypeError, Namespace
from typing import Any

from rondine_cli.items import add_item_verbs, json_or_text, show_problems
from rondine_cli.output import Output, counted
from rondine_cli.samples import last_trial
from rondine_cli.session import Session, named_values


def add_commands(commands: Any) -> None:
    case = commands.add_parser("case", help="test cases of operations, mappings and flows").add_subparsers(
        required=True, metavar="VERB"
    )
    add_item_verbs(
        case,
        "cases",
        "case",
        ["name", "document.operation", "document.flow", "document.mapping", "document.sample", "version"],
    )
    record = case.add_parser("record", help="make one: what comes of it now is what is expected")
    record.add_argument("name")
    what = record.add_mutually_exclusive_group(required=True)
    what.add_argument("--operation")
    what.add_argument("--flow", help="of the run that --run names (default: its last that is over)")
    record.add_argument("--input", action="append", metavar="NAME=VALUE", help="for the operation; may be given again")
    response = record.add_mutually_exclusive_group()
    response.add_argument("--sample", default="", help="the recorded response, a kept one")
    response.add_argument(
        "--run", type=int, dest="run_id", help="or that of a trial, or run of the flow (default: the last)"
    )
    response.add_argument("--request-only", action="store_true", help="no response: what is sent alone is checked")
    record.add_argument("--mapping", default="", help="that makes records of it")
    record.add_argument("--title", default="")
    record.add_argument("--keys", choices=["mask", "keep"], help="what becomes of values that look like keys")
    record.set_defaults(run=run_record)
    again = case.add_parser("again", help="what comes of one now is what is expected")
    again.add_argument("name")
    again.set_defaults(run=run_again)
    check = commands.add_parser(
        "check", help="check all test cases, or some, without a network; exit status 1 if one is not as expected"
    )
    check.add_argument("names", nargs="*", metavar="CASE")
    check.set_defaults(run=run_check)


def run_record(session: Session, args: Namespace, out: Output) -> None:
    if args.flow:
        run = args.run_id or _last_run(session, args.flow)
        _tell(session.office.cases.record_flow(args.name, run, title=args.title, keys=args.keys), out)
        return
    run = args.run_id
    if not (args.sample or run or args.request_only):
        run = last_trial(session, args.operation)
    inputs = {name: json_or_text(text) for name, text in named_values(args.input).items()}
    if run and not inputs:
        inputs = dict(session.office.runs.get(run).get("inputs") or {})
    made = session.office.cases.record(
        args.name,
        args.operation,
        inputs=inputs,
        sample=args.sample,
        run=run,
        mapping=args.mapping,
        title=args.title,
        keys=args.keys,
    )
    _tell(made, out)


def _last_run(session: Session, flow: str) -> int:
    for run in session.office.runs.search(flow=flow):
        if run["state"] in ("done", "failed"):
            return int(run["id"])
    raise ArgumentTypeError(f"no run of {flow} is over yet; run it first: rondine flow run {flow}")


def run_again(session: Session, args: Namespace, out: Output) -> None:
    _tell(session.office.cases.record_again(args.name), out)


def _tell(made: Any, out: Output) -> None:
    expected = made["document"].get("expected", {})
    records = ", ".join(f"{counted(len(rows), name)}" for name, rows in expected.get("records", {}).items())
    words = f"{expected.get('outcome', 'good')}{f', {records}' if records else ''}"
    out.value(made, f"case {made['name']} is recorded: {words}; check it: rondine check {made['name']}")
    show_problems(made, out)


def run_check(session: Session, args: Namespace, out: Output) -> int:
    found = session.office.cases.check(args.names)
    for one in found:
        if one["is_good"]:
            out.value(one, f"as expected  {one['case']}")
            continue
        out.value(one, f"NOT          {one['case']}")
        if one["problem"]:
            out.bad(f"  {one['problem']}")
        for difference in one["differences"][:20]:
            out.bad(f"  {difference['words']}")
        if len(one["differences"]) > 20:
            out.bad(f"  and {len(one['differences']) - 20} more: --json")
    wrong = sum(not one["is_good"] for one in found)
    if not found:
        out.say("there is no case yet; record one: rondine case record --help")
    elif not wrong:
        out.good(f"{counted(len(found), 'case')} as expected")
    else:
        out.bad(f"{wrong} of {counted(len(found), 'case')} not as expected")
    return 1 if wrong else 0
