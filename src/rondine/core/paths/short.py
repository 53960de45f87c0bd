r"""The short form of plain paths, as mapping documents use it.

    short  = "[*]" / ( name *( "." name ) [ "[*]" ] )
    name   = RFC 9535's member-name-shorthand

"measures.girth" is `$.measures.girth`; "trees[*]" is `$.trees[*]`. Anything else is written out as a JSONPath.
"""

import json

from rondine.core.errors import PathError
from rondine.core.paths.jsonpath import SHORTHAND, JsonPath, Name, Segment, Wildcard, parse_jsonpath


def parse_short(text: str) -> JsonPath:
    """Raises PathError if the text is outside the grammar."""
    body = text.removesuffix("[*]")
    names = body.split(".") if body else []
    if not text or any(not SHORTHAND.fullmatch(name) for name in names):
        raise PathError(f'"{text[:80]}" is not a plain path', where=text[:80] or "path", hint=_written(text))
    segments = [Segment((Name(name),)) for name in names]
    if text.endswith("[*]"):
        segments.append(Segment((Wildcard(),)))
    return JsonPath(
        "$" + "".join(f".{name}" for name in names) + ("[*]" if text.endswith("[*]") else ""), tuple(segments)
    )


def _written(text: str) -> str:
    """How to write what was meant."""
    try:
        path = parse_jsonpath(text)
    except PathError:
        return 'use names joined by dots, such as "measures.girth", or {"jsonpath": "$..."} for everything else'
    short = short_form(path)
    return f'write "{short}"' if short else f'write {{"jsonpath": {json.dumps(text)}}}'


def short_form(path: JsonPath) -> str | None:
    """The short form of a path, or None if it has none."""
    out = ""
    for number, segment in enumerate(path.segments):
        only = segment.selectors[0]
        if segment.descendant or len(segment.selectors) != 1:
            return None
        if isinstance(only, Wildcard) and number == len(path.segments) - 1:
            out += "[*]"
        elif isinstance(only, Name) and SHORTHAND.fullmatch(only.name):
            out += f".{only.name}" if out else only.name
        else:
            return None
    return out or None
