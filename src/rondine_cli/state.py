"""Where the command line keeps who is signed in: one file in the user's configuration folder, readable by the user
only."""

import json
import os
from collections.abc import Mapping
from pathlib import Path
from typing import Any


def path() -> Path:
    base = os.environ.get("RONDINE_CLI_HOME") or os.path.join(
        os.environ.get("XDG_CONFIG_HOME") or os.path.expanduser("~/.config"), "rondine"
    )
    return Path(base) / "signed-in.json"


def read() -> dict[str, Any]:
    try:
        found = json.loads(path().read_text())
    except (OSError, ValueError):
        return {}
    return found if isinstance(found, dict) else {}


def write(state: Mapping[str, Any]) -> None:
    target = path()
    target.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    handle = os.open(target, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(handle, "w") as file:
        json.dump(state, file)


def forget() -> None:
    path().unlink(missing_ok=True)
