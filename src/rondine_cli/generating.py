"""Typed code for what an application is offered."""

from argparse import Namespace
from pathlib import Path
from typing import Any

from rondine_cli.output import Output
from rondine_cli.session import Session
from rondine_cli.signing_in import TOKEN, application_of
from rondine_client.generating import python_package, typescript_module


def add_commands(commands: Any) -> None:
    generate = commands.add_parser(
        "generate", help=f"typed code for what an application may use, by its token in {TOKEN}"
    ).add_subparsers(required=True, metavar="LANGUAGE")
    for language, words, action in (
        ("python", "a package with dataclasses and py.typed", run_python),
        ("typescript", "a module without dependencies", run_typescript),
    ):
        parser = generate.add_parser(language, help=words)
        where = "FOLDER" if language == "python" else "FILE"
        parser.add_argument("target", type=Path, metavar=where, help="what is there is written anew")
        parser.add_argument("--environment", default="test", help="that the token is for (default: test)")
        parser.set_defaults(run=action)


def run_python(session: Session, args: Namespace, out: Output) -> None:
    files = python_package(application_of(session, args).openapi())
    args.target.mkdir(parents=True, exist_ok=True)
    for name, text in files.items():
        (args.target / name).write_text(text)
    out.good(f"{args.target} is a package: from {args.target.name} import ...")


def run_typescript(session: Session, args: Namespace, out: Output) -> None:
    args.target.parent.mkdir(parents=True, exist_ok=True)
    args.target.write_text(typescript_module(application_of(session, args).openapi()))
    out.good(f"{args.target} is written")
