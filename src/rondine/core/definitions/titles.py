"""What an operation is called that nobody has named: by its method and path."""

import re

_VERBS = {"POST": "Create", "PUT": "Replace", "PATCH": "Change", "DELETE": "Remove"}


def words_of(path: str) -> list[str]:
    """The steps of a path that say something: neither places nor versions."""
    return [
        step
        for step in path.split("/")
        if step and not step.startswith("{") and not re.fullmatch(r"v?\d+(\.\d+)*", step)
    ]


def title_of(method: str, path: str) -> str:
    """ "GET /v1/trees/{number}" -> "Find trees"."""
    verb = _VERBS.get(method.upper(), method.capitalize())
    if method.upper() == "GET":
        verb = "Find" if path.rstrip("/").endswith("}") else "List"
    return f"{verb} {' '.join(words_of(path)[-2:])}".replace("_", " ").replace("-", " ").strip()
