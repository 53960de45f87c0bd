"""Feeds, runs, records."""

from argparse import Namespace
from collections.abc import Iterator, Mapping
from typing import Any

from rich.progress import BarColumn, Progress, TextColumn, TimeElapsedColumn

from rondine_cli.items import add_item_verbs, add_set_option, document_of, show_problems, with_changes
from rondine_cli.output import Output
from rondine_cli.paging import paging_words
from rondine_cli.session import Session, named_values


def add_commands(commands: Any) -> None:
    feed = commands.add_parser("feed", help="what keeps record types filled").add_subparsers(
        required=True, metavar="VERB"
    )
    add_item_verbs(
        feed,
        "feeds",
        "feed",
        ["name", "operation", "mapping", "environment", "last_run.state", "last_run.completeness"],
    )
    make = feed.add_parser("make", help="make or change one")
    make.add_argument("name")
    make.add_argument("--title", help="how it is shown (default: the name)")
    make.add_argument("--operation", required=True)
    make.add_argument("--mapping", required=True)
    make.add_argument("--environment", default="test")
    make.add_argument("--input", action="append", metavar="NAME=VALUE")
    add_set_option(make, "parallel=8 or retrying.max_waits=5")
    make.set_defaults(run=run_make)
    schedule = feed.add_parser("schedule", help="show or change when one runs by itself")
    schedule.add_argument("name")
    when = schedule.add_mutually_exclusive_group()
    when.add_argument("--cron", metavar="EXPRESSION", help='at times, such as "30 2 * * MON-FRI"')
    when.add_argument("--every", metavar="DURATION", help="again and again, such as PT15M, PT6H or P1D")
    when.add_argument("--after", metavar="FEED", help="after each run of another feed that is done")
    when.add_argument("--pause", action="store_true", help="keep the schedule, and start nothing")
    when.add_argument("--resume", action="store_true", help="start again as the schedule says")
    when.add_argument("--never", action="store_true", help="take the schedule away")
    schedule.add_argument("--time-zone", metavar="ZONE", help="of times, such as Europe/Vienna (default: UTC)")
    add_set_option(schedule, "schedule.jitter=60 or schedule.quiet_from=22:00")
    schedule.set_defaults(run=run_schedule)
    start = feed.add_parser("run", help="run it and watch")
    start.add_argument("name")
    start.add_argument("--input", action="append", metavar="NAME=VALUE", help="in place of the feed's own")
    start.add_argument("--confirm", action="store_true", help="even if it uses up a limit of days or months")
    start.add_argument("--no-wait", action="store_true", help="queue it and return")
    start.set_defaults(run=run_run)

    run = commands.add_parser("run", help="what ran, how it went").add_subparsers(required=True, metavar="VERB")
    listing = run.add_parser("list", help="list them, newest first")
    listing.add_argument("--feed")
    listing.add_argument("--state", choices=["queued", "running", "done", "failed", "cancelled"])
    listing.add_argument("--limit", type=int, default=20)
    listing.set_defaults(run=run_list)
    for name, help_text, action in (
        ("show", "show one with its counts", run_show),
        ("watch", "watch it until it is over", run_watch),
        ("calls", "its calls", run_calls),
        ("rejects", "rows that became no record, and why", run_rejects),
        ("cancel", "stop it; what was kept stays", run_cancel),
        ("go-on", "let one that failed or was cancelled go on behind what it kept, and watch", run_go_on),
    ):
        verb = run.add_parser(name, help=help_text)
        verb.add_argument("id", type=int)
        verb.set_defaults(run=action)

    fed = run.add_parser("fed", help="what the response of a call fed: records, and where their values stand in it")
    fed.add_argument("id", type=int)
    fed.add_argument("--call", type=int, default=1, metavar="N", help="default: 1")
    fed.add_argument(
        "--place", default="", metavar="POINTER", help="only what came from there, such as /trees/3/measures"
    )
    fed.set_defaults(run=run_fed)

    record = commands.add_parser("record", help="kept records").add_subparsers(required=True, metavar="VERB")
    listing = record.add_parser("list", help="list them")
    listing.add_argument("record_type")
    listing.add_argument("--environment", default="test")
    listing.add_argument(
        "--where", action="append", metavar="FIELD=VALUE", help="also FIELD.from=, FIELD.to=, FIELD.begins="
    )
    listing.add_argument("--sort", metavar="FIELD", help="-FIELD for descending, written --sort=-FIELD")
    listing.add_argument("--limit", type=int, default=20, help="0 for all (default: 20)")
    listing.set_defaults(run=run_records)
    show = record.add_parser("show", help="show one, and where its values came from")
    show.add_argument("record_type")
    show.add_argument("key", nargs="+")
    show.add_argument("--environment", default="test")
    show.set_defaults(run=run_record)


def run_make(session: Session, args: Namespace, out: Output) -> None:
    document = document_of(session.office.feeds, args.name)
    if args.input is not None:
        document["inputs"] = named_values(args.input)
    made = session.office.feeds.save(
        args.name,
        operation=args.operation,
        mapping=args.mapping,
        environment=args.environment,
        document=with_changes(document, args.changes),
        **({"title": args.title} if args.title else {}),
    )
    operation = made["operation"]
    paging = made["paging"]
    words = paging_words(session, paging) if paging else "has shown no paging: a run asks for one response"
    out.value(
        made,
        f"feed {made['name']} is at version {made['version']}; run it: rondine feed run {made['name']}\n"
        f"{operation} {words}; to change that: rondine operation paging {operation}",
    )
    show_problems(made, out)


def run_schedule(session: Session, args: Namespace, out: Output) -> None:
    held = session.office.feeds.get(args.name)
    document = dict(held["document"])
    schedule = _changed_schedule(document.get("schedule"), args)
    document = {name: value for name, value in document.items() if name != "schedule"}
    if schedule is not None:
        document["schedule"] = schedule
    document = with_changes(document, args.changes)
    if document != held["document"]:
        held = session.office.feeds.change(args.name, version=held["version"], document=document)
    words = held["schedule_words"]
    if not words:
        words = "runs only when it is asked to"
    elif held["due_at"]:
        words = f"runs {words}, next at {held['due_at']}"
    else:
        words = f"runs {words}"
    if held["refusal"]:
        words += f"\nThe last time nothing was started: {held['refusal']['message']}. {held['refusal']['hint']}"
    told = {"schedule": held["document"].get("schedule"), "due_at": held["due_at"], "refusal": held["refusal"]}
    out.value(told, f"{args.name} {words}")
    show_problems(held, out)


def _changed_schedule(held: Any, args: Namespace) -> dict[str, Any] | None:
    zone = {"time_zone": args.time_zone} if args.time_zone else {}
    if args.cron:
        return {"type": "cron", "expression": args.cron, **zone}
    if args.every:
        return {"type": "interval", "every": args.every, **zone}
    if args.after:
        return {"type": "after_feed", "feed": args.after}
    if args.never or held is None:
        return None
    if args.pause or args.resume:
        return {**held, "enabled": args.resume}
    return {**held, **zone}


def run_run(session: Session, args: Namespace, out: Output) -> int:
    run = session.office.feeds.run(args.name, named_values(args.input), confirmed=args.confirm)
    out.say(f"run {run['id']} is queued")
    if args.no_wait:
        out.value(run, f"watch it: rondine run watch {run['id']}")
        return 0
    return finish(session.office.runs.watch(run["id"]), out)


def finish(states: Iterator[Mapping[str, Any]], out: Output) -> int:
    """Shows a run's progress until it is over; its last state is the result."""
    last: Mapping[str, Any] = {}
    with Progress(
        TextColumn("{task.description}"),
        BarColumn(),
        TextColumn("{task.fields[rows]} rows"),
        TimeElapsedColumn(),
        console=out.err,
        disable=not out.err.is_terminal,
        transient=True,
    ) as progress:
        task = progress.add_task("waiting for a worker", total=None, rows="0")
        for last in states:
            rows = sum(count["rows"] for count in last["counts"])
            progress.update(
                task,
                description=f"run {last['id']} {last['state']}",
                total=last["expected_rows"],
                completed=rows,
                rows=f"{rows:,}",
            )
    out.value(last, run_text(last))
    return 0 if last.get("state") == "done" and last["completeness"] != "incomplete" else 1


#: What a run's completeness is called.
COMPLETENESS = {
    "complete": " (proven complete)",
    "incomplete": " (NOT COMPLETE)",
    "unknown": " (not known to be complete)",
}


def run_text(run: Mapping[str, Any]) -> str:
    lines = [f"run {run['id']} {run['state']}: {run['summary']}"]
    if run["ending"] and (run["state"] == "done" or run["ending"] not in run["summary"]):
        lines.append(f"  ended: {run['ending']}{COMPLETENESS.get(run['completeness'], '')}")
    if run["error"]:
        lines.append(f"  {run['error']['where']}: {run['error']['message']}\n  {run['error']['hint']}")
    for count in run["counts"]:
        lines.append(
            f"  {count['record_type']}: {count['rows']:,} rows = "
            + " + ".join(
                f"{count[name]:,} {name}"
                for name in ("created", "changed", "unchanged", "repeated", "rejected", "filtered")
            )
        )
        if count["rejected"]:
            lines.append(f"  see the rejects: rondine run rejects {run['id']}")
    for remark in run["remarks"]:
        more = f" and {remark['times'] - 1} more" if remark["times"] > 1 else ""
        call = f" (call {remark['call']}{more})" if remark["call"] else ""
        lines.append(f"  ! {remark['message']}{call}" + (f"\n    {remark['hint']}" if remark["hint"] else ""))
    return "\n".join(lines)


def run_list(session: Session, args: Namespace, out: Output) -> None:
    filters = {name: value for name in ("feed", "state") if (value := getattr(args, name))}
    out.rows(
        session.office.runs.search(limit=args.limit, **filters),
        ["id", "kind", "title", "state", "completeness", "environment", "by", "summary"],
        empty="nothing has run yet; run a feed: rondine feed run NAME",
    )


def run_show(session: Session, args: Namespace, out: Output) -> None:
    found = session.office.runs.get(args.id)
    out.value(found, run_text(found))


def run_watch(session: Session, args: Namespace, out: Output) -> int:
    return finish(session.office.runs.watch(args.id), out)


def run_calls(session: Session, args: Namespace, out: Output) -> None:
    out.rows(
        session.office.runs.calls(args.id),
        ["number", "operation", "method", "url", "status", "rows", "size", "timings.done"],
        empty="it has made no call yet",
    )


def run_rejects(session: Session, args: Namespace, out: Output) -> None:
    def lines() -> Iterator[Mapping[str, Any]]:
        for reject in session.office.runs.rejects(args.id):
            yield (
                reject
                if out.as_json
                else {
                    **reject,
                    "reason": "; ".join(f"{problem['field']} {problem['reason']}" for problem in reject["problems"]),
                    "row": reject["row"][:60],
                }
            )

    out.rows(lines(), ["call", "path", "reason", "row"], empty="no row was rejected")


def run_fed(session: Session, args: Namespace, out: Output) -> int:
    found = session.office.runs.fed(args.id, args.call, place=args.place)
    if found["note"]:
        out.say(found["note"])
        return 1

    def lines() -> Iterator[dict[str, Any]]:
        for output in found["outputs"]:
            for row in output["shown"]:
                record = {
                    "record": f"{output['record_type']} {', '.join(map(str, row['record']['key']))}"
                    if row["record"]
                    else f"no {output['record_type']}",
                }
                places = [
                    field
                    for field in row["fields"]
                    if field["pointer"] is not None and _meet(field["pointer"], args.place)
                ]
                for place in places:
                    value = (row["data"] or {}).get(place["field"])
                    yield {
                        **record,
                        "field": place["field"],
                        "place": place["pointer"],
                        "value": value,
                        "note": place["note"],
                    }

    out.rows(lines(), ["record", "field", "place", "value", "note"], empty="it fed nothing")
    return 0


def _meet(pointer: str, place: str) -> bool:
    """Whether one of two places is the other, or within it."""
    return f"{pointer}/".startswith(f"{place}/") or f"{place}/".startswith(f"{pointer}/")


def run_cancel(session: Session, args: Namespace, out: Output) -> None:
    found = session.office.runs.cancel(args.id)
    out.value(found, run_text(found))


def run_go_on(session: Session, args: Namespace, out: Output) -> int:
    session.office.runs.go_on(args.id)
    return run_watch(session, args, out)


def run_records(session: Session, args: Namespace, out: Output) -> None:
    office = session.office
    fields = [field["name"] for field in office.record_types.get(args.record_type)["document"].get("fields", [])]
    found = office.records.search(
        args.environment, args.record_type, sort=args.sort, limit=args.limit or None, **named_values(args.where)
    )
    out.rows((one["data"] for one in found), fields, empty="there are no such records")


def run_record(session: Session, args: Namespace, out: Output) -> None:
    found = session.office.records.get(args.environment, args.record_type, *args.key)
    row = found["trace"]["row"]
    places = {field["field"]: field["pointer"] for field in row["fields"]} if row else {}
    lines = [f"{name:<16} {_shown(value):<32} {places.get(name) or ''}" for name, value in found["data"].items()]
    for one in found["belongs_to"]:
        lines.append(f"belongs to {one['record_type']} {', '.join(map(str, one['key']))}")
    for hold in found["holds"]:
        keys = "; ".join(", ".join(map(str, each["key"])) for each in hold["records"])
        lines.append(f"holds {hold['record_type']}: {keys or 'none'}{'' if hold['is_all'] else ' and more'}")
    lines.append(
        f"from run {found['run']}, call {found['call']}"
        + (f": {found['trace']['note']}" if found["trace"]["note"] else "")
    )
    out.value(found, "\n".join(lines))


def _shown(value: Any) -> str:
    return "–" if value is None else ", ".join(map(str, value)) if isinstance(value, list) else str(value)
