"""Responses in files, pipes and trials: looked at, compared, mapped; kept nowhere. Everything here can stand in a
pipe."""

import json
import os
import shutil
import sys
import tempfile
from argparse import Namespace
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import ExitStack
from pathlib import Path
from typing import Any

from rondine_cli.items import read_document
from rondine_cli.mapping import proposal_text
from rondine_cli.output import Output
from rondine_cli.samples import schema_rows, told_differences
from rondine_cli.session import Session, named_values
from rondine_client.requests import UNKNOWN, Content

_FILE = "a file; - for standard input, run:NUMBER for what a trial brought"


def add_commands(commands: Any) -> None:
    response = commands.add_parser(
        "response", help="responses in files and pipes, kept nowhere: look, compare, map"
    ).add_subparsers(required=True, metavar="VERB")
    show = response.add_parser("show", help="as a tree, with the path of each place")
    show.add_argument("file", nargs="?", default="-", help=_FILE)
    show.add_argument("--at", default="", metavar="POINTER", help="only what is below this place, a JSON Pointer")
    show.add_argument("--depth", type=int, default=3)
    show.add_argument("--limit", type=int, default=20, help="of each list and object (default: 20)")
    show.set_defaults(run=run_show)
    schema = response.add_parser("schema", help="the schema of one or more; JSON Schema with --json or into a pipe")
    schema.add_argument("files", nargs="*", default=["-"], metavar="FILE", help=_FILE)
    _add_keys(schema)
    schema.set_defaults(run=run_schema)
    compare = response.add_parser("compare", help="compare two by structure and value; exit status 1 if they differ")
    compare.add_argument("before", help=_FILE)
    compare.add_argument("after", help=_FILE)
    compare.add_argument("--structure", action="store_true", help="only parts that came, are gone or differ")
    compare.set_defaults(run=run_compare)
    propose = response.add_parser("propose", help="propose a record type and a mapping; a document for 'map --draft'")
    propose.add_argument("files", nargs="*", default=["-"], metavar="FILE", help=_FILE)
    propose.add_argument("--rows", required=True, action="append", metavar="PATH", help="as 'mapping propose' has it")
    propose.add_argument("--record-type", required=True, metavar="NAME")
    propose.add_argument("--take", action="append", metavar="PATH", help="a wanted value; default: all")
    propose.add_argument("--onto", action="store_true", help="the record type is there already: find what fills it")
    propose.add_argument("--parts", action="store_true", help="lists of objects in a row too, as records of their own")
    _add_keys(propose)
    propose.set_defaults(run=run_propose)
    mapped = response.add_parser(
        "map", help="records of a response of any size: one JSON value a line into a pipe, a table on a terminal"
    )
    mapped.add_argument("file", nargs="?", default="-", help=_FILE)
    how = mapped.add_mutually_exclusive_group(required=True)
    how.add_argument("--mapping", metavar="NAME", help="a saved mapping")
    how.add_argument("--draft", metavar="FILE", help="what 'propose' gave: {record_type, mapping, name} (JSON or YAML)")
    mapped.add_argument("--input", action="append", metavar="NAME=VALUE", help="may be given several times")
    mapped.add_argument("--only", metavar="RECORD-TYPE", help="only records of this type")
    mapped.add_argument("--rejects", metavar="FILE", help="write rows that do not fit here, one JSON value a line")
    mapped.set_defaults(run=run_map)


def _add_keys(parser: Any) -> None:
    parser.add_argument("--data-keys", action="append", metavar="PATH", help="the keys of this object are data")
    parser.add_argument("--named-keys", action="append", metavar="PATH", help="they are names, whatever they look like")


def _corrections(args: Namespace) -> list[dict[str, Any]]:
    """What was said of objects' keys."""
    said = {"data": args.data_keys, "names": args.named_keys}
    return [{"path": path, "keys": keys} for keys, paths in said.items() for path in paths or []]


def run_show(session: Session, args: Namespace, out: Output) -> None:
    with ExitStack() as held:
        content = _content(session, args.file, held)
        found = session.office.readings.tree(content, at=args.at, depth=args.depth, limit=args.limit)
    out.value(
        found, "\n".join([found["format"].upper(), *_tree_lines(found["lines"], is_xml=found["format"] == "xml")])
    )


def _tree_lines(lines: Sequence[Mapping[str, Any]], *, is_xml: bool) -> Iterator[str]:
    """A line a place, and how many more there are where not all are shown."""
    around: list[tuple[Mapping[str, Any], int]] = []  # lists and objects that are open, and how much of each was shown

    def closed(depth: int) -> Iterator[str]:
        while around and around[-1][0]["depth"] >= depth:
            line, shown = around.pop()
            if 0 < shown < line["count"]:
                yield f"{'  ' * line['depth']}… {line['count'] - shown:,} more"

    for line in lines:
        yield from closed(line["depth"])
        if around:
            around[-1] = (around[-1][0], around[-1][1] + 1)
        name = str(int(line["name"]) + 1) if is_xml and line["name"].isdigit() else line["name"]  # as XPath counts
        yield f"{'  ' * (line['depth'] - 1)}{name}: {line['text'] or _holds(line)}  {line['path']}"
        if line["count"]:
            around.append((line, 0))
    yield from closed(0)


def _holds(line: Mapping[str, Any]) -> str:
    return f"{'list of' if line['kind'] == 'array' else 'object of'} {line['count']}"


def run_schema(session: Session, args: Namespace, out: Output) -> None:
    with ExitStack() as held:
        contents = [_content(session, file, held) for file in args.files or ["-"]]
        found = session.office.readings.outline(*contents, corrections=_corrections(args))
    schema_rows(found, out)


def run_compare(session: Session, args: Namespace, out: Output) -> int:
    with ExitStack() as held:
        before, after = (_content(session, one, held) for one in (args.before, args.after))
        read = session.office.readings.structure_comparison if args.structure else session.office.readings.comparison
        found = read(before, after)
    return told_differences(found, out, is_structure=args.structure)


def run_propose(session: Session, args: Namespace, out: Output) -> None:
    with ExitStack() as held:
        contents = [_content(session, file, held) for file in args.files or ["-"]]
        found = session.office.readings.proposal(
            *contents,
            rows=args.rows,
            name=args.record_type,
            take=args.take,
            corrections=_corrections(args),
            onto=args.onto,
        )
    if args.parts:
        found["mapping"]["outputs"] += [part["output"] for part in found["parts"]]
    out.value(found, proposal_text(found))


def run_map(session: Session, args: Namespace, out: Output) -> int:
    record_types, mapping = {}, args.mapping
    if args.draft:
        draft = read_document(args.draft)
        if "mapping" in draft:
            mapping, record_types = draft["mapping"], {draft["name"]: draft["record_type"]}
            record_types |= {part["name"]: part["record_type"] for part in draft.get("parts", [])}
        else:
            mapping = draft
    document = mapping if isinstance(mapping, dict) else session.office.mappings.get(mapping)["whole"]
    is_one = args.only or len(document.get("outputs", [])) == 1
    rejected: list[dict[str, Any]] = []
    counts: list[dict[str, Any]] = []
    with ExitStack() as held:
        content = _content(session, args.file, held)
        rejects = held.enter_context(Path(args.rejects).open("w", encoding="utf-8")) if args.rejects else None
        lines = session.office.readings.records(content, mapping, record_types, named_values(args.input))

        def records() -> Iterator[dict[str, Any]]:
            for line in lines:
                if "counts" in line:
                    counts.extend(line["counts"])
                elif args.only and line["record_type"] != args.only:
                    continue
                elif "data" in line:
                    yield line["data"] if is_one else {"record_type": line["record_type"], "data": line["data"]}
                elif rejects is not None:
                    rejects.write(json.dumps(line, ensure_ascii=False) + "\n")
                elif len(rejected) < 10:
                    rejected.append(line)

        _written(records(), out)
    for one in rejected:
        out.bad(f"{one['path']}: " + "; ".join(f"{each['field']} {each['reason']}" for each in one["problems"]))
    for count in counts:
        filtered = f", {count['filtered']} filtered" if count["filtered"] else ""
        words = f"{count['records']:,} records and {count['rejected']:,} rejects from {count['rows']:,} rows{filtered}"
        out.say(f"{count['record_type']}: {words}")
    return 1 if any(count["rejected"] for count in counts) else 0


def _written(records: Iterable[Mapping[str, Any]], out: Output) -> None:
    """A line each into a pipe, as they come; the first hundred as a table on a terminal."""
    if out.as_json:
        try:
            for record in records:
                sys.stdout.write(json.dumps(record, ensure_ascii=False) + "\n")
            sys.stdout.flush()
        except BrokenPipeError:  # who reads has enough
            os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
            raise SystemExit(0) from None
        return
    shown: list[Any] = []
    for record in records:
        if len(shown) < 100:
            shown.append(record)
    columns = list(dict.fromkeys(name for record in shown for name in record))
    out.rows(shown, columns, empty="no records")


def _content(session: Session, word: str, held: ExitStack) -> Content:
    """What a word on the command line names; files stay open until `held` ends."""
    if word.startswith("run:") and word[4:].isdigit():
        for call in session.office.runs.calls(int(word[4:])):
            if body := call["body"]:
                media_type = next((value for name, value in call["headers"] if name.lower() == "content-type"), UNKNOWN)
                return word, session.office.bodies.content(body), media_type
        raise FileNotFoundError(f"run {word[4:]} has no stored response")
    if word == "-":
        whole = held.enter_context(tempfile.TemporaryFile())  # noqa: SIM115 its length is told before it is sent
        shutil.copyfileobj(sys.stdin.buffer, whole)
        whole.seek(0)
        return "standard input", whole, UNKNOWN
    return word, held.enter_context(Path(word).open("rb")), UNKNOWN
