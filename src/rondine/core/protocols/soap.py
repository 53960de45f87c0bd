"""SOAP 1.1 and 1.2: the envelope put together from elements, media types and actions by version, and faults read as
failures.

SOAP 1.1 (W3C Note, sections 4 and 6), SOAP 1.2 Part 1 (section 5) and Part 2 (section 6.5). Attachments are not
supported.
"""

from collections.abc import Mapping
from typing import Any
from xml.sax.saxutils import quoteattr

from rondine.core.documents.elements import text_of
from rondine.core.protocols.xml_writing import NO_TYPES, Element, Types, document

ENVELOPES = {"1.1": "http://schemas.xmlsoap.org/soap/envelope/", "1.2": "http://www.w3.org/2003/05/soap-envelope"}


def envelope(
    version: str,
    namespaces: Mapping[str, str],
    root: str,
    elements: list[Element],
    headers: list[Element],
    *,
    charset: str = "utf-8",
    types: Types = NO_TYPES,
) -> str:
    """The envelope as text. types: of structured elements, by name, their children in order. root: the element in the
    body, `prefix:name`.  elements: (place below the root, value) in order; headers: below the SOAP header.  charset:
    that it will be written in. A list repeats its element; an object becomes elements of the same prefix.
    """
    declared = "".join(f" xmlns:{prefix}={quoteattr(uri)}" for prefix, uri in namespaces.items())
    return (
        f'<?xml version="1.0" encoding="{charset}"?>\n<soap:Envelope xmlns:soap="{ENVELOPES[version]}"{declared}>'
        f"{document({}, 'soap:Header', headers, types)}"
        f"<soap:Body>{document({}, root, elements, types)}</soap:Body></soap:Envelope>"
    )


def media_type(version: str, action: str) -> str:
    if version == "1.1":
        return "text/xml; charset=utf-8"
    return "application/soap+xml; charset=utf-8" + (f'; action="{action}"' if action else "")


def fault_of(answer: Any) -> str:
    """The message of a fault in a document as `read_elements` gives it, empty if it holds none: its reason, code, and
    what is in its detail."""
    fault = _member(_member(_member(answer, "Envelope"), "Body"), "Fault")
    if not isinstance(fault, dict):
        return ""
    parts = {
        "reason": (("faultstring",), ("Reason", "Text")),
        "code": (("faultcode",), ("Code", "Value")),
        "subcode": (("Code", "Subcode", "Value"),),
        "detail": (("detail",), ("Detail",)),
    }
    found: dict[str, str] = {}
    for part, ways in parts.items():
        for way in ways:
            value: Any = fault
            for name in way:
                value = _member(value, name)
            value = value[0] if isinstance(value, list) and value else value
            if text := " ".join(str(text_of(value) or "").split()):
                found[part] = text.rpartition(":")[2] if part.endswith("code") else text
    text = found.get("reason", "")
    extra = [found[name] for name in ("code", "subcode", "detail") if found.get(name) and found[name] != text]
    return (text + (f" ({'; '.join(extra)})" if extra else ""))[:500]


def _member(value: Any, name: str) -> Any:
    """The element of this local name within another, None if there is none."""
    if not isinstance(value, dict):
        return None
    return next((one for step, one in value.items() if step.rpartition(":")[2] == name), None)
