"""Samples: responses that are kept, compared, and what they show of their structure."""

import sys
from argparse import Namespace
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from rondine_cli.items import add_item_verbs
from rondine_cli.output import Output
from rondine_cli.session import Session
from rondine_cli.trials import adopted_text
from rondine_client import RondineProblem


def add_commands(commands: Any) -> None:
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


def run_keep(session: Session, args: Namespace, out: Output) -> None:
    content = None
    if args.file:
        content = sys.stdin.buffer.read() if args.file == "-" else Path(args.file).read_bytes()
    run_id = args.run_id
    if run_id is None and content is None:
        run_id = last_trial(session, args.operation)
    made = session.office.samples.keep(args.name, run=run_id, content=content, operation=args.operation, keys=args.keys)
    words = f"sample {made['name']} is kept; see its schema: rondine sample schema {made['name']}"
    out.value(made, words + adopted_text(made))


def last_trial(session: Session, operation: str | None) -> int:
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
