"""A recorded browser session (HTTP Archive 1.2), made into operations: requests grouped by method and path template.

Each host is a service of its own, of which one is read. Pictures, scripts, pages and preflights are passed over.
Secrets, cookies and tokens are taken out before anything else looks at a request: what looked like a sign-in is offered
as one, without its secret.
"""

import base64
import binascii
import re
from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import parse_qsl, unquote, urlsplit

from msgspec import UNSET

from rondine.core.definitions.har_operations import operation_of_group
from rondine.core.definitions.har_recording import Seen, body_text, pairs_of, without_path_keys
from rondine.core.definitions.inputs import input_name
from rondine.core.definitions.model import Definition, Server, ServicePart, SignInOffer, chosen_part
from rondine.core.documents.json import read_json
from rondine.core.errors import DocumentError, Problem
from rondine.core.media_types import bare_media_type
from rondine.core.names import singular
from rondine.core.operations.keylike import why_key_like
from rondine.core.protocols.graphql import operation_of, parsed
from rondine.core.protocols.problems import FIELD_NAME
from rondine.core.secret import MASK
from rondine.core.signin import ApiKey, Basic, Bearer, SignIn

METHODS = frozenset({"GET", "HEAD", "POST", "PUT", "PATCH", "DELETE"})
#: Entries that are read; a session with more is cut into several.
MOST_ENTRIES = 50_000
_ASSETS = re.compile(r"^(image|font|video|audio)/|javascript|css|html|wasm|octet-stream|manifest")
_ASSET_PATH = re.compile(
    r"\.(js|mjs|css|png|jpe?g|gif|svg|ico|webp|avif|woff2?|ttf|map|html?|mp4|webm|wasm)$", re.IGNORECASE
)
_NOISE = re.compile(
    r"^(accept(-.*)?|user-agent|sec-.*|origin|referer|cookie|host|content-(length|type)|"
    r"connection|priority|dnt|cache-control|pragma|te|"
    r"upgrade.*|if-.*|:.*|x-requested-with|traceparent|tracestate|proxy-.*|"
    r"keep-alive|transfer-encoding|forwarded|x-forwarded-.*)$",
    re.IGNORECASE,
)
_VARYING = re.compile(
    r"\d+|[0-9a-fA-F]{8}(-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}|[0-9a-fA-F]{12,}|\d{4}-\d\d-\d\d.*|"
    r"(?=[^.]*\d)[A-Za-z]{1,6}[-_]\d{2,}|(?=.*\d)(?=.*[A-Za-z])[A-Za-z0-9_-]{16,}"
)


def is_har(value: Any) -> bool:
    return (
        isinstance(value, dict) and isinstance(value.get("log"), dict) and isinstance(value["log"].get("entries"), list)
    )


@dataclass
class _Found:
    """What looked like secrets, by the sign-in it belongs to; never their values."""

    offers: dict[str, SignIn] = field(default_factory=dict)
    count: int = 0


def read_har(value: dict[str, Any], name: str, part: str = "") -> Definition:
    """part: the host whose requests are read, with its scheme; that of most of them, if left out.

    Raises DocumentError if it holds no request that an operation can be made of, or none of that host.
    """
    entries = value["log"]["entries"]
    warnings: list[Problem] = []
    if len(entries) > MOST_ENTRIES:
        words = f"it has {len(entries):,} entries; the first {MOST_ENTRIES:,} are read"
        warnings.append(Problem(name, words, "record a shorter session"))
    found, passed = _Found(), Counter[str]()
    seen: list[Seen] = []
    for number, entry in enumerate(entries[:MOST_ENTRIES]):
        one = _cleaned(entry, number, found, passed)
        if one is not None:
            seen.append(one)
    if not seen:
        words = ", ".join(f"{count} {word}" for word, count in passed.most_common()) or "no entries"
        raise DocumentError(
            f"no request of a service is in it: {words}", where=name, hint="record while the page loads its data"
        )
    hosts = Counter(one.host for one in seen)
    host = chosen_part(part, list(hosts), name) or hosts.most_common(1)[0][0]
    left = [
        Problem(
            name,
            f"{'one request' if count == 1 else f'{count} requests'} to {other}",
            "another host: choose it to import it as a service of its own",
        )
        for other, count in hosts.items()
        if other != host
    ]
    if passed:
        words = ", ".join(f"{count} {word}" for word, count in passed.most_common())
        warnings.append(Problem(name, f"passed over: {words}", "they are no requests of a service"))
    if found.count:
        words = f"{found.count} secrets, tokens and cookies were taken out"
        warnings.append(Problem(name, words, "give the connection its own secret"))
    names: set[str] = set()
    groups: dict[tuple[str, str, str], list[Seen]] = defaultdict(list)
    own = [one for one in seen if one.host == host]
    templates = _templates(own)
    for one in own:
        groups[one.method, templates[one.method, one.path], one.graphql].append(one)
    operations = tuple(
        operation_of_group(method, path, label, group, names, name) for (method, path, label), group in groups.items()
    )
    offers = tuple(SignInOffer(title, offer, "as the recording showed") for title, offer in found.offers.items())
    return Definition(
        format="HTTP Archive",
        title=urlsplit(host).hostname or host,
        version=str(value["log"].get("version", ""))[:20],
        servers=(Server(host),),
        sign_ins=offers,
        operations=operations,
        warnings=tuple(warnings),
        left_out=tuple(left),
        files=(name,),
        parts=tuple(ServicePart(*one) for one in hosts.most_common()) if len(hosts) > 1 else (),
        part=host,
    )


def _cleaned(entry: Any, number: int, found: _Found, passed: Counter[str]) -> Seen | None:
    """The request of an entry without secrets; None for what is none of a service."""
    request = entry.get("request") if isinstance(entry, dict) else None
    response = entry.get("response") if isinstance(entry, dict) else None
    if not isinstance(request, dict) or not isinstance(request.get("url"), str):
        passed["entries without a request"] += 1
        return None
    try:
        parts = urlsplit(request["url"])
        port = f":{parts.port}" if parts.port else ""
    except ValueError:
        passed["addresses that cannot be read"] += 1
        return None
    method = str(request.get("method", "")).upper()
    response = response if isinstance(response, dict) else {}
    raw = response.get("content")
    content: Mapping[str, Any] = raw if isinstance(raw, dict) else {}
    media = bare_media_type(str(content.get("mimeType", "")))
    status = response.get("status") if isinstance(response.get("status"), int) else 0
    if parts.scheme not in ("http", "https") or not parts.hostname:
        passed["requests that are not HTTP"] += 1
    elif method not in METHODS:
        passed[f"{method or 'unnamed'} requests"] += 1
    elif status is None or not 200 <= status < 600 or 300 <= status < 400:
        passed["redirects and unanswered requests"] += 1
    elif (_ASSETS.search(media) and method == "GET") or _ASSET_PATH.search(parts.path):
        passed["pages, scripts and pictures"] += 1
    else:
        host = f"{parts.scheme}://{parts.hostname}{port}"
        steps, secrets = without_path_keys([unquote(step) for step in parts.path.split("/")[1:]])
        path = tuple(steps)
        found.count += secrets
        one = Seen(number, method, host, path, [], [], "", "", status)
        one.query = list(_without_keys("query", parse_qsl(parts.query, keep_blank_values=True), found))
        one.headers = list(_without_keys("header", pairs_of(request.get("headers")), found))
        found.count += len(request["cookies"]) if isinstance(request.get("cookies"), list) else 0
        posted = request.get("postData")
        if isinstance(posted, dict):
            one.media = bare_media_type(str(posted.get("mimeType", "")))
            one.text = body_text(posted)
            one.graphql = _graphql_name(one)
        elif method not in ("GET", "HEAD"):
            said = next((held for key, held in pairs_of(request.get("headers")) if key.lower() == "content-type"), "")
            one.unrecorded = bare_media_type(said)
        one.answer_media = media
        one.answer_link = ", ".join(value for key, value in pairs_of(response.get("headers")) if key.lower() == "link")
        one.answer = _answer(content, media)
        return one
    return None


def _without_keys(place: str, pairs: list[tuple[str, str]], found: _Found) -> Iterator[tuple[str, str]]:
    for name, value in pairs:
        if place == "header" and name.lower() == "authorization":
            scheme = value.partition(" ")[0].lower()
            offer: SignIn = Basic() if scheme == "basic" else Bearer()
            found.offers.setdefault("basic" if scheme == "basic" else "bearer", offer)
            found.count += 1
        elif place == "header" and _NOISE.match(name):
            continue
        elif value == MASK or why_key_like(name, value):
            found.count += 1
            if FIELD_NAME.fullmatch(name):
                found.offers.setdefault(
                    f"{name} in the {place}", ApiKey(name=name, carrier="header" if place == "header" else "query")
                )
        else:
            yield name, value


def _answer(content: Mapping[str, Any], media: str) -> Any:
    """The response's JSON value, UNSET if it is none."""
    text = content.get("text")
    if not isinstance(text, str) or "json" not in media:
        return UNSET
    try:
        body = base64.b64decode(text) if content.get("encoding") == "base64" else text.encode("utf-8", "replace")
        return read_json(body)
    except (DocumentError, binascii.Error, ValueError):
        return UNSET


def _graphql_name(one: Seen) -> str:
    """The name of the GraphQL operation in the body, empty if there is none."""
    if one.media != "application/json" or '"query"' not in one.text:
        return ""
    try:
        value = read_json(one.text.encode())
        text = value.get("query") if isinstance(value, dict) else None
        if not isinstance(text, str):
            return ""
        operation = operation_of(parsed(text), str(value.get("operationName") or ""))
        return operation.name.value if operation is not None and operation.name is not None else "query"
    except DocumentError:
        return ""


def _templates(seen: list[Seen]) -> dict[tuple[str, tuple[str, ...]], str]:
    """The template of each path: steps that look like keys vary, and those of which many were seen in one place."""
    at: dict[tuple[str, int, tuple[str, ...], tuple[str, ...]], set[str]] = defaultdict(set)
    for one in seen:
        for place, step in enumerate(one.path):
            at[one.method, place, one.path[:place], one.path[place + 1 :]].add(step)
    out = {}
    for one in seen:
        steps, names = [], set[str]()
        for place, step in enumerate(one.path):
            several = at[one.method, place, one.path[:place], one.path[place + 1 :]]
            varying = sum(bool(re.search(r"\d", each)) for each in several)
            is_many = len(several) >= 4 and varying * 4 >= len(several) * 3
            if step and (step == MASK or _VARYING.fullmatch(step) or is_many):
                before = next(
                    (
                        each
                        for each in reversed(one.path[:place])
                        if each and each != MASK and not _VARYING.fullmatch(each)
                    ),
                    "",
                )
                label = input_name(singular(before) if before else "id")
                while label in names:
                    label += "_2"
                names.add(label)
                steps.append(f"{{{label}}}")
            else:
                steps.append(re.sub(r"[{}]", "", step))
        out[one.method, one.path] = "/" + "/".join(steps)
    return out
