"""Flows: made, run, looked at step by step, and answered."""

import json
from argparse import ArgumentTypeError, Namespace
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from rondine_cli.items import add_item_verbs, json_or_text, read_document, read_text, show_problems
from rondine_cli.output import Output, counted
from rondine_cli.session import Session, named_values
from rondine_cli.trials import case_inputs

#: In place of a step's name: each of them.
EACH = "*"
#: Of a value that is shown on one line.
LONGEST = 100


def add_commands(commands: Any) -> None:
    flow = commands.add_parser("flow", help="several services in one answer, step by step").add_subparsers(
        required=True, metavar="VERB"
    )
    add_item_verbs(flow, "flows", "flow", ["name", "title", "version"])
    make = flow.add_parser("make", help="make or change one from its document")
    make.add_argument("name")
    make.add_argument("file", metavar="FILE", help="JSON or YAML; - for standard input")
    make.add_argument("--title", help="how it is shown (default: the name)")
    make.set_defaults(run=run_make)
    start = flow.add_parser("run", help="run it and watch")
    start.add_argument("name")
    start.add_argument("--input", action="append", metavar="NAME=VALUE", help="for it; may be given again")
    start.add_argument("--like", type=int, metavar="RUN", help="with the inputs of this run, but for those given here")
    start.add_argument("--case", metavar="NAME", help="a test case whose inputs are taken, but for those given here")
    start.add_argument("--inputs-from", metavar="FILE", help="an object of inputs, JSON or YAML; - for standard input")
    start.add_argument("--environment", default="test", help="where (default: test)")
    start.add_argument(
        "--stop-before", default="", metavar="STEP", help="stop there, to look at it (see flow next); * for each step"
    )
    start.add_argument(
        "--from", dest="start", metavar="STEP", help="with --like: take over what that run recorded before this step"
    )
    start.add_argument("--no-wait", action="store_true", help="begin it and return")
    start.set_defaults(run=run_run)
    following = flow.add_parser("next", help="let a run go on that has stopped before a step")
    following.add_argument("id", type=int, metavar="RUN")
    where = following.add_mutually_exclusive_group()
    where.add_argument("--stop-before", default=EACH, metavar="STEP", help="to this step (default: the next one)")
    where.add_argument("--to-end", action="store_true", help="stop nowhere any more")
    following.set_defaults(run=run_next)
    offers = flow.add_parser("offers", help="what a step can be given, and what comes of it")
    offers.add_argument("name")
    offers.add_argument("step")
    offers.set_defaults(run=run_offers)
    fill = flow.add_parser("fill", help="make inputs, kept values or the reply of what a step leaves open")
    fill.add_argument("name")
    fill.add_argument("step")
    fill.add_argument(
        "--inputs", nargs="*", metavar="INPUT", help="inputs of the flow for these of the step (default: required ones)"
    )
    fill.add_argument("--keep", nargs="+", default=[], metavar="PATH", help="values of its result, for later steps")
    fill.add_argument("--reply", nargs="+", default=[], metavar="PATH", help="values of its result, for the reply")
    fill.set_defaults(run=run_fill)
    export = flow.add_parser("export", help="as an Arazzo document, beside the OpenAPI documents that it refers to")
    export.add_argument("name")
    export.add_argument("folder", metavar="FOLDER", type=Path, help="that the documents are written to")
    export.add_argument("--environment", default="test", help="whose addresses they have (default: test)")
    export.set_defaults(run=run_export)
    taken = flow.add_parser("import", help="make drafts of the workflows in an Arazzo document")
    taken.add_argument("file", metavar="FILE", help="JSON or YAML; - for standard input")
    taken.add_argument(
        "--service",
        action="append",
        metavar="SOURCE=SERVICE",
        help="the service of one of its sources (default: the one of the same name); may be given again",
    )
    taken.set_defaults(run=run_import)
    check = flow.add_parser("check", help="what would keep its steps from being carried out")
    check.add_argument("name")
    check.add_argument("--environment", default="test", help="where (default: test)")
    check.set_defaults(run=run_check)
    steps = flow.add_parser("steps", help="what happened in a run, step by step")
    steps.add_argument("id", type=int, metavar="RUN")
    steps.set_defaults(run=run_steps)
    compare = flow.add_parser("compare", help="two runs beside each other")
    compare.add_argument("first", type=int, metavar="RUN")
    compare.add_argument("second", type=int, metavar="RUN")
    compare.set_defaults(run=run_compare)
    waiting = flow.add_parser("waiting", help="what runs wait for: times, callbacks, people")
    waiting.set_defaults(run=run_waiting)
    answer = flow.add_parser("answer", help="say yes or no to a run that asks a person")
    answer.add_argument("id", type=int, metavar="RUN")
    answer.add_argument("step", help="the pause, as `flow waiting` shows it")
    answer.add_argument("answer", choices=["yes", "no"])
    answer.add_argument("--note", default="", help="why, in one's own words")
    answer.set_defaults(run=run_answer)
    settle = flow.add_parser("settle", help="say what became of a task of which nobody knows whether it had its effect")
    settle.add_argument("id", type=int, metavar="RUN")
    settle.add_argument("task", help="as `flow waiting` shows it")
    settle.add_argument("how", choices=["done", "failed", "again"], help="again: do it once more")
    settle.set_defaults(run=run_settle)


def run_make(session: Session, args: Namespace, out: Output) -> None:
    document = read_document(args.file)
    changes = {"document": document, **({} if args.title is None else {"title": args.title})}
    made = session.office.flows.save(args.name, **changes)
    ready = "not ready yet" if made["problems"] else "ready"
    steps = counted(len(document.get("steps", [])) if isinstance(document, dict) else 0, "step")
    out.value(made, f"flow {made['name']} has {steps}, version {made['version']}, and is {ready}")
    _show_findings(made, out)


def _show_findings(made: Any, out: Output) -> None:
    show_problems(made, out)
    for one in made["warnings"]:
        out.say(f"look at this: {one['where']}: {one['message']} - {one['hint']}")


def run_run(session: Session, args: Namespace, out: Output) -> int:
    given: dict[str, Any] = dict(session.office.runs.get(args.like)["inputs"]) if args.like else {}
    if args.case:
        document = session.office.flows.get(args.name)["document"]
        given |= case_inputs(session, args.case, [one["name"] for one in document.get("inputs", [])], args.name)
    given |= dict(read_document(args.inputs_from)) if args.inputs_from else {}
    given |= {name: json_or_text(text) for name, text in named_values(args.input).items()}
    flows = session.office.flows
    if args.start and not args.like:
        raise ArgumentTypeError("--from goes with --like RUN: the run whose records it takes over")
    recorded = {"run": args.like, "before": args.start} if args.start else None
    run = flows.run(args.name, given, environment=args.environment, stop_before=args.stop_before, recorded=recorded)
    if args.no_wait:
        out.value(run, f"run {run['id']} has begun; see it: rondine flow steps {run['id']}")
        return 0
    return _watch(session, run, out)


def _watch(session: Session, run: Mapping[str, Any], out: Output) -> int:
    """Until it ends, or waits."""
    last = run
    for last in session.office.runs.watch(run["id"]):
        if last["state"] == "waiting":
            break
    shown = session.office.flows.shown(run["id"])
    if out.as_json:
        out.value({"run": last, **shown})
    else:
        _tell_steps(shown, out)
        _tell_end(last, shown, out)
    return 1 if last["state"] in ("failed", "cancelled") else 0


def run_next(session: Session, args: Namespace, out: Output) -> int:
    flows = session.office.flows
    stops = [one["step"] for one in flows.shown(args.id)["pauses"] if one["kind"] == "step"]
    if not stops:
        hint = f"see where it is: rondine flow steps {args.id}"
        raise ArgumentTypeError(f"run {args.id} has not stopped before a step; {hint}")
    run = flows.go_on(args.id, stops[0], stop_before="" if args.to_end else args.stop_before)
    return _watch(session, run, out)


def run_offers(session: Session, args: Namespace, out: Output) -> None:
    flows = session.office.flows
    found = flows.offers(flows.get(args.name)["document"], args.step)
    if out.as_json:
        out.value(found)
        return
    rows = [
        {
            "input": _opening_words(one),
            "type": one["type"] + (", required" if one["required"] else ""),
            "comes from": json.dumps(one["held"]) if one["held"] else "nothing yet",
            "fit": ", ".join(_offer_words(found["offers"][number]) for number in one["offers"]),
        }
        for one in found["openings"]
    ]
    out.rows(rows, ["input", "type", "comes from", "fit"], empty=f"{args.step} takes no inputs")
    for one in found["results"]:
        out.say(f"it comes to {_short(one['at'])} ({one['type'] or 'not known what'})")


def _opening_words(opening: Mapping[str, Any]) -> str:
    name = ".".join(filter(None, [opening["part"], opening["name"]]))
    return f"{name}, to take it back" if opening["undoes"] else name


def _offer_words(offer: Mapping[str, Any]) -> str:
    at = offer["source"].get("at", "")
    at = at if isinstance(at, str) else at.get("jsonpath", "")
    name = "undone" if offer["of"] == "undone" else offer["name"] or offer["of"]
    return ".".join(filter(None, [name, "" if offer["of"] == "failure" else at]))


def run_fill(session: Session, args: Namespace, out: Output) -> None:
    flows = session.office.flows
    held = flows.get(args.name)
    document: Any = held["document"]
    makes = [("kept", args.keep), ("reply", args.reply)]
    if args.inputs is not None or not (args.keep or args.reply):
        makes.insert(0, ("inputs", args.inputs or []))
    for make, names in makes:
        if names or make == "inputs":
            document = flows.filled(document, args.step, make, [json_or_text(name) for name in names])["document"]
    made: Any = flows.change(args.name, version=held["version"], document=document)
    has = {part: ", ".join(one["name"] for one in made["document"].get(part, [])) for part in ("inputs", "reply")}
    words = f"takes {has['inputs'] or 'nothing'}, replies {has['reply'] or 'nothing'}"
    if args.keep:
        words += f"; {args.step} keeps {', '.join(args.keep)}"
    out.value(made, f"flow {args.name}, version {made['version']}, {words}")
    _show_findings(made, out)


def run_export(session: Session, args: Namespace, out: Output) -> None:
    made = session.office.flows.arazzo(args.name, environment=args.environment)
    args.folder.mkdir(parents=True, exist_ok=True)
    files: dict[str, Any] = {f"{args.name}.arazzo.json": made["document"], **made["sources"]}
    for name, document in files.items():
        (args.folder / name).write_text(json.dumps(document, indent=2, ensure_ascii=False) + "\n")
    out.value({"files": [*files], "unsaid": made["unsaid"]}, f"written to {args.folder}: {', '.join(files)}")
    for one in made["unsaid"]:
        out.say(f"not said: {one['where']}: {one['message']}")


def run_import(session: Session, args: Namespace, out: Output) -> int:
    made = session.office.flows.import_arazzo(read_text(args.file), services=named_values(args.service or []))
    for one in made:
        flow = one["flow"]
        ready = "not ready yet" if flow["problems"] else "ready"
        out.value(one, f"flow {flow['name']} is made, and is {ready}")
        for left in one["left_out"]:
            out.say(f"not taken: {left['where']}: {left['message']} - {left['hint']}")
        show_problems(flow, out)
    return 1 if any(one["left_out"] for one in made) else 0


def run_check(session: Session, args: Namespace, out: Output) -> int:
    found = session.office.flows.obstacles(args.name, environment=args.environment)
    empty = f"nothing was found that stops {args.name} in {args.environment}"
    out.rows(found, ["where", "message", "hint"], empty=empty)
    return 1 if found else 0


def run_compare(session: Session, args: Namespace, out: Output) -> None:
    found = session.office.flows.compare(args.first, args.second)
    if out.as_json:
        out.value(found)
        return
    rows = (
        {
            "step": one["task"],
            f"run {args.first}": _side(one["first"]),
            f"run {args.second}": _side(one["second"]),
            "differences": len(one["differences"]) or "",
        }
        for one in found["tasks"]
    )
    columns = ["step", f"run {args.first}", f"run {args.second}", "differences"]
    out.rows(rows, columns, empty="nothing was asked in either")
    parts = [("inputs", found["inputs"]), ("flow", found["document"])]
    parts += [(one["task"], one["differences"]) for one in found["tasks"]] + [("end", found["end"])]
    for name, differences in parts:
        for one in differences[:20]:
            before, after = one["before"] or "not there", one["after"] or "not there"
            out.say(f"{name} {one['path']}: {before} -> {after}")
        if len(differences) > 20:
            out.say(f"{name}: {len(differences) - 20} more differences, with --json")


def _side(side: Any) -> str:
    if side is None:
        return "not asked"
    took = "" if side["milliseconds"] is None else f", {side['milliseconds']:.0f} ms"
    return f"{side['outcome'] or 'under way'}{took}"


def run_steps(session: Session, args: Namespace, out: Output) -> None:
    shown = session.office.flows.shown(args.id)
    if out.as_json:
        out.value(shown)
        return
    _tell_steps(shown, out)
    _tell_end(session.office.runs.get(args.id), shown, out)


def _tell_steps(shown: Any, out: Output) -> None:
    out.rows(
        (
            {
                "step": one["task"],
                "begun": one["begun_at"][11:23],
                "ended": (one["ended_at"] or "")[11:23],
                "outcome": _words(one["outcome"]) + (f" (of run {one['recorded']})" if one["recorded"] else ""),
            }
            for one in shown["tasks"]
        ),
        ["step", "begun", "ended", "outcome"],
        empty="nothing was asked",
    )


def _words(outcome: Any) -> str:
    if outcome is None:
        return "under way"
    if outcome["outcome"] == "failure":
        failure = outcome["failure"]
        return f"{failure.get('kind')}: {failure.get('message', '')}"
    parts = [outcome["outcome"]]
    records = outcome.get("records", {})
    parts += [counted(len(rows), name) for name, rows in records.items()] if isinstance(records, dict) else []
    parts += [f"{'yes' if outcome['agreed'] else 'no'} ({outcome['by']})"] if "agreed" in outcome else []
    return ", ".join(parts)


def _tell_end(run: Mapping[str, Any], shown: Any, out: Output) -> None:
    for pause in shown["pauses"]:
        words = pause["question"] or {"time": "a time", "callback": "a callback", "doubt": "somebody who knows"}.get(
            pause["kind"], pause["kind"]
        )
        if pause["kind"] == "step":
            words = "it has stopped before this step, which would be given"
        until = f", until {pause['until']}" if pause["until"] else ""
        out.say(f"run {run['id']} waits at {pause['task']}: {words}{until}")
        for name, value in pause["shows"].items():
            out.say(f"  {name}: {_short(value)}")
        if pause["kind"] == "person" and pause["may_answer"]:
            out.say(f"  answer it: rondine flow answer {run['id']} {pause['task']} yes")
        if pause["kind"] == "step":
            out.say(f"  to the next step: rondine flow next {run['id']} (or --stop-before STEP, or --to-end)")
        if pause["kind"] == "doubt":
            out.say(f"  rondine flow settle {run['id']} {pause['task']} done (or failed, or again)")
    if shown["failure"] is not None:
        failure = shown["failure"]
        out.bad(f"run {run['id']} {run['state']}: {failure.get('step', '')}: {failure.get('message', '')}")
        if failure.get("hint"):
            out.say(f"  {failure['hint']}")
        if shown["undone"]:
            out.say(f"  taken back: {', '.join(shown['undone'])}")
    elif shown["reply"] is not None:
        out.value(shown["reply"], f"run {run['id']} done; {'it replies:' if shown['reply'] else 'its reply is empty'}")
        for name, value in shown["reply"].items():
            out.value(value, f"  {name}: {_short(value)}")


def _short(value: Any) -> str:
    text = value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
    return text if len(text) <= LONGEST else f"{text[:LONGEST]}… (--json shows all)"


def run_waiting(session: Session, args: Namespace, out: Output) -> None:
    out.rows(
        session.office.flows.pauses(),
        ["run", "flow", "environment", "task", "kind", "question", "until"],
        empty="no run waits for anything",
    )


def run_answer(session: Session, args: Namespace, out: Output) -> None:
    run = session.office.flows.answer(args.id, args.step, args.answer == "yes", note=args.note)
    out.value(run, f"run {args.id} goes on; see it: rondine flow steps {args.id}")


def run_settle(session: Session, args: Namespace, out: Output) -> None:
    run = session.office.flows.settle(args.id, args.task, args.how)
    out.value(run, f"run {args.id} goes on; see it: rondine flow steps {args.id}")
