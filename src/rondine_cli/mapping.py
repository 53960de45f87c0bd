"""Record types and mappings: proposed, previewed, saved."""

import json
from argparse import ArgumentTypeError, Namespace
from collections.abc import Mapping
from typing import Any

from rondine_cli.items import add_item_verbs, add_set_option, document_of, read_document, show_problems, with_changes
from rondine_cli.output import Output
from rondine_cli.samples import corrections_of
from rondine_cli.session import Session, named_values


def add_commands(commands: Any) -> None:
    record_type = commands.add_parser("record-type", help="named, typed fields with a key").add_subparsers(
        required=True, metavar="VERB"
    )
    add_item_verbs(record_type, "record_types", "record type", ["name", "title", "document.key", "version"])
    make = record_type.add_parser("make", help="make one from a document, or change one")
    make.add_argument("name")
    make.add_argument("--file", help="JSON or YAML; - for standard input (default: as it is)")
    add_set_option(make, "history=changes, kind=live or fields.3.is_picture=true")
    make.set_defaults(run=run_record_type)

    mapping = commands.add_parser("mapping", help="the rules from a response to records").add_subparsers(
        required=True, metavar="VERB"
    )
    add_item_verbs(mapping, "mappings", "mapping", ["name", "title", "service", "version"])
    make = mapping.add_parser("make", help="make or change one from a document")
    make.add_argument("name")
    make.add_argument("--service", required=True)
    make.add_argument("--file", required=True, help="JSON or YAML; - for standard input")
    make.set_defaults(run=run_mapping)
    propose = mapping.add_parser("propose", help="propose a record type and a mapping from a sample")
    propose.add_argument("sample")
    propose.add_argument(
        "--rows",
        required=True,
        action="append",
        metavar="PATH",
        help="what becomes one row, a JSONPath; several go from the outside in",
    )
    propose.add_argument("--record-type", required=True, metavar="NAME")
    propose.add_argument(
        "--take", action="append", metavar="PATH", help="a wanted value, a JSONPath from the row; default: all"
    )
    propose.add_argument(
        "--onto", action="store_true", help="the record type is there already: find what fills its fields"
    )
    propose.add_argument(
        "--accept",
        action="append",
        metavar="FIELD",
        help="with --onto: a match that is not sure is right; 'all' for all",
    )
    propose.add_argument("--key", action="append", metavar="FIELD", help="the key, in place of the proposed one")
    propose.add_argument(
        "--unit", action="append", metavar="FIELD=UNIT", help="what a number counts, such as girth_m=m"
    )
    propose.add_argument("--save", metavar="MAPPING", help="save the record type, and the mapping under this name")
    propose.add_argument("--service", help="the mapping's service; needed with --save")
    propose.add_argument(
        "--parts", action="store_true", help="lists of objects in a row too, as records of their own that belong to it"
    )
    propose.set_defaults(run=run_propose)
    preview = mapping.add_parser("preview", help="what a saved mapping makes of a sample; keeps nothing")
    preview.add_argument("name")
    preview.add_argument("sample")
    preview.set_defaults(run=run_preview)


def run_record_type(session: Session, args: Namespace, out: Output) -> None:
    if not args.file and not args.changes:
        raise ArgumentTypeError("give a document with --file, or say with --set what to change")
    document = read_document(args.file) if args.file else document_of(session.office.record_types, args.name)
    made = session.office.record_types.save(args.name, document=with_changes(document, args.changes))
    out.value(made, f"record type {made['name']} is at version {made['version']}{_reached(made)}")
    show_problems(made, out)


def run_mapping(session: Session, args: Namespace, out: Output) -> None:
    made = session.office.mappings.save(args.name, service=args.service, document=read_document(args.file))
    out.value(made, f"mapping {made['name']} is at version {made['version']}{_reached(made)}")
    show_problems(made, out)


def _reached(made: Mapping[str, Any]) -> str:
    """What a change has reached besides."""
    users = ", ".join(f"{one['kind']} {one['name']}" for one in made["used_by"])
    return f"; it is used by {users}" if users else ""


def run_propose(session: Session, args: Namespace, out: Output) -> int:
    office = session.office
    sample = office.samples.get(args.sample)
    corrections = corrections_of(session, sample)
    found = office.mappings.propose(
        sample["body"], rows=args.rows, name=args.record_type, take=args.take, onto=args.onto, corrections=corrections
    )
    if args.key:
        found["record_type"]["key"] = args.key
    for name, unit in named_values(args.unit).items():
        field = next((one for one in found["record_type"]["fields"] if one["name"] == name), None)
        if field is None:
            out.bad(f'--unit: there is no field "{name}" in the proposal')
            return 2
        field["unit"] = unit
    if args.parts:
        found["mapping"]["outputs"] += [part["output"] for part in found["parts"]]
    out.value(found, proposal_text(found))
    if args.save:
        if not args.service:
            out.bad("--save needs --service")
            return 2
        accepted = set(args.accept or [])
        unsure = [pair for pair in found["pairs"] if not pair["is_sure"] and not {pair["field"], "all"} & accepted]
        if unsure:
            told = ", ".join(f"{one['field']} from {one['path']} ({one['reason']})" for one in unsure)
            again = " ".join(f"--accept {one['field']}" for one in unsure)
            out.bad(
                f"nothing is saved: these matches are not sure: {told}\nif they are right: {again}; or choose values"
                " with --take"
            )
            return 1
        if not args.onto or args.key or args.unit:
            office.record_types.save(args.record_type, document=found["record_type"])
        for one in found["parts"] if args.parts else []:
            office.record_types.save(one["name"], document=one["record_type"])
        made = office.mappings.save(args.save, service=args.service, document=found["mapping"])
        out.good(f"record type {args.record_type} and mapping {args.save} are saved")
        show_problems(made, out)
    return 0


def proposal_text(found: Mapping[str, Any]) -> str:
    """A proposal for people: a line a field, and what is to be minded."""
    rules = found["mapping"]["outputs"][0]["fields"]
    types = {field["name"]: field["type"] for field in found["record_type"]["fields"]}
    key = found["record_type"].get("key", [])
    reasons = {
        pair["field"]: f"  ({pair['reason']}{'' if pair['is_sure'] else ', not sure'})" for pair in found["pairs"]
    }
    lines = [
        f"{rule['name']:<16} {types[rule['name']]:<9} {'key' if rule['name'] in key else '':<4} from"
        f" {_source(rule['from'])}{reasons.get(rule['name'], '')}"
        for rule in rules
    ]
    parts = [f"{part['path']} could be records of their own: {part['name']} (--parts)" for part in found["parts"]]
    if len(found["mapping"]["outputs"]) > 1:
        parts = [f"linked: {part['name']}, each of {part['path']}" for part in found["parts"]]
    return "\n".join([f"record type {found['name']}", *lines, *(f"! {note}" for note in found["notes"]), *parts])


def _source(source: Any) -> str:
    return source if isinstance(source, str) else json.dumps(source, ensure_ascii=False)


def run_preview(session: Session, args: Namespace, out: Output) -> None:
    office = session.office
    body = office.samples.get(args.sample)["body"]
    found = office.mappings.preview(body, office.mappings.get(args.name)["document"])
    if out.as_json:
        out.value(found)
        return
    for output in found["outputs"]:
        out.say(
            f"{output['record_type']}: {output['records']} records and {output['rejected']} rejects from"
            f" {output['rows']} rows" + (f", {output['filtered']} filtered" if output["filtered"] else "")
        )
        good = [row["data"] for row in output["shown"] if row["data"] is not None]
        columns = list(good[0]) if good else []
        out.rows(good[:20], columns, empty="no records")
        covered = output["coverage"]
        for loss in covered["losses"]:
            out.say(f"mind {loss['field']}: {loss['words']}")
        if covered["open"]:
            out.say(f"nothing fills {', '.join(covered['open'])}")
        if covered["unused"]:
            out.say(f"not taken: {', '.join(covered['unused'][:20])}")
        for row in [row for row in output["shown"] if row["data"] is None][:10]:
            out.bad(
                f"{row['path']}: " + "; ".join(f"{problem['field']} {problem['reason']}" for problem in row["problems"])
            )
