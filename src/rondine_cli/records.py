"""Records, kept and live; and what binds live ones to the operations of their service."""

import sys
from argparse import Namespace
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from rondine_cli.items import add_item_verbs, json_or_text, read_document, show_problems
from rondine_cli.output import Output
from rondine_cli.session import Session, named_values

#: Heights of a bar.
BARS = "▁▂▃▄▅▆▇█"
ROLES = ("list", "find", "create", "change", "replace", "remove")


def add_commands(commands: Any) -> None:
    record = commands.add_parser("record", help="records, kept and live").add_subparsers(required=True, metavar="VERB")
    listing = record.add_parser("list", help="list them")
    listing.add_argument("record_type")
    listing.add_argument("--environment", default="test")
    listing.add_argument(
        "--where", action="append", metavar="FIELD=VALUE", help="also FIELD.from=, FIELD.to=, FIELD.begins="
    )
    listing.add_argument("--sort", metavar="FIELD", help="-FIELD for descending, written --sort=-FIELD")
    listing.add_argument("--limit", type=int, default=20, help="0 for all (default: 20)")
    _add_gone(listing)
    listing.add_argument("--local", action="store_true", help="of live ones: what the service cannot do is done here")
    _add_age(listing)
    listing.set_defaults(run=run_records)
    export = record.add_parser("export", help="write them to a file, or to standard output, however many they are")
    export.add_argument("record_type")
    export.add_argument("--to", metavar="FILE", help="its ending says the format: .ndjson, .json or .csv")
    export.add_argument("--format", choices=["ndjson", "json", "csv"], help="if no ending says it (default: ndjson)")
    export.add_argument("--environment", default="test")
    export.add_argument("--where", action="append", metavar="FIELD=VALUE", help="as of 'record list'")
    export.add_argument("--sort", metavar="FIELD", help="-FIELD for descending, written --sort=-FIELD")
    _add_gone(export)
    export.set_defaults(run=run_export)
    changes = record.add_parser("changes", help="what happened to one, newest first; or to all, from a mark on")
    changes.add_argument("record_type")
    changes.add_argument("key", nargs="*")
    changes.add_argument("--environment", default="test")
    changes.add_argument("--after", type=int, metavar="MARK", help="what came after it, oldest first; 0 for all")
    changes.add_argument("--limit", type=int, default=50)
    changes.set_defaults(run=run_changes)
    profile = record.add_parser("profile", help="what the values of kept ones look like, field by field")
    profile.add_argument("record_type")
    profile.add_argument("--environment", default="test")
    profile.add_argument("--where", action="append", metavar="FIELD=VALUE", help="as of 'record list'")
    _add_gone(profile)
    profile.set_defaults(run=run_profile)
    views = record.add_parser("views", help="the SQL views that they can be read by, and the role that may")
    views.add_argument("--environment", default="test")
    views.set_defaults(run=run_views)
    show = record.add_parser("show", help="show one, and where its values came from")
    show.add_argument("record_type")
    show.add_argument("key", nargs="+")
    show.add_argument("--environment", default="test")
    _add_age(show)
    show.set_defaults(run=run_record)
    uses = record.add_parser("uses", help="how they can be filtered, ordered, made and changed")
    uses.add_argument("record_type")
    uses.add_argument("--environment", default="test")
    uses.set_defaults(run=run_uses)
    _add_writing(record)
    _add_bindings(commands)


def _add_age(parser: Any) -> None:
    parser.add_argument(
        "--max-age", type=int, metavar="SECONDS", help="of live ones: how old an answer may be (default: not at all)"
    )


def _add_writing(record: Any) -> None:
    def verb(name: str, words: str, run: Any, *, has_key: bool = True, has_values: bool = True) -> None:
        parser = record.add_parser(name, help=words)
        parser.add_argument("record_type")
        if has_key:
            parser.add_argument("key", nargs="+")
            which = parser.add_mutually_exclusive_group()
            which.add_argument("--version", help="that it was read with (default: the one that it has now)")
            which.add_argument("--overwrite", action="store_true", help="whatever it is now")
        if has_values:
            parser.add_argument(
                "--set", action="append", metavar="FIELD=VALUE", required=True, dest="values", help="may be given again"
            )
        parser.add_argument("--environment", default="test")
        parser.add_argument("--in-protected", action="store_true", help="writing in a protected environment is meant")
        parser.set_defaults(run=run, verb=name)

    verb("create", "make one at the service", run_create, has_key=False)
    verb("change", "change some of its fields at the service", run_change)
    verb("replace", "write it whole at the service", run_change)
    verb("remove", "remove it at the service", run_change, has_values=False)


def _add_bindings(commands: Any) -> None:
    binding = commands.add_parser(
        "binding", help="which operations find and change the records of a type"
    ).add_subparsers(required=True, metavar="VERB")
    add_item_verbs(binding, "bindings", "binding", ["name", "title", "document.record_type", "document.mapping"])
    propose = binding.add_parser("propose", help="find the operations for a record type")
    propose.add_argument("record_type")
    propose.add_argument("--mapping", default="", help="that fills it, where there are several")
    for role in ROLES:
        propose.add_argument(f"--{role}", metavar="OPERATION", help="in place of the likeliest one")
    propose.add_argument("--save", action="store_true", help="save it, under the record type's name")
    propose.add_argument("--live", action="store_true", help="and let the records of the type be live (with --save)")
    propose.set_defaults(run=run_propose)
    make = binding.add_parser("make", help="make or change one from a document")
    make.add_argument("name")
    make.add_argument("--file", required=True, help="JSON or YAML; - for standard input")
    make.set_defaults(run=run_binding)


def run_propose(session: Session, args: Namespace, out: Output) -> None:
    office = session.office
    named = {
        "list": args.list,
        "find": args.find,
        "create": args.create,
        "change": args.change,
        "replace": args.replace,
        "remove": args.remove,
    }
    chosen = {role: name for role, name in named.items() if name}
    found = office.bindings.propose(args.record_type, mapping=args.mapping, operations=chosen)
    if out.as_json and not args.save:
        out.value(found)
        return
    candidates: dict[str, list[str]] = {one["role"]: one["operations"] for one in found["candidates"]}
    rows = []
    for role in ROLES:
        bound: Any = found["document"].get(role)
        others = [name for name in candidates.get(role, []) if not bound or name != bound["operation"]]
        rows.append(
            {
                "role": role,
                "operation": bound["operation"] if bound else "none",
                "inputs": ", ".join(_given(name, one) for name, one in (bound or {}).get("inputs", {}).items()),
                "or": ", ".join(others[:4]),
            }
        )
    if not out.as_json:
        out.rows(rows, ["role", "operation", "inputs", "or"], empty="nothing")
        listing: Any = found["document"].get("list")
        filters = listing.get("filters", []) if listing else []
        if filters:
            out.say("filters: " + ", ".join(f"{one['field']} by {one['input']}" for one in filters))
    for problem in found["problems"]:
        out.bad(f"{problem['where']}: {problem['message']}; {problem['hint']}")
    if not args.save:
        out.say(f"save it: rondine binding propose {args.record_type} --save --live")
        return
    made = office.bindings.save(args.record_type, document=found["document"])
    out.value(made, f"binding {made['name']} is at version {made['version']}")
    show_problems(made, out)
    if args.live:
        held = office.record_types.get(args.record_type)
        document = {**held["document"], "kind": "live"}
        office.record_types.change(args.record_type, version=held["version"], document=document)
        out.good(f"records of {args.record_type} are live: rondine record list {args.record_type}")


def _given(name: str, source: Mapping[str, Any]) -> str:
    if source.get("members"):
        return f"{name} of {', '.join(source['members'])}"
    what = source.get("field") or ("version" if source.get("version") else repr(source.get("value")))
    return name if name == what else f"{name} from {what}"


def run_binding(session: Session, args: Namespace, out: Output) -> None:
    made = session.office.bindings.save(args.name, document=read_document(args.file))
    out.value(made, f"binding {made['name']} is at version {made['version']}")
    show_problems(made, out)


def run_uses(session: Session, args: Namespace, out: Output) -> None:
    found = session.office.records.uses(args.environment, args.record_type)
    if out.as_json:
        out.value(found)
        return
    out.say(f"{args.record_type} is {found['kind']}" + (f": {found['problem']}" if found["problem"] else ""))
    for role in found["roles"]:
        out.say(f"  {role['role']:<8} {role['operation']}" + (f" - {role['problem']}" if role["problem"] else ""))
    rows = [
        {
            "field": one["field"],
            "filter": ", ".join(one["compare"]),
            "sort": "yes" if one["is_sorted"] else "",
            "create": "yes" if one["is_created"] else "",
            "change": "yes" if one["is_changed"] else "",
        }
        for one in found["fields"]
    ]
    out.rows(rows, ["field", "filter", "sort", "create", "change"], empty="it has no fields")


def run_create(session: Session, args: Namespace, out: Output) -> None:
    values = {name: json_or_text(text) for name, text in named_values(args.values).items()}
    made = session.office.records.create(args.environment, args.record_type, values, in_protected=args.in_protected)
    _tell_written(made, f"{args.record_type} {_key(made['key'])} is made", out)


def run_change(session: Session, args: Namespace, out: Output) -> None:
    """Changes, replaces or removes one, by the command's own word."""
    records, where = session.office.records, (args.environment, args.record_type, *args.key)
    version = "*" if args.overwrite else args.version or records.get(*where)["version"]
    options: dict[str, Any] = {"version": version, "in_protected": args.in_protected}
    if hasattr(args, "values"):
        options["data"] = {name: json_or_text(text) for name, text in named_values(args.values).items()}
    done = getattr(records, args.verb)(*where, **options)
    words = {"change": "is changed", "replace": "is written", "remove": "is removed"}[args.verb]
    _tell_written(done, f"{args.record_type} {_key(done['key'])} {words}", out)


def _key(key: Any) -> str:
    return ", ".join(map(str, key)) if key else "(the service did not say which)"


def _tell_written(done: Mapping[str, Any], words: str, out: Output) -> None:
    out.value(done, f"{words}; {_CONFIRMED[done['confirmed']]}; run {done['run']}")
    for one in done["differences"]:
        out.bad(one["message"])


_CONFIRMED = {
    "read back": "it was read back",
    "answered": "the service's answer has it",
    "accepted": "the service said that it worked, and it was not read back",
}


def run_records(session: Session, args: Namespace, out: Output) -> None:
    office = session.office
    document = office.record_types.get(args.record_type)["document"]
    fields = [field["name"] for field in document.get("fields", [])]
    options = {"sort": args.sort, "gone": args.gone, "local": args.local or None, "max_age": args.max_age}
    filters = named_values(args.where)
    if document.get("kind") != "live" or not 0 < args.limit <= 500:
        found = office.records.search(
            args.environment, args.record_type, limit=args.limit or None, **options, **filters
        )
        out.rows((one["data"] for one in found), fields, empty="there are no such records")
        return
    page = office.records.page(args.environment, args.record_type, limit=args.limit, **options, **filters)
    out.rows((one["data"] for one in page["items"]), fields, empty="there are no such records")
    for reject in page["rejects"]:
        out.bad(f"{reject['path']} is no record: {reject['problems'][0]['field']} {reject['problems'][0]['reason']}")
    out.say(_of_service(page["live"]) + (" · these are all" if page["is_all"] else f" · {page['all_why']}"))


def _of_service(live: Mapping[str, Any]) -> str:
    """Where live records came from, in words."""
    calls = f"{live['calls']} call{'' if live['calls'] == 1 else 's'}"
    if live["stale_why"]:
        return f"{live['age']:.0f} s old, as the service cannot be reached: {live['stale_why']}"
    words = (
        f"{live['age']:.1f} s old, no call now" if live["is_cached"] else f"{calls} of the service, run {live['run']}"
    )
    return words + (f" · done here: {', '.join(live['local'])}" if live["local"] else "")


def _add_gone(parser: Any) -> None:
    parser.add_argument("--gone", choices=["also", "only"], help="show those that no longer come, too or alone")


def run_export(session: Session, args: Namespace, out: Output) -> None:
    ending = Path(args.to).suffix.removeprefix(".") if args.to else ""
    form = args.format or ending or "ndjson"
    parts = session.office.records.file(
        args.environment, f"{args.record_type}.{form}", sort=args.sort, gone=args.gone, **named_values(args.where)
    )
    if args.to is None:
        for part in parts:
            sys.stdout.buffer.write(part)
        sys.stdout.buffer.flush()
        return
    target = Path(args.to)
    unfinished = target.with_name(f"{target.name}.part")
    size = 0
    try:
        with unfinished.open("wb") as file:
            for part in parts:
                size += file.write(part)
        unfinished.replace(target)
    finally:
        unfinished.unlink(missing_ok=True)
    out.value({"file": str(target), "bytes": size}, f"{target} has {size:,} bytes")


def run_profile(session: Session, args: Namespace, out: Output) -> None:
    filters = named_values(args.where)
    found = session.office.records.profile(args.environment, args.record_type, gone=args.gone, **filters)
    if out.as_json:
        out.value(found)
        return
    lines = ({**one, "values": _spread(one)} for one in found["columns"])
    out.rows(lines, ["name", "type", "missing", "distinct", "least", "most", "values"], empty="it has no fields")
    more = "" if found["is_all"] else "; there are more, which were not looked at"
    out.say(f"{found['records']:,} records{more}")


def _spread(column: Mapping[str, Any]) -> str:
    """Ranges as bars of text, from the least to the most; of other values the three commonest."""
    if column["by"] == "value":
        if column["distinct"] > 1 and column["parts"] and column["parts"][0]["count"] == 1:
            return "each another"
        return ", ".join(f"{part['least']} ({part['count']:,})" for part in column["parts"][:3])
    highest = max(part["count"] for part in column["parts"])
    return "".join(BARS[(part["count"] * (len(BARS) - 1)) // highest] for part in column["parts"])


def run_changes(session: Session, args: Namespace, out: Output) -> None:
    found = session.office.records.changes(
        args.environment, args.record_type, *args.key, after=args.after, limit=args.limit
    )
    if out.as_json:
        for change in found["items"]:
            out.value(change)
        return
    empty = "nothing has changed" if found["history"] != "none" else "nothing is written down: its history is none"
    lines = (
        {**change, "key": ", ".join(map(str, change["key"])), "what": difference(change)} for change in found["items"]
    )
    out.rows(lines, ["id", "at", "kind", "key", "what", "run"], empty=empty)
    if not found["is_all"]:
        out.say(f"there are more: --after {found['next']}" if args.after is not None else "there are more: --limit")


def difference(change: Mapping[str, Any]) -> str:
    """The fields that differ: `girth: 1.25 -> 1.27`."""
    before, after = change["before"] or {}, change["after"] or {}
    names = list(dict.fromkeys([*before, *after]))
    return "; ".join(f"{name}: {shown(before.get(name))} -> {shown(after.get(name))}" for name in names)


def run_views(session: Session, args: Namespace, out: Output) -> None:
    views = session.office.records.views(args.environment)
    for view in views:
        lines = [f"{view['schema']}.{view['name']}" + (f": {view['problem']}" if view["problem"] else "")]
        lines += [f"  {column['name']:<24} {column['type']}" for column in view["columns"]]
        if view["role"]:
            lines.append(f"  to let somebody read it: GRANT {view['role']} TO their_role")
        out.value(view, "\n".join(lines))
    if not views:
        out.say("nothing was kept in this environment yet")


def run_record(session: Session, args: Namespace, out: Output) -> None:
    found = session.office.records.get(args.environment, args.record_type, *args.key, max_age=args.max_age)
    if "live" in found:
        lines = [f"{name:<16} {shown(value)}" for name, value in found["data"].items()]
        out.value(found, "\n".join([*lines, f"version {found['version']} · {_of_service(found['live'])}"]))
        return
    row = found["trace"]["row"]
    places = {field["field"]: field["pointer"] for field in row["fields"]} if row else {}
    lines = [f"{name:<16} {shown(value):<32} {places.get(name) or ''}" for name, value in found["data"].items()]
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


def shown(value: Any) -> str:
    return "–" if value is None else ", ".join(map(str, value)) if isinstance(value, list) else str(value)
