"""Feeds, runs, records."""

import json
from argparse import ArgumentTypeError, Namespace
from collections.abc import Iterator, Mapping
from itertools import islice
from typing import Any

from rich.progress import BarColumn, Progress, TextColumn, TimeElapsedColumn

from rondine_cli.items import add_item_verbs, add_set_option, document_of, show_problems, with_changes
from rondine_cli.output import Output
from rondine_cli.paging import paging_words
from rondine_cli.records import difference
from rondine_cli.session import Session, named_values

#: Columns of what a dry run found, and how many lines of it are shown at its end.
PLANNED = ["kind", "record_type", "key", "what"]
SHOWN_PLANNED = 20


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
    make.add_argument(
        "--ago", action="append", metavar="NAME=DURATION", help="an input: so long before the run, as P30D"
    )
    make.add_argument(
        "--since-last-run", action="append", metavar="NAME", help="an input: when the last run began that saw all"
    )
    make.add_argument(
        "--from-highest",
        action="append",
        metavar="NAME=RECORD_TYPE.FIELD",
        help="an input: the highest value that the field had after that run",
    )
    make.add_argument("--for-each", metavar="RECORD_TYPE", help="ask once for each kept record of this type")
    make.add_argument("--for-each-where", action="append", metavar="FIELD=VALUE", help="which of them")
    add_set_option(make, "parallel=8, gone.most_share=0.5 or moving.since.overlap=PT1H")
    make.set_defaults(run=run_make)
    schedule = feed.add_parser("schedule", help="show or change when one runs by itself")
    schedule.add_argument("name")
    add_times(schedule).add_argument("--never", action="store_true", help="take the schedule away")
    add_set_option(schedule, "schedule.jitter=60 or schedule.quiet_from=22:00")
    schedule.set_defaults(run=run_schedule)
    calendar = feed.add_parser("calendar", help="what ran and what will, over some days")
    calendar.add_argument("--start", metavar="DAY", help="such as 2026-03-01, in UTC (default: yesterday)")
    calendar.add_argument("--days", type=int, default=7, help="1 to 31 (default: 7)")
    calendar.set_defaults(run=run_calendar)
    start = feed.add_parser("run", help="run it and watch")
    start.add_argument("name")
    start.add_argument("--input", action="append", metavar="NAME=VALUE", help="in place of the feed's own")
    start.add_argument("--confirm", action="store_true", help="even if it uses up a limit of days or months")
    start.add_argument(
        "--all", action="store_true", help="bring all again, also where its inputs move with what is new"
    )
    start.add_argument(
        "--mark-all-gone", action="store_true", help="records that no longer come are gone, however many they are"
    )
    start.add_argument("--dry", action="store_true", help="only tell what it would do, record by record")
    start.add_argument(
        "--only-failed-of", type=int, metavar="RUN", help="ask again only for the rows that failed in that run"
    )
    start.add_argument(
        "--only-rejects-of",
        type=int,
        metavar="RUN",
        help="map the rows again that were rejected in that run, from its kept responses; nothing is asked for",
    )
    start.add_argument("--no-wait", action="store_true", help="queue it and return")
    start.set_defaults(run=run_run)

    drift = commands.add_parser("drift", help="what responses differ in from the schema on file").add_subparsers(
        required=True, metavar="VERB"
    )
    listing = drift.add_parser("list", help="list the differences, newest first")
    listing.add_argument("--feed")
    listing.add_argument("--operation")
    listing.add_argument("--state", choices=["open", "ended", "adopted"])
    listing.add_argument("--limit", type=int, default=50)
    listing.set_defaults(run=run_drift)
    adopt = drift.add_parser("adopt", help="one is right: the operation's responses may be so from now on")
    adopt.add_argument("id", type=int)
    adopt.set_defaults(run=run_adopt)

    run = commands.add_parser("run", help="what ran, how it went").add_subparsers(required=True, metavar="VERB")
    listing = run.add_parser("list", help="list them, newest first")
    listing.add_argument("--feed")
    listing.add_argument(
        "--kind",
        choices=["trial", "feed", "flow", "webhook", "application", "live"],
        help="application: calls of applications (default: all but these)",
    )
    listing.add_argument("--state", choices=["queued", "running", "waiting", "done", "failed", "cancelled"])
    listing.add_argument("--limit", type=int, default=20)
    listing.set_defaults(run=run_list)
    for name, help_text, action in (
        ("show", "show one with its counts", run_show),
        ("watch", "watch it until it is over", run_watch),
        ("calls", "its calls", run_calls),
        ("planned", "what a dry run would have done, record by record", run_planned),
        ("rejects", "rows that became no record, and why", run_rejects),
        ("failures", "rows that its operation was asked for in vain, and why", run_failures),
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


def run_make(session: Session, args: Namespace, out: Output) -> None:
    document = document_of(session.office.feeds, args.name)
    if args.input is not None:
        document["inputs"] = named_values(args.input)
    if args.for_each is not None:
        document["for_each"] = {"record_type": args.for_each, "where": named_values(args.for_each_where)}
    if moving := moving_of(args):
        document["moving"] = {**document.get("moving", {}), **moving}
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


def moving_of(args: Namespace) -> dict[str, dict[str, Any]]:
    """The inputs that the options let move. Raises ArgumentTypeError for a field without its record type."""
    moving: dict[str, dict[str, Any]] = {}
    for name, span in named_values(args.ago).items():
        moving[name] = {"type": "ago", "span": span}
    for name in args.since_last_run or []:
        moving[name] = {"type": "since_last_run"}
    for name, place in named_values(args.from_highest).items():
        record_type, dot, field = str(place).partition(".")
        if not dot:
            raise ArgumentTypeError(
                f"--from-highest {name}={place}: name the field with its record type, as tree.surveyed"
            )
        moving[name] = {"type": "from_highest", "record_type": record_type, "field": field}
    return moving


def add_times(parser: Any) -> Any:
    """What says when something begins by itself; the group of options of which one is given."""
    when = parser.add_mutually_exclusive_group()
    when.add_argument("--cron", metavar="EXPRESSION", help='at times, such as "30 2 * * MON-FRI"')
    when.add_argument("--every", metavar="DURATION", help="again and again, such as PT15M, PT6H or P1D")
    when.add_argument("--after", metavar="FEED", help="after each run of another feed that is done")
    when.add_argument("--watch", metavar="RECORD_TYPE.FIELD", help="when a field of a kept record changes")
    when.add_argument("--pause", action="store_true", help="keep the schedule, and start nothing")
    when.add_argument("--resume", action="store_true", help="start again as the schedule says")
    parser.add_argument("--time-zone", metavar="ZONE", help="of times, such as Europe/Vienna (default: UTC)")
    return when


def run_schedule(session: Session, args: Namespace, out: Output) -> None:
    held = session.office.feeds.get(args.name)
    document = dict(held["document"])
    schedule = None if args.never else changed_schedule(document.get("schedule"), args)
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


def changed_schedule(held: Any, args: Namespace) -> dict[str, Any] | None:
    """A schedule with what the words of a command say of it. held: as it was; None without one."""
    zone = {"time_zone": args.time_zone} if args.time_zone else {}
    if args.cron:
        return {"type": "cron", "expression": args.cron, **zone}
    if args.every:
        return {"type": "interval", "every": args.every, **zone}
    if args.after:
        return {"type": "after_feed", "feed": args.after}
    if args.watch:
        record_type, _, field = args.watch.partition(".")
        return {"type": "watch", "record_type": record_type, "field": field}
    if held is None:
        return None
    if args.pause or args.resume:
        return {**held, "enabled": args.resume}
    return {**held, **zone}


def run_run(session: Session, args: Namespace, out: Output) -> int:
    run = session.office.feeds.run(
        args.name,
        named_values(args.input),
        confirmed=args.confirm,
        brings_all=args.all,
        may_mark_all=args.mark_all_gone,
        is_dry=args.dry,
        only_rows_of=args.only_failed_of,
        only_rejects_of=args.only_rejects_of,
    )
    out.say(f"run {run['id']} is queued")
    if args.no_wait:
        out.value(run, f"watch it: rondine run watch {run['id']}")
        return 0
    code = finish(session.office.runs.watch(run["id"]), out)
    if args.dry and not out.as_json:
        out.rows(_planned_lines(session, run["id"], SHOWN_PLANNED, out), PLANNED, empty="nothing would change")
        out.say(f"all of it: rondine run planned {run['id']}")
    return code


def _planned_lines(session: Session, run: int, most: int | None, out: Output) -> Iterator[Mapping[str, Any]]:
    for change in islice(session.office.runs.planned(run), most):
        key = ", ".join(map(str, change["key"]))
        what = difference(change) if change["kind"] != "created" else json.dumps(change["after"], ensure_ascii=False)
        yield change if out.as_json else {**change, "key": key, "what": what}


def run_planned(session: Session, args: Namespace, out: Output) -> None:
    out.rows(_planned_lines(session, args.id, None, out), PLANNED, empty="it is no dry run, or nothing would change")


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
    for count in run["counts"] if run["is_dry"] else ():
        if count["gone"]:
            lines.append(f"  {count['record_type']}: {count['gone']:,} would be marked as gone")
    if run["rows_failed"]:
        lines.append(f"  see the rows that failed: rondine run failures {run['id']}")
    for remark in run["remarks"]:
        more = f" and {remark['times'] - 1} more" if remark["times"] > 1 else ""
        call = f" (call {remark['call']}{more})" if remark["call"] else ""
        lines.append(f"  ! {remark['message']}{call}" + (f"\n    {remark['hint']}" if remark["hint"] else ""))
    return "\n".join(lines)


def run_calendar(session: Session, args: Namespace, out: Output) -> None:
    found = session.office.feeds.calendar(args.start, args.days)
    if out.as_json:
        out.value(found)
        return

    def lines() -> Iterator[Mapping[str, Any]]:
        for one in found["feeds"]:
            failed = sum(run["state"] == "failed" for run in one["ran"])
            more = " or more" if one["is_cut"] else ""
            yield {
                "feed": one["feed"],
                "environment": one["environment"],
                "when": one["schedule_words"],
                "ran": f"{len(one['ran'])}{more}" + (f", {failed} failed" if failed else ""),
                "due": f"{len(one['due'])}{more}",
                "next": one["due"][0] if one["due"] else "",
            }

    out.say(f"{found['start'][:10]} to {found['end'][:10]}, UTC")
    out.rows(lines(), ["feed", "environment", "when", "ran", "due", "next"], empty="no feed has a schedule, or ran")
    if not found["is_all"]:
        out.say("there are more feeds than these")


def run_drift(session: Session, args: Namespace, out: Output) -> None:
    filters = {name: value for name in ("feed", "operation", "state") if (value := getattr(args, name))}

    def lines() -> Iterator[Mapping[str, Any]]:
        for one in session.office.drift.search(limit=args.limit, **filters):
            last = f"run {one['last_run']}" + (f", not in run {one['ended_run']}" if one["ended_run"] else "")
            used = "; ".join(one["used_by"]) or "nothing"
            yield one if out.as_json else {**one, "first": f"run {one['first_run']}", "last": last, "used_by": used}

    columns = ["id", "feed", "state", "path", "words", "example", "used_by", "first", "last"]
    out.rows(lines(), columns, empty="no run has found a difference")


def run_adopt(session: Session, args: Namespace, out: Output) -> None:
    found = session.office.drift.adopt(args.id)
    out.value(found, f"adopted: {found['path']} {found['words']}, in what operation {found['operation']} responds with")


def run_list(session: Session, args: Namespace, out: Output) -> None:
    filters = {name: value for name in ("feed", "state", "kind") if (value := getattr(args, name))}
    if not args.kind:
        filters["without"] = "application"  # of which there are very many
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
    count = out.rows(
        session.office.runs.calls(args.id),
        ["number", "operation", "method", "url", "status", "rows", "size", "timings.done"],
        empty="it has made no call yet",
    )
    if not count and session.office.runs.get(args.id)["kind"] == "flow":
        out.say("calls for live records are runs of their own: rondine run list --kind live")


def run_rejects(session: Session, args: Namespace, out: Output) -> None:
    if not out.as_json:
        reasons = session.office.runs.reject_reasons(args.id)
        out.rows(reasons, ["record_type", "field", "rows", "reason"], empty="no row was rejected")
        out.out.print()

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


def run_failures(session: Session, args: Namespace, out: Output) -> None:
    def lines() -> Iterator[Mapping[str, Any]]:
        for failure in session.office.runs.failures(args.id):
            yield failure if out.as_json else {**failure, "key": ", ".join(map(str, failure["key"]))}

    out.rows(lines(), ["key", "call", "error.message"], empty="no row failed")


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
