"""Definitions: look at one, import what is wanted of it, and later take what has changed."""

import json
from argparse import ArgumentTypeError, Namespace
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from rondine_cli.items import add_item_verbs
from rondine_cli.output import Output, counted
from rondine_cli.session import Session, named_values

#: What is taken of a folder.
ENDINGS = (
    ".json",
    ".yaml",
    ".yml",
    ".xml",
    ".xsd",
    ".wsdl",
    ".edmx",
    ".graphql",
    ".graphqls",
    ".gql",
    ".har",
    ".ndjson",
)


def add_commands(commands: Any) -> None:
    definition = commands.add_parser("definition", help="documents that describe services").add_subparsers(
        required=True, metavar="VERB"
    )
    add_item_verbs(
        definition,
        "definitions",
        "definition",
        ["name", "service", "document.format", "document.version", "operations"],
    )
    look = definition.add_parser("look", help="show what is in it; nothing is written")
    _add_source(look)
    look.add_argument("--search", default="", help="only operations with this in name, title, path or tag")
    look.add_argument("--inputs", action="store_true", help="with the inputs of each operation")
    look.set_defaults(run=run_look)
    rows = definition.add_parser("rows", help="the first rows of an entity set or list, before anything is made")
    rows.add_argument("key", help="of an operation that reads, by its key or proposed name")
    _add_source(rows)
    rows.add_argument("--input", action="append", metavar="NAME=VALUE")
    rows.set_defaults(run=run_rows)
    take = definition.add_parser("import", help="make service, operations, record types and the connection from it")
    _add_source(take)
    take.add_argument("--every-part", action="store_true", help="the other services in it too, each as one of its own")
    take.add_argument("--title", default="", help="of the service, if it is made")
    take.add_argument(
        "--operation",
        action="append",
        metavar="KEY",
        help="only this one, by its key or proposed name; may be given several times",
    )
    take.add_argument("--tag", action="append", help="only operations with this tag")
    take.add_argument(
        "--leave-out",
        action="append",
        metavar="OPERATION:INPUT",
        help="an input nobody wants; it stays out on importing again",
    )
    take.add_argument(
        "--record-type", action="append", metavar="NAME", help="only this one of the record types proposed"
    )
    take.add_argument("--no-record-types", action="store_true", help="make none")
    take.add_argument("--no-paging", action="store_true", help="do not follow the paging that the definition shows")
    take.add_argument("--no-connection", action="store_true", help="do not prepare a connection")
    take.add_argument("--base-address", help="of the connection, if it is not the definition's first server")
    take.add_argument("--blank", action="append", metavar="NAME=VALUE", help="for a placeholder of the base address")
    take.add_argument("--sign-in", help="one of the definition's sign-ins, by name")
    take.set_defaults(run=run_import)
    for name, help_text, run in (
        ("compare", "show what has changed in it, and what that would touch", run_compare),
        ("update", "take what has changed; own corrections stay", run_update),
    ):
        verb = definition.add_parser(name, help=help_text)
        verb.add_argument("name")
        verb.add_argument("source", nargs="*", help="files or an address; by default the address it came from")
        if name == "update":
            verb.add_argument(
                "--accept", action="append", metavar="KEY", help="only this change; may be given several times"
            )
            verb.add_argument("--add", action="append", metavar="KEY", help="a new operation that is wanted")
        verb.add_argument("--main", help="which file is the definition; by default the one that was imported")
        verb.add_argument("--part", help="which of the services in it; by default the one that was imported")
        verb.add_argument("--environment", default="test", help="whose connection signs in, if the address is its own")
        verb.add_argument(
            "--introspect", action="store_true", help="ask a GraphQL service for its schema, as it was imported"
        )
        verb.set_defaults(run=run, service="")
    schemas = definition.add_parser("schemas", help="the schemas that its operations need, as JSON Schema")
    schemas.add_argument("name")
    schemas.set_defaults(run=lambda session, args, out: out.value(session.office.definitions.schemas(args.name)))


def _add_source(verb: Any) -> None:
    verb.add_argument("source", nargs="+", help="an address, files, a folder, or a zip archive")
    verb.add_argument("--main", help="which file is the definition, if it is not the one that looks like it")
    verb.add_argument("--part", help="which of the services in it, such as a host of a recorded session")
    verb.add_argument(
        "--service",
        default="",
        help="the service it is imported into; its connection signs in, if the address is its own",
    )
    verb.add_argument("--environment", default="test")
    verb.add_argument(
        "--introspect", action="store_true", help="the address is a GraphQL service's: ask it for its schema"
    )


def source_of(args: Namespace) -> dict[str, Any]:
    """The words of a command as a source for the client."""
    given = [args.source] if isinstance(args.source, str) else args.source
    common = {"main": getattr(args, "main", None), "environment": args.environment}
    common |= {"part": args.part} if getattr(args, "part", None) else {}
    common |= {"introspect": True} if getattr(args, "introspect", False) else {}
    addresses = [one for one in given if one.startswith(("http://", "https://"))]
    if addresses:
        if len(given) > 1:
            raise ArgumentTypeError("give one address, or files, not both")
        return {**common, "address": addresses[0]}
    files: dict[str, str | bytes] = {}
    for one in map(Path, given):
        for path in sorted(one.rglob("*")) if one.is_dir() else [one]:
            if one.is_dir() and (not path.is_file() or path.suffix.lower() not in ENDINGS):
                continue
            name = path.relative_to(one).as_posix() if one.is_dir() else path.name
            files[name] = _content(path)
    if not files and given:
        raise OSError(f"{given[0]}: no definition is in this folder; read are {', '.join(ENDINGS)}")
    return {**common, "files": files} if files else common


def _content(path: Path) -> str | bytes:
    content = path.read_bytes()
    try:
        return content.decode()
    except UnicodeDecodeError:
        return content


def _looked_at(session: Session, args: Namespace, out: Output) -> tuple[dict[str, Any], Mapping[str, Any]]:
    source = source_of(args)
    with out.counting("reading the definition") as bar:
        details = getattr(args, "inputs", False)
        found = session.office.definitions.look_at(report=bar.told, service=args.service, details=details, **source)
    found_again = {"look": found["look"], "environment": args.environment}
    return {**found_again, **({"part": args.part} if args.part else {})}, found


def run_look(session: Session, args: Namespace, out: Output) -> None:
    _, found = _looked_at(session, args, out)
    if out.as_json:
        out.value(found)
        return
    out.value(found, summary(found))
    word = args.search.lower()
    rows = [
        operation
        for operation in found["operations"]
        if word in " ".join([operation["name"], operation["title"], operation["path"], *operation["tags"]]).lower()
    ]
    columns = ["key", "name", "title", "tags", "inputs", "pages"]
    shown = [
        {
            **row,
            "inputs": (
                ", ".join(f"{each['name']}{'*' if each['is_required'] else ''}" for each in row["details"]["inputs"])
                if args.inputs
                else row["inputs"]
            ),
            "pages": row["paging"]["type"] if row["paging"] else "",
            "name": row["name"] + (" (imported)" if row["is_imported"] else ""),
        }
        for row in rows
    ]
    out.rows(shown, columns, empty="no operation is called like that" if word else "it describes no operation")
    show_warnings(found, out)


def summary(found: Mapping[str, Any]) -> str:
    """What is in a definition, in a few lines."""
    lines = [
        f"{found['title'] or found['main']} {found['version']} · {found['format']} · {found['size']:,} bytes",
        f"{counted(len(found['operations']), 'operation')}, {counted(found['schemas'], 'schema')}"
        + (f"; responses may be {', '.join(found['roots'][:8])}" if found["roots"] else ""),
    ]
    lines += [
        f"part     {part['name']} ({part['count']:,}){' is shown' if part['name'] == found['part'] else ''}"
        for part in found["parts"]
    ]
    lines += [
        f"at       {server['address']}{'  ' + server['description'] if server['description'] else ''}"
        for server in found["servers"]
    ]
    lines += [
        f"sign-in  {one['name']}: {(one['type'] or 'none that Rondine can do').replace('_', ' ')}"
        for one in found["sign_ins"]
    ]
    if found["record_types"]:
        names = [f"{record_type['name']} ({record_type['field_count']})" for record_type in found["record_types"][:12]]
        more = f" and {len(found['record_types']) - 12} more" if len(found["record_types"]) > 12 else ""
        lines.append(f"record types (fields)  {', '.join(names)}{more}")
        if taken := [record_type for record_type in found["record_types"] if record_type["wanted"]]:
            renamed = ", ".join(f"{one['wanted']} is called {one['name']}" for one in taken[:6])
            lines.append(f"names that are taken by others: {renamed}{' ...' if len(taken) > 6 else ''}")
    return "\n".join(lines) + "\n"


def show_warnings(found: Mapping[str, Any], out: Output) -> None:
    for one in found["left_out"]:
        out.bad(f"left out: {_told(one)}")
    warnings = [
        *found["warnings"],
        *(each for operation in found.get("operations", []) for each in operation["warnings"]),
    ]
    for warning in warnings[:30]:
        out.say(f"mind: {_told(warning)}")
    if len(warnings) > 30:
        out.say(f"... and {len(warnings) - 30} more (--json has them all)")


def _told(one: dict[str, str]) -> str:
    return f"{one['where']}: {one['message']}{' - ' + one['hint'] if one['hint'] else ''}"


def run_rows(session: Session, args: Namespace, out: Output) -> int:
    source, found = _looked_at(session, args, out)
    key = next(
        (operation["key"] for operation in found["operations"] if args.key in (operation["key"], operation["name"])),
        args.key,
    )
    with out.working("asking the service"):
        seen = session.office.definitions.preview_rows(
            key, service=args.service, inputs=named_values(args.input), **source
        )
    if seen["status"] >= 300:
        out.bad(f"{seen['url']} answered {seen['status']}: {seen['words']} {seen['message']}".strip())
        return 1
    rows = [row if isinstance(row, dict) else {"value": row} for row in seen["rows"]]
    columns = list(dict.fromkeys(name for row in rows for name in row if not name.startswith("@")))[:12]
    out.rows(rows, columns, empty="it answers no rows")
    out.say(f"GET {seen['url']}: {seen['count']} rows at {seen['path']}; nothing was stored")
    return 0


def run_import(session: Session, args: Namespace, out: Output) -> None:
    source, found = _looked_at(session, args, out)
    by_word = {word: one["key"] for one in found["operations"] for word in (one["name"], one["key"])}
    chosen = [by_word.get(word, word) for word in args.operation] if args.operation else None
    if args.tag:
        tagged = [one["key"] for one in found["operations"] if set(one["tags"]) & set(args.tag)]
        chosen = [*(chosen or []), *tagged]
    left_out: dict[str, list[str]] = {}
    for word in args.leave_out or []:
        operation, colon, name = word.rpartition(":")
        if not colon:
            raise ArgumentTypeError(f'"{word}" is not OPERATION:INPUT')
        left_out.setdefault(by_word.get(operation, operation), []).append(name)
    connect: dict[str, Any] = {"environment": args.environment, "blanks": named_values(args.blank)}
    connect |= {"address": args.base_address} if args.base_address else {}
    connect |= {"sign_in": args.sign_in} if args.sign_in else {}
    with out.working(f"importing {counted(len(found['operations'] if chosen is None else chosen), 'operation')}"):
        made = session.office.definitions.import_into(
            args.service,
            title=args.title,
            operations=chosen,
            left_out=left_out,
            record_types=[] if args.no_record_types else args.record_type,
            paging="decline" if args.no_paging else "follow",
            connect=None if args.no_connection else connect,
            every_part=args.every_part,
            **source,
        )
    lines = [
        (
            _made_words(made)
            if found["operations"]
            else (
                f"service {made['service']}: definition {made['definition']} with the schemas"
                f" {', '.join(found['roots'])}"
            )
        ),
        *(f"  {name}" for name in made["operations"][:20]),
        *([f"  ... and {len(made['operations']) - 20} more"] if len(made["operations"]) > 20 else []),
    ]
    if made["record_types"]:
        lines.append(f"record types: {', '.join(made['record_types'])}")
    lines += [f"! {note}" for note in made["notes"]]
    if made["secrets_needed"]:
        words = " ".join(f"--secret {name}" for name in made["secrets_needed"])
        lines.append(f"give it its secret: rondine credential set {made['credential']} {words}")
    for other in made["others"]:
        lines.append(_made_words(other))
        lines += [f"  ! {note}" for note in other["notes"]]
    if made["operations"]:
        lines.append(f"try one: rondine operation try {made['operations'][0]}")
    elif found["roots"]:
        lines.append(f"say what answers so: rondine operation describe NAME --definition {made['definition']}")
    out.value(made, "\n".join(lines))
    names = [part["name"] for part in found["parts"]] if args.every_part else []
    left = [one for one in found["left_out"] if not any(name in one["message"] for name in names)]
    show_warnings({**found, "left_out": left}, out)


def _made_words(made: Mapping[str, Any]) -> str:
    number = counted(len(made["operations"]), "operation")
    words = f"service {made['service']}: {number} from definition {made['definition']}"
    return words + (f", connection {made['connection']}" if made["connection"] else "")


def run_compare(session: Session, args: Namespace, out: Output) -> None:
    with out.working("reading the definition and comparing it"):
        found = session.office.definitions.compare(args.name, **source_of(args))
    out.value(found, comparison_text(found))
    show_warnings(found, out)


def comparison_text(found: Mapping[str, Any]) -> str:
    lines = [f"{found['title']} {found['version']}: {len(found['changes'])} changed, {found['unchanged']} as before"]
    for change in found["changes"]:
        lines.append(
            f"\n{change['kind']} "
            f" {change['key']}{'  (' + change['name'] + ')' if change['name'] else '  ' + change['title']}"
        )
        for each in change["differences"]:
            kept = "   yours stays" if each["is_kept"] else ""
            lines.append(f"  {each['unit']}: {_short(each['before'])} → {_short(each['now'])}{kept}")
        if change["used_by"]:
            lines.append(f"  used by {', '.join(change['used_by'])}")
    return "\n".join(lines)


def _short(value: Any) -> str:
    text = "nothing" if value is None else value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
    return text if len(text) <= 100 else text[:99] + "…"


def run_update(session: Session, args: Namespace, out: Output) -> None:
    with out.working("taking what has changed"):
        found = session.office.definitions.update(args.name, accept=args.accept, add=args.add or [], **source_of(args))
    out.value(found, comparison_text(found))
    out.good(f"definition {args.name} is as it is there now")
    for change in found["changes"]:
        if change["kind"] == "added" and change["key"] not in (args.add or []):
            out.say(
                f'new, not taken: {change["key"]}; take it: rondine definition import ... --operation "{change["key"]}"'
            )
