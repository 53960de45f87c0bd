"""`rondine`: the command line. Exit status 0: done; 1: an error that Rondine names; 2: wrong usage; 130:
interrupted."""

import argparse
import os
import sys

import argcomplete

from rondine_cli import (
    administration,
    cases,
    connecting,
    definitions,
    environments,
    finding,
    flow_schedules,
    flowing,
    generating,
    guide,
    mapping,
    operations,
    people,
    records,
    releasing,
    responses,
    running,
    samples,
    state,
    telling,
    trials,
    using,
)
from rondine_cli.output import Output
from rondine_cli.session import Session
from rondine_client import RondineProblem


class UsageError(Exception):
    """A mistake in the command's words."""


def parser() -> argparse.ArgumentParser:
    made = argparse.ArgumentParser(
        prog="rondine",
        description="Connects applications to outside services and keeps what they answer as records.",
        epilog="Begin with: rondine login",
    )
    made.add_argument("--url", help="the service's address (RONDINE_URL; default: where you signed in)")
    made.add_argument("--project", help="the project (RONDINE_PROJECT; default: your only one)")
    made.add_argument("--json", action="store_true", help="one JSON value a line, for programs")
    commands = made.add_subparsers(required=True, metavar="COMMAND", title="commands")
    for module in (
        people,
        administration,
        environments,
        releasing,
        connecting,
        definitions,
        operations,
        trials,
        samples,
        responses,
        mapping,
        running,
        flow_schedules,
        flowing,
        records,
        cases,
        telling,
        finding,
        using,
        generating,
        guide,
    ):
        module.add_commands(commands)
    made.set_defaults(parser=made)  # the guide reads commands that it prints
    return made


def main(words: list[str] | None = None) -> None:
    made = parser()
    argcomplete.autocomplete(made)
    args = made.parse_args(words)
    out = Output(as_json=args.json)
    url = args.url or os.environ.get("RONDINE_URL") or state.read().get("url") or "http://127.0.0.1:18200"
    try:
        with Session(url, args.project or os.environ.get("RONDINE_PROJECT")) as session:
            status = args.run(session, args, out)
    except RondineProblem as problem:
        show_problem(problem, out)
        sys.exit(1)
    except (argparse.ArgumentTypeError, OSError) as error:
        out.bad(str(error))
        sys.exit(2)
    except BrokenPipeError:
        sys.exit(0)
    except KeyboardInterrupt:
        sys.exit(130)
    sys.exit(status or 0)


def show_problem(problem: RondineProblem, out: Output) -> None:
    """What, where, and what to do; every problem if there are several."""
    out.bad(f"{problem.where + ': ' if problem.where else ''}{problem.message}")
    if problem.hint:
        out.say(f"  {problem.hint}")
    for one in problem.problems[:20] if len(problem.problems) > 1 else ():
        out.say(f"  {one['where']}: {one['message']}{' - ' + one['hint'] if one['hint'] else ''}")


if __name__ == "__main__":
    main()
