"""Users of an application, signed in at services with accounts of their own."""

import os
from argparse import Namespace
from collections.abc import Callable
from contextlib import nullcontext
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path
from typing import Any
from urllib.parse import parse_qsl, urlsplit

from rondine_cli.environments import typed
from rondine_cli.output import Output
from rondine_cli.session import Session
from rondine_client import Application, RondineProblem

TOKEN = "RONDINE_APPLICATION_TOKEN"  # the variable's name


def add_sign_in(verb: Callable[[str, str, Any], Any]) -> None:
    sign_in = verb("sign-in", "sign a user in at a service with an account of their own", run_sign_in)
    sign_in.add_argument("service")
    sign_in.add_argument("session_file", type=Path, help="where the session's token is written")
    sign_in.add_argument("--caller", metavar="KEY", help="who the user is")
    sign_in.add_argument("--user", metavar="NAME", help="user name at the service; the password is asked for")
    sign_in.add_argument(
        "--callback", help="where the service sends the user back to; one on this machine is listened to"
    )
    sign_out = verb("sign-out", "end the session of a user", run_sign_out)
    sign_out.add_argument("session_file", type=Path)


def application_of(session: Session, args: Namespace) -> Application:
    """Raises RondineProblem without a token."""
    token = os.environ.get(TOKEN, "")
    if not token:
        raise RondineProblem(
            {
                "code": "sign_in_needed",
                "detail": "there is no token of an application",
                "where": TOKEN,
                "hint": "an administrator makes one: rondine application token make NAME --title WHERE",
            }
        )
    file: Path | None = None if args.run is run_sign_in else getattr(args, "session_file", None)
    return Application(
        session.project_name,
        args.environment,
        token=token,
        url=session.url,
        caller=getattr(args, "caller", None),
        session=file.read_text().strip() if file is not None else None,
    )


def run_sign_in(session: Session, args: Namespace, out: Output) -> None:
    application = application_of(session, args)
    offer = application.offer()
    known = [one["sign_in"] for one in (*offer["operations"], *offer["record_types"]) if one["sign_in"]]
    asks = next((one["asks"] for one in known if one["service"] == args.service), [])
    secrets = {name: typed(f"{name} at {args.service}: ") for name in asks if name != "user_name"}
    with Callback(args.callback) if args.callback else nullcontext() as listening:
        begun = application.begin_session(
            args.service, callback=args.callback, user_name=args.user, **({"secrets": secrets} if secrets else {})
        )
        token = begun["session"]
        if begun["address"] and listening is not None:
            out.say(f"sign in there: {begun['address']}")
            begun = application.for_caller(args.caller, session=token).answer_session(listening.answer())
    handle = os.open(args.session_file, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(handle, "w") as file:
        file.write(token)
    proven = "" if begun["is_proven"] else "; the first call proves it"
    out.good(f"signed in at {args.service} until {begun['expires_at'][:16]}{proven}")


def run_sign_out(session: Session, args: Namespace, out: Output) -> None:
    application_of(session, args).end_session()
    args.session_file.unlink()
    out.good("the session has ended, and nothing of it is left")


class Callback(HTTPServer):
    """Listens at a callback address on this machine for the browser that comes back (RFC 8252, section 7.3)."""

    def __init__(self, address: str) -> None:
        """Raises RondineProblem for an address that is not on this machine, or in use."""
        parts = urlsplit(address)
        self.path = parts.path or "/"
        self.found: dict[str, str] = {}
        try:
            if parts.scheme != "http" or parts.hostname not in ("127.0.0.1", "localhost"):
                raise ValueError("only an address on this machine is listened to")
            super().__init__((parts.hostname, parts.port or 80), _Back)
        except (OSError, ValueError) as error:
            raise RondineProblem(
                {
                    "code": "malformed",
                    "detail": f"{address}: {error}",
                    "where": "--callback",
                    "hint": "give one on this machine that nothing listens at, such as http://127.0.0.1:18399/",
                }
            ) from error

    def answer(self) -> dict[str, str]:
        """Waits for the query with which the browser comes back."""
        while not self.found:
            self.handle_request()
        return self.found


class _Back(BaseHTTPRequestHandler):
    server: Callback
    timeout = 10  # seconds that one who says nothing keeps the others waiting

    def do_GET(self) -> None:
        asked = urlsplit(self.path)
        is_it = asked.path == self.server.path and bool(asked.query)
        if is_it:
            self.server.found.update(parse_qsl(asked.query))
        self.send_response(200 if is_it else 404)
        self.end_headers()
        self.wfile.write(b"Your answer has arrived. This window can be closed." if is_it else b"")

    def log_message(self, *_: object) -> None:
        """What it is asked for has a code in it."""
