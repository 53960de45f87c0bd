"""The verbs that every kind of item has: list, show, remove, its revisions, and the schema of its document."""

import json
import sys
from argparse import ArgumentTypeError, Namespace
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from rondine_cli.output import Output
from rondine_cli.session import Session
from rondine_client import RondineProblem


def add_item_verbs(verbs: Any, kind: str, word: str, columns: list[str]) -> None:
    """kind: the attribute of the client's project, such as record_types."""

    def run_list(session: Session, args: Namespace, out: Output) -> None:
        out.rows(
            getattr(session.office, kind).search(args.search),
            columns,
            empty=f"there is no {word} yet"
            + (" like that" if args.search else f"; make one: rondine {word.replace(' ', '-')} make --help"),
        )

    def run_show(session: Session, args: Namespace, out: Output) -> None:
        found = getattr(session.office, kind).get(args.name)
        out.value(found)
        show_problems(found, out)

    def run_remove(session: Session, args: Namespace, out: Output) -> None:
        getattr(session.office, kind).remove(args.name, with_its_items=args.with_its_items)
        out.good(f"{word} {args.name} is removed")

    def run_revisions(session: Session, args: Namespace, out: Output) -> None:
        out.rows(
            getattr(session.office, kind).revisions(args.name),
            ["version", "what", "by", "at", "why"],
            empty="no revision",
        )

    def run_document_schema(session: Session, args: Namespace, out: Output) -> None:
        out.value(getattr(session.office, kind).document_schema())

    listing = verbs.add_parser("list", help="list them")
    listing.add_argument("search", nargs="?", help="part of a name or title")
    listing.set_defaults(run=run_list)
    for name, help_text, run in (
        ("show", "show one whole", run_show),
        ("remove", "remove one that nothing uses", run_remove),
        ("revisions", "every state it had", run_revisions),
    ):
        verb = verbs.add_parser(name, help=help_text)
        verb.add_argument("name")
        verb.set_defaults(run=run)
        if name == "remove":
            verb.add_argument(
                "--with-its-items", action="store_true", help="and what belongs to it, such as a service's operations"
            )
    schema = verbs.add_parser("document-schema", help="JSON Schema of its document, for editors")
    schema.set_defaults(run=run_document_schema)


def document_of(items: Any, name: str) -> dict[str, Any]:
    """The document of an item of one kind; an empty one, if there is no such item yet."""
    try:
        return dict(items.get(name)["document"])
    except RondineProblem as problem:
        if problem.code != "not_found":
            raise
        return {}


def add_set_option(parser: Any, example: str) -> None:
    """For every field of a document, also those that have no option of their own."""
    parser.add_argument(
        "--set",
        action="append",
        default=[],
        dest="changes",
        metavar="FIELD=VALUE",
        help=f"any field of the document by its path, such as {example}; FIELD= takes it away",
    )


def with_changes(document: Mapping[str, Any], changes: list[str]) -> dict[str, Any]:
    """The document with what `--set` says. Values that are JSON are taken as such, all others as text."""
    out: dict[str, Any] = json.loads(json.dumps(document))
    for change in changes:
        path, equals, text = change.partition("=")
        if not equals or not path.strip("."):
            raise ArgumentTypeError(f"--set {change}: write FIELD=VALUE, such as retrying.max_waits=5")
        *steps, last = path.split(".")
        place: Any = out
        for step in steps:
            if isinstance(place, list):
                if not step.isdecimal() or int(step) >= len(place):
                    raise ArgumentTypeError(f"--set {change}: {step} is no number from 0 to {len(place) - 1}")
                place = place[int(step)]
            else:
                place = place.setdefault(step, {})
            if not isinstance(place, dict | list):
                raise ArgumentTypeError(f"--set {change}: {step} has no fields")
        if not isinstance(place, dict):
            raise ArgumentTypeError(f"--set {change}: {last} is no field of an element")
        if text:
            place[last] = json_or_text(text)
        else:
            place.pop(last, None)
    return out


def json_or_text(text: str) -> Any:
    try:
        return json.loads(text)
    except ValueError:
        return text


def show_problems(item: Mapping[str, Any], out: Output) -> None:
    for problem in item.get("problems") or []:
        out.bad(
            f"not ready: {problem['where']}: {problem['message']}{' - ' + problem['hint'] if problem['hint'] else ''}"
        )


def read_text(path: str) -> str:
    """The text of a file, or of standard input for "-"."""
    return sys.stdin.read() if path == "-" else Path(path).read_text()


def read_document(path: str) -> Any:
    """A document from a file (JSON, or YAML if PyYAML is installed), or from standard input for "-"."""
    text = read_text(path)
    if path.endswith((".yaml", ".yml")):
        try:
            import yaml
        except ImportError as error:
            raise OSError(
                f"{path}: reading YAML needs PyYAML: pip install pyyaml, or give the document as JSON"
            ) from error
        try:
            return yaml.safe_load(text)
        except yaml.YAMLError as error:
            raise OSError(f"{path}: not YAML: {' '.join(str(error).split())}") from error
    try:
        return json.loads(text)
    except ValueError as error:
        raise OSError(f"{path}: not JSON: {error}") from error
