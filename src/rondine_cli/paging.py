"""How operations ask for further pages: shown, set, and the strategies there are."""

import json
from argparse import Namespace
from collections.abc import Mapping
from typing import Any

from rondine_cli.items import json_or_text, show_problems
from rondine_cli.output import Output
from rondine_cli.session import Session, named_values


def add_paging_verb(operation: Any) -> None:
    paging = operation.add_parser("paging", help="show or change how one asks for further pages")
    paging.add_argument("name", nargs="?")
    paging.add_argument("strategy", nargs="?", help="one of those that --strategies lists, or undecided")
    paging.add_argument("setting", nargs="*", metavar="NAME=VALUE", help="such as input=page total=/total, or at=/next")
    paging.add_argument("--strategies", action="store_true", help="list the strategies and their settings")
    paging.set_defaults(run=run_paging)


def paging_words(session: Session, paging: Mapping[str, Any]) -> str:
    """What an operation's strategy does, by the strategy's own form, and its settings."""
    forms = {form["type"]: form for form in session.office.operations.forms()["paging"]}
    words = forms[paging["type"]]["words"].rstrip(".") if paging["type"] in forms else paging["type"]
    rest = ", ".join(f"{name} {value}" for name, value in paging.items() if name != "type")
    return words[:1].lower() + words[1:] + (f" ({rest})" if rest else "")


def run_paging(session: Session, args: Namespace, out: Output) -> None:
    if args.strategies or not args.name:
        _list_strategies(session, out)
        return
    held = session.office.operations.get(args.name)
    document = held["document"]
    if args.strategy:
        settings = {name: json_or_text(value) for name, value in named_values(args.setting).items()}
        changed = {name: one for name, one in document.items() if name != "paging"}
        if args.strategy != "undecided":
            changed["paging"] = {"type": args.strategy, **settings}
        held = session.office.operations.change(args.name, version=held["version"], document=changed)
    paging = held["document"].get("paging")
    if paging is None:
        words = "has no paging decided; what its responses show is taken over with a sample or a feed"
    else:
        words = paging_words(session, paging)
    out.value(paging, f"{args.name} {words}")
    show_problems(held, out)


def _usual(setting: Mapping[str, Any]) -> str:
    if setting["is_required"]:
        return "required"
    return "optional" if setting["default"] is None else f"usually {json.dumps(setting['default'])}"


def _list_strategies(session: Session, out: Output) -> None:
    forms = session.office.operations.forms()["paging"]
    lines = []
    for form in forms:
        lines.append(f"{form['type']}: {form['words']}")
        for setting in form["fields"]:
            usual = _usual(setting)
            lines.append(f"    {setting['name']:<12} {setting['help'] or setting['title']} ({usual})")
    out.value(forms, "\n".join(lines))
