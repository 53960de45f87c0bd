"""The client of one command: signed in with the stored token, in the named or the only project."""

import os
from typing import Any

from rondine_cli import state
from rondine_client import Client, Project, RondineProblem


class Session(Client):
    def __init__(self, url: str, project: str | None) -> None:
        stored = state.read()
        token = os.environ.get("RONDINE_TOKEN") or (
            stored.get("token") if stored.get("url") == url.rstrip("/") else None
        )
        super().__init__(url, token)
        self._project_name = project or stored.get("project")

    @property
    def project_name(self) -> str:
        """As it was named, or chosen at sign-in. Raises RondineProblem if it was not."""
        if not self._project_name:
            raise RondineProblem(
                {
                    "code": "wrong_input",
                    "detail": "it is not said for which project",
                    "where": "--project",
                    "hint": "name it with --project or RONDINE_PROJECT",
                }
            )
        return self._project_name

    @property
    def office(self) -> Project[Client]:
        """The project that the command is about. Raises RondineProblem if it is not clear which."""
        if not self._project_name:
            names = [project["name"] for project in self.session()["projects"]]
            if len(names) != 1:
                raise RondineProblem(
                    {
                        "code": "wrong_input",
                        "detail": f"you belong to {len(names)} projects: {', '.join(names)}",
                        "where": "--project",
                        "hint": "name one with --project or RONDINE_PROJECT",
                    }
                )
            self._project_name = names[0]
        return self.project(self._project_name)


def named_values(words: list[str] | None) -> dict[str, Any]:
    """`name=value` words as a dict. `name=` is an explicit blank."""
    import argparse

    found = {}
    for word in words or []:
        name, equals, value = word.partition("=")
        if not equals or not name:
            raise argparse.ArgumentTypeError(f'"{word}" is not NAME=VALUE')
        found[name] = value
    return found
