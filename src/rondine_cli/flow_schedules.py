"""Schedules of flows: what begins them by itself."""

from argparse import Namespace
from typing import Any

from rondine_cli.items import add_item_verbs, add_set_option, document_of, json_or_text, show_problems, with_changes
from rondine_cli.output import Output
from rondine_cli.running import add_times, changed_schedule
from rondine_cli.session import Session, named_values

COLUMNS = ["name", "document.flow", "environment", "schedule_words", "due_at"]


def add_commands(commands: Any) -> None:
    verbs = commands.add_parser("flow-schedule", help="when flows are run by themselves").add_subparsers(
        required=True, metavar="VERB"
    )
    add_item_verbs(verbs, "flow_schedules", "flow schedule", COLUMNS)
    make = verbs.add_parser("make", help="make or change one")
    make.add_argument("name")
    make.add_argument("--flow", help="that is run")
    make.add_argument("--environment", help="where (default: test)")
    add_times(make)
    make.add_argument("--input", action="append", metavar="NAME=VALUE", help="for the flow; may be given again")
    make.add_argument(
        "--from-record",
        action="append",
        metavar="INPUT=FIELD",
        help="of a watch: an input that is a field of the record that has changed; may be given again",
    )
    make.add_argument("--overlaps", action="store_true", help="begin it also while the run before is under way")
    add_set_option(make, "schedule.jitter=60")
    make.set_defaults(run=run_make)


def run_make(session: Session, args: Namespace, out: Output) -> None:
    schedules = session.office.flow_schedules
    document = document_of(schedules, args.name)
    held = document.pop("schedule", None)
    schedule = changed_schedule(held, args)
    if schedule is not None:
        document["schedule"] = schedule
    if args.flow:
        document["flow"] = args.flow
    if args.input:
        document["inputs"] = {name: json_or_text(value) for name, value in named_values(args.input).items()}
    if args.from_record:
        document["from_record"] = named_values(args.from_record)
    if args.overlaps:
        document["overlaps"] = True
    environment = args.environment or ("" if held is not None else "test")
    references = {"environment": environment} if environment else {}
    made: Any = schedules.save(args.name, document=with_changes(document, args.changes), **references)
    following = f", next at {made['due_at']}" if made["due_at"] else ""
    words = f"{made['document'].get('flow')} is run {made['schedule_words']} in {made['environment']}{following}"
    if made["refusal"]:
        words += f"\nThe last time nothing was begun: {made['refusal']['message']}. {made['refusal']['hint']}"
    out.value(made, words)
    show_problems(made, out)
