"""Releases: made, compared, and gone over to."""

from argparse import ArgumentTypeError, Namespace
from typing import Any

from rondine_cli.output import Output
from rondine_cli.session import Session


def add_commands(commands: Any) -> None:
    release = commands.add_parser("release", help="numbered states of a project, and who goes by them").add_subparsers(
        required=True, metavar="VERB"
    )
    listing = release.add_parser("list", help="list them, the newest first")
    listing.add_argument("--limit", type=int)
    listing.set_defaults(run=run_list)
    show = release.add_parser("show", help="show one, and what is in it")
    show.add_argument("number", type=int)
    show.set_defaults(run=run_show)
    release.add_parser("check", help="what keeps the draft from being released").set_defaults(run=run_check)
    release.add_parser("fixed-values", help="values that are written into operations and mappings").set_defaults(
        run=run_fixed_values
    )
    naming = release.add_parser(
        "name-value", help="put an input, or in a mapping a standing value, in place of a fixed value"
    )
    naming.add_argument("kind", choices=("operation", "mapping"))
    naming.add_argument("item")
    naming.add_argument("place", help="as fixed-values tells it, such as /query/0/value")
    naming.add_argument("--name", default="", help="of the input, or the standing value (default: proposed)")
    naming.set_defaults(run=run_name_value)
    make = release.add_parser("make", help="release the draft as it is now")
    make.add_argument("--notes", default="", help="what is new in it")
    make.add_argument(
        "--waive",
        action="append",
        default=[],
        type=waiver,
        metavar="ITEM: REASON",
        help='let an item pass that is not ready, such as "operation list-trees: the service is being mended"',
    )
    make.add_argument("--to", metavar="ENVIRONMENT", help="let an environment use it at once")
    make.set_defaults(run=run_make)
    compare = release.add_parser("compare", help="what differs between two, or one and the draft")
    compare.add_argument("before", type=state, help="a number, or draft")
    compare.add_argument("after", type=state, nargs="?", help="a number, or draft (default)")
    compare.set_defaults(run=run_compare)
    checklist = release.add_parser("checklist", help="what an environment lacks to use one, and who can give it")
    checklist.add_argument("environment")
    checklist.add_argument("number", type=state, nargs="?", help="a number, or draft (default)")
    checklist.set_defaults(run=run_checklist)
    use = release.add_parser("use", help="let what begins in an environment go by one from now on")
    use.add_argument("number", type=state, help="a number, or draft")
    use.add_argument("--in", dest="environment", required=True, metavar="ENVIRONMENT")
    use.add_argument("--why", default="")
    use.set_defaults(run=run_use)
    back = release.add_parser("roll-back", help="let an environment go by what it went by before")
    back.add_argument("environment")
    back.add_argument("--why", default="")
    back.set_defaults(run=run_roll_back)
    history = release.add_parser("history", help="what an environment went by, the newest first")
    history.add_argument("environment")
    history.set_defaults(run=run_history)
    withdraw = release.add_parser("withdraw", help="let no environment use one any more")
    withdraw.add_argument("number", type=int)
    withdraw.add_argument("--why", default="")
    withdraw.set_defaults(run=run_withdraw)


def state(text: str) -> int | None:
    """A release's number, or None for the draft."""
    if text == "draft":
        return None
    if text.isdecimal() and 0 < int(text) < 2**31:
        return int(text)
    raise ArgumentTypeError(f'"{text}" is neither the number of a release nor the word draft')


def waiver(text: str) -> dict[str, str]:
    """KIND NAME: REASON; the kind may be of two words."""
    item, colon, reason = text.partition(":")
    kind, _, name = item.strip().rpartition(" ")
    if not colon or not kind or not reason.strip():
        raise ArgumentTypeError(f'"{text}": write it as "operation NAME: REASON"')
    return {"kind": kind, "name": name, "reason": reason.strip()}


def called(number: int | None) -> str:
    return "the draft" if number is None else f"release {number}"


def run_list(session: Session, args: Namespace, out: Output) -> None:
    releases = session.office.releases.search(limit=args.limit)
    columns = ["number", "notes", "items", "environments", "by", "made_at", "withdrawn_at"]
    out.rows(releases, columns, empty="there is none; rondine release make makes the first one")


def run_show(session: Session, args: Namespace, out: Output) -> None:
    release, contents = session.office.releases.get(args.number), session.office.releases.contents(args.number)
    if out.as_json:
        out.value({**release, "contents": contents})
        return
    users = ", ".join(release["environments"])
    out.say(
        f"release {release['number']} of {release['made_at']}, by {release['by']}: {release['notes'] or 'no notes'}"
    )
    out.say(f"used by {users}" if users else "no environment uses it")
    if release["withdrawn_at"]:
        out.say(f"withdrawn {release['withdrawn_at']}: {release['withdrawn_why']}")
    for waived in release["waived"]:
        out.say(f"let pass: {waived['kind']} {waived['name']}: {waived['message']} ({waived['reason']})")
    out.rows(contents, ["kind", "name", "version", "at"], empty="nothing is in it")


def run_check(session: Session, args: Namespace, out: Output) -> int:
    found = session.office.releases.check()
    rows = [{"kind": item["kind"], "name": item["name"], **problem} for item in found for problem in item["problems"]]
    out.rows(rows, ["kind", "name", "message", "hint"], empty="everything is ready to be released")
    return 1 if found else 0


def run_fixed_values(session: Session, args: Namespace, out: Output) -> None:
    found = session.office.releases.fixed_values()
    rows = [{**item, "note": "may belong to the address" if item["is_guess"] else ""} for item in found["items"]]
    out.rows(rows, ["kind", "item", "place", "name", "value", "becomes", "note"], empty="none is left")
    if not found["is_all"]:
        out.say("there are more than are told")


def run_name_value(session: Session, args: Namespace, out: Output) -> None:
    items = session.office.operations if args.kind == "operation" else session.office.mappings
    version = items.get(args.item)["version"]
    made = session.office.releases.name_value(args.kind, args.item, args.place, version=version, name=args.name)
    out.value(made, f"{made['becomes']} {made['name']} stands there now; {args.kind} {args.item} asks for the same")


def run_make(session: Session, args: Namespace, out: Output) -> None:
    release = session.office.releases.make(args.notes, waive=args.waive)
    out.value(release, f"release {release['number']} is made, with {release['items']} items")
    if args.to:
        run_use(session, Namespace(number=release["number"], environment=args.to, why=args.notes), out)


def run_compare(session: Session, args: Namespace, out: Output) -> None:
    found = session.office.releases.compare(args.before, args.after)
    if out.as_json:
        out.rows(found, [], empty="")
        return
    for item in found:
        versions = f" (version {item['before']} to {item['after']})" if item["what"] == "changed" else ""
        by = f", by {item['by']}" if item["by"] else ""
        out.out.print(f"[bold]{item['kind']} {item['name']}[/bold] {item['what']}{versions}{by}", highlight=False)
        for one in item["differences"]:
            values = " -> ".join(text for text in (one["before"], one["after"]) if text)
            out.out.print(f"  {one['path']} {one['kind']}: {values}", markup=False, highlight=False)
    if not found:
        out.say(f"{called(args.before)} and {called(args.after)} are the same")


def run_checklist(session: Session, args: Namespace, out: Output) -> int:
    found = session.office.environments.checklist(args.environment, args.number)
    empty = f"{args.environment} has all that {called(args.number)} needs"
    out.rows(found, ["what", "message", "who", "hint"], empty=empty)
    return 1 if found else 0


def run_use(session: Session, args: Namespace, out: Output) -> None:
    switch = session.office.environments.use_release(args.environment, args.number, why=args.why)
    _switched(session, switch, out)


def run_roll_back(session: Session, args: Namespace, out: Output) -> None:
    _switched(session, session.office.environments.roll_back(args.environment, why=args.why), out)


def _switched(session: Session, switch: Any, out: Output) -> None:
    name, after = switch["environment"], switch["after"]
    words = f"what begins in {name} goes by {called(after)} from now on, before by {called(switch['before'])}"
    out.value(switch, words)
    lacking = session.office.environments.checklist(name, after)
    if lacking and not out.as_json:
        things = "1 thing is" if len(lacking) == 1 else f"{len(lacking)} things are"
        out.say(f"{things} missing there: rondine release checklist {name} {after or 'draft'}")


def run_history(session: Session, args: Namespace, out: Output) -> None:
    rows = [
        {**switch, "before": called(switch["before"]), "after": called(switch["after"])}
        for switch in session.office.environments.switches(args.environment)
    ]
    out.rows(
        rows, ["at", "before", "after", "is_back", "by", "why"], empty=f"{args.environment} went by the draft only"
    )


def run_withdraw(session: Session, args: Namespace, out: Output) -> None:
    release = session.office.releases.withdraw(args.number, why=args.why)
    out.value(release, f"release {release['number']} is withdrawn")
