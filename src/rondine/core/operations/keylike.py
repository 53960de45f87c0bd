"""Text that looks like a key: noticed wherever people paste, so that it can be moved into a credential.

A finding is a guess, shown with its reason; nothing is moved or masked without being asked for.
"""

import math
import re
from collections import Counter
from dataclasses import dataclass
from itertools import pairwise
from urllib.parse import unquote

from rondine.core.operations.document import FormBody, JsonBody, MultipartBody, OperationDocument, Parameter, TextBody

NAMES = re.compile(
    r"(^|[_.\s-])((api|app|access|auth|client|subscription|private|session|id|refresh|sign(ing)?)?[_-]?"
    r"(key|token|secret|password|passwd|pwd|signature|sig|credential|jwt|sid))$|"
    r"^(x-)?(authorization|proxy-authorization)$"
    r"|^(api|access|auth|client|session|refresh)(key|token|secret|id)$",
    re.IGNORECASE,
)
_HARMLESS_NAMES = re.compile(
    r"(^|[_-])(sort|order|primary|foreign|public|partition|row|object|next|page|continuation|"
    r"cursor)[_-]?(key|token|id)$",
    re.IGNORECASE,
)
_JWT = re.compile(r"eyJ[A-Za-z0-9_-]{8,}\.[A-Za-z0-9_-]{8,}\.[A-Za-z0-9_-]{8,}")
_PEM = re.compile(r"-----BEGIN [A-Z ]*PRIVATE KEY-----")
_SCHEME = re.compile(r"^\s*(Bearer|Basic|Digest|Token)\s+\S{6,}", re.IGNORECASE)
_LONG = re.compile(r"[A-Za-z0-9_.\-+/=]{20,}", re.ASCII)


@dataclass(frozen=True, slots=True)
class Finding:
    """place: JSON Pointer in the document.  kind: header, query, body or text.  name: of the header or parameter."""

    place: str
    kind: str
    name: str
    reason: str


def why_key_like(name: str, value: str) -> str:
    """The reason a named value looks like a key, empty if it does not."""
    value = unquote(value).strip()
    if _PEM.search(value):
        return "it is a private key"
    if len(value) < 6:
        return ""
    if _JWT.search(value):
        return "it is a signed token (JWT)"
    if _SCHEME.match(value):
        return f'it begins with "{value.split()[0]}", as sign-ins do'
    if NAMES.search(name.strip()) and not _HARMLESS_NAMES.search(name.strip()):
        return f'it is called "{name}"'
    if _LONG.fullmatch(value) and looks_random(value):
        return "it looks like a long random text"
    return ""


def looks_random(text: str) -> bool:
    """Letters and digits without a pattern: at least 3.4 bits a character, and mixed like a generated key."""
    if not re.search(r"[0-9]", text) or not re.search(r"[A-Za-z]", text):
        return False
    if re.fullmatch(r"[0-9A-Fa-f]{8}(-[0-9A-Fa-f]{4}){3}-[0-9A-Fa-f]{12}", text) or re.match(r"\d{4}-\d\d-\d\d", text):
        return False  # an identifier, or a date
    if re.fullmatch(r"[0-9a-f]{32,}", text):
        return True
    counts = Counter(text)
    bits = -sum(n / len(text) * math.log2(n / len(text)) for n in counts.values())
    changes = sum(a.isdigit() != b.isdigit() or a.isupper() != b.isupper() for a, b in pairwise(text))
    return bits >= 3.4 and changes >= len(text) / 4


def keys_in_operation(operation: OperationDocument) -> list[Finding]:
    """Fixed values of an operation that look like keys."""
    findings: list[Finding] = []
    groups = [("/query", "query", operation.query), ("/headers", "header", operation.headers)]
    if isinstance(operation.body, FormBody):
        groups.append(("/body/fields", "body", operation.body.fields))
    if isinstance(operation.body, MultipartBody):
        fields = [Parameter(name=one.name, value=one.value) for one in operation.body.parts if one.encoding == "text"]
        groups.append(("/body/parts", "body", fields))
    if isinstance(operation.body, JsonBody):
        members = [
            Parameter(name=member.at.rpartition("/")[2], value=member.value) for member in operation.body.members
        ]
        groups.append(("/body/members", "body", members))
    for start, kind, parameters in groups:
        findings += keys_in(start, kind, parameters)
    if isinstance(operation.body, TextBody):
        parts = operation.body.content if isinstance(operation.body.content, list) else [operation.body.content]
        text = "".join(part for part in parts if isinstance(part, str))
        findings += [
            Finding("/body/content", "body", text_finding.name, text_finding.reason)
            for text_finding in keys_in_text(text)
        ]
    return findings


def keys_in(start: str, kind: str, parameters: list[Parameter]) -> list[Finding]:
    findings = []
    for number, parameter in enumerate(parameters):
        parts = parameter.value if isinstance(parameter.value, list) else [parameter.value]
        text = "".join(part for part in parts if isinstance(part, str))
        if text and (reason := why_key_like(parameter.name, text)):
            findings.append(Finding(f"{start}/{number}", kind, parameter.name, reason))
    return findings


@dataclass(frozen=True, slots=True)
class TextFinding:
    """start, end: of the value in the text."""

    start: int
    end: int
    name: str
    reason: str


_IN_TEXT = (
    re.compile(r'"(?P<name>[^"\\]{1,80})"\s*:\s*"(?P<value>(?:[^"\\]|\\.){6,4000})"'),  # a JSON member
    re.compile(r"^(?P<name>[A-Za-z0-9-]{2,60}):[ \t]*(?P<value>[^\r\n]{6,4000})$", re.MULTILINE),  # a header line
    re.compile(r"[?&;](?P<name>[^=&?#\s\"]{1,80})=(?P<value>[^&#\s\"]{6,2000})"),  # a query parameter
    re.compile(r"<(?P<name>[A-Za-z_][\w.:-]{0,80})[^<>]*>(?P<value>[^<]{6,4000})</"),  # an XML element
)


def keys_in_text(text: str) -> list[TextFinding]:
    """Values that look like keys in JSON, HTTP or other pasted text, in order, none within another."""
    found: dict[int, TextFinding] = {}
    for pattern in _IN_TEXT:
        for match in pattern.finditer(text):
            name = match.group("name")
            if reason := why_key_like(name, match.group("value")):
                found.setdefault(match.start("value"), TextFinding(*match.span("value"), name, reason))
    for pattern, reason in ((_JWT, "it is a signed token (JWT)"), (_PEM, "it is a private key")):
        for match in pattern.finditer(text):
            found.setdefault(match.start(), TextFinding(*match.span(), "", reason))
    out: list[TextFinding] = []
    for one in sorted(found.values(), key=lambda one: (one.start, -one.end)):
        if not out or one.start >= out[-1].end:
            out.append(one)
    return out


def masked(text: str, findings: list[TextFinding], mask: str) -> str:
    for finding in reversed(findings):
        text = text[: finding.start] + mask + text[finding.end :]
    return text
