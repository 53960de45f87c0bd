"""Writes docs/settings.md: every setting of a connection, of paging, of feeds and of mappings, from the classes that
read them. A test holds the two against each other.
"""

import json
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any, get_args

TREE = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(TREE / "src"))

from rondine.core.conversions.steps import Conversion  # noqa: E402
from rondine.core.forms import Form, FormField, form_of, forms_of_parts  # noqa: E402
from rondine.core.items.connection import ConnectionDocument  # noqa: E402
from rondine.core.items.feed import FeedDocument  # noqa: E402
from rondine.core.mapping.document import COMPARISONS  # noqa: E402
from rondine.core.pagination import Paging  # noqa: E402
from rondine.core.signin import SignIn  # noqa: E402

TARGET = TREE / "docs/settings.md"
OPENING = """# Settings

Every setting with its default, as the console's forms and `--set NAME=VALUE` of the command line know them. This page \
is written by `tools/settings_page.py` from the classes that read the settings.
"""
#: Title of a section, what stands below it, and the forms in it.
SECTIONS: list[tuple[str, str, list[tuple[str, Form]]]] = [
    ("Connection", "Parts of a connection's document.", list(forms_of_parts(ConnectionDocument).items())),
    (
        "Sign-in",
        "`sign_in` of a connection; a page for each is in [Signing in](sign-in/README.md).",
        [(form.type, form) for form in map(form_of, get_args(SignIn))],
    ),
    (
        "Paging",
        "`paging` of an operation: how a feed gets from one page to the next.",
        [(form.type, form) for form in map(form_of, get_args(Paging))],
    ),
    ("Feed", "A feed's document.", [("feed", form_of(FeedDocument))]),
    (
        "Conversions",
        "Steps of `convert` in a [mapping](mapping.md).",
        [(form.type, form) for form in map(form_of, get_args(Conversion))],
    ),
]


def main() -> None:
    TARGET.write_text(page())


def page() -> str:
    return "\n".join([OPENING, *(line for section in SECTIONS for line in _section(*section)), *_comparisons()]) + "\n"


def _section(title: str, words: str, forms: list[tuple[str, Form]]) -> Iterator[str]:
    yield from (f"## {title}", "", words, "")
    for name, form in forms:
        yield from (f"### `{name}`", "", form.words, "")
        if form.fields:
            yield from ("| setting | takes | default | |", "|---|---|---|---|")
            yield from (_row(field) for field in form.fields)
            yield ""


def _row(field: FormField) -> str:
    takes = " ".join(f"`{choice}`" for choice in field.choices) or field.kind.replace("_", " ")
    default = "needed" if field.is_required else _written(field.default)
    return f"| `{field.name}` | {takes} | {default} | {_cell(field.help)} |"


def _written(value: Any) -> str:
    return "" if value in (None, "", [], {}) else f"`{_cell(json.dumps(value, ensure_ascii=False))}`"


def _cell(text: str) -> str:
    return text.replace("|", "\\|").replace("<", "&lt;")


def _comparisons() -> Iterator[str]:
    yield from ("## Comparisons", "", "`is` of a condition in a [mapping](mapping.md).", "")
    yield from ("| comparison | reads as | compares with |", "|---|---|---|")
    for comparison in COMPARISONS:
        yield f"| `{comparison.name}` | {comparison.words} | {comparison.takes} |"


if __name__ == "__main__":
    main()
