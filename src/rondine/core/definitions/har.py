"""A recorded browser session (HTTP Archive 1.2), made into operations: requests grouped by method and path template.

Pictures, scripts, pages and preflights are passed over, and hosts that are not the service's own. Secrets, cookies and tokens are taken out before
anything else looks at a request: what looked like a sign-in is offered as one, without its secret.
"""

import base64
import binascii
import re
from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any
from urllib.parse import parse_qsl, unquote, urlencode, urlsplit

from msgspec import UNSET

from rondine.core.definitions.files import Files
from rondine.core.definitions.inputs import BodyReader, Inputs, input_name
from rondine.core.definitions.json_schema import Schemas
from rondine.core.definitions.model import Definition, DescribedOperation, Server, ServicePart, SignInOffer, chosen_part
from rondine.core.definitions.titles import title_of, words_of
from rondine.core.documents.json import read_json
from rondine.core.errors import DocumentError, Problem
from rondine.core.keylike import keys_in_text, masked, why_key_like
from rondine.core.names import proposed_name, singular
from rondine.core.pagination import PageNumber, Paging
from rondine.core.pagination.recognise import recognise
from rondine.core.protocols.body_choice import media_type_of
from rondine.core.protocols.graphql import operation_of, parsed
from rondine.core.protocols.operation import (
    FIELD_NAME,
    Body,
    FormBody,
    GraphQLBody,
    JsonBody,
    Member,
    MultipartBody,
    OperationDocument,
    OtherBody,
    Parameter,
    Part,
    ResponseDescription,
    TextBody,
)
from rondine.core.protocols.values import ValueOf
from rondine.core.schema import infer, to_json_schema
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
    r"^(accept(-.*)?|user-agent|sec-.*|origin|referer|cookie|host|content-(length|type)|connection|priority|dnt|cache-control|pragma|te|"
    r"upgrade.*|if-.*|:.*|x-requested-with|traceparent|tracestate|proxy-.*|keep-alive|transfer-encoding|forwarded|x-forwarded-.*)$",
    re.IGNORECASE,
)
_VARYING = re.compile(
    r"\d+|[0-9a-fA-F]{8}(-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}|[0-9a-fA-F]{12,}|\d{4}-\d\d-\d\d.*|(?=[^.]*\d)[A-Za-z]{1,6}[-_]\d{2,}|(?=.*\d)(?=.*[A-Za-z])[A-Za-z0-9_-]{16,}"
)


_PAGE_NAME = re.compile(r"page|^p$|^pg$", re.IGNORECASE)
_SIZE_NAME = re.compile(r"size|limit|count|length|per", re.IGNORECASE)


def is_har(value: Any) -> bool:
    return (
        isinstance(value, dict) and isinstance(value.get("log"), dict) and isinstance(value["log"].get("entries"), list)
    )


def without_secrets_har(value: dict[str, Any]) -> dict[str, Any]:
    """The archive with what operations are made of alone, and every secret masked: this is what may be kept."""
    entries = []
    for entry in value["log"]["entries"]:
        request = entry.get("request") if isinstance(entry, dict) else None
        response = entry.get("response") if isinstance(entry, dict) else None
        if not isinstance(request, dict) or not isinstance(request.get("url"), str):
            continue
        url, mark, query = request["url"].partition("?")
        pairs = [pair.partition("=") for pair in query.partition("#")[0].split("&")] if mark else []
        shown = "&".join(
            f"{name}={MASK if why_key_like(unquote(name), unquote(held)) else held}" if is_pair else name
            for name, is_pair, held in pairs
        )
        start, path = re.match(
            r"((?:[^/?#]*://[^/?#]*)?)(.*)", re.sub(r"//[^/@]*@", "//", url.partition("#")[0]), re.DOTALL
        ).groups()  # type: ignore[union-attr]
        steps, _ = _without_path_keys(path.split("/"))
        kept: dict[str, Any] = {
            "method": request.get("method"),
            "url": start + "/".join(steps) + mark + shown,
            "headers": [
                {"name": name, "value": _masked_header(name, held)}
                for name, held in _pairs(request.get("headers"))
                if name.lower() != "cookie"
            ],
        }
        posted = request.get("postData")
        if isinstance(posted, dict):
            text = _body_text(posted)
            kept["postData"] = {
                "mimeType": posted.get("mimeType"),
                "text": _masked_text(text, str(posted.get("mimeType"))),
            }
        answered: dict[str, Any] = {"status": response.get("status") if isinstance(response, dict) else 0}
        content = response.get("content") if isinstance(response, dict) else None
        if isinstance(content, dict):
            text = str(content.get("text") or "")
            if content.get("encoding") == "base64":
                try:
                    text = base64.b64decode(text).decode("utf-8", "replace")
                except (binascii.Error, ValueError):
                    text = ""
            media = str(content.get("mimeType", ""))
            answered["content"] = {"mimeType": media, "text": _masked_text(text, media) if "json" in media else ""}
        entries.append({"request": kept, "response": answered})
    return {"log": {"version": value["log"].get("version", "1.2"), "entries": entries}}


def _without_path_keys(steps: Sequence[str]) -> tuple[list[str], int]:
    """(the steps of a path, masks in place of those that look like keys, how many). One that follows a step such as "tokens" is taken for one."""
    out, count = [], 0
    for number, step in enumerate(steps):
        before = singular(unquote(steps[number - 1])) if number and steps[number - 1] else ""
        is_key = unquote(step) == MASK or bool(why_key_like(before, step))
        out.append(MASK if is_key else step)
        count += is_key
    return out, count


def _masked_header(name: str, value: str) -> str:
    if name.lower() == "authorization":
        return f"{value.partition(' ')[0]} {MASK}"
    return MASK if why_key_like(name, value) else value


def _masked_text(text: str, media: str) -> str:
    if "multipart/" in media:
        parts = _form_parts(text)
        listed = [
            {"name": name, "fileName": file, "value": MASK if value and why_key_like(name, value) else value}
            for name, file, value in parts
        ]
        return _parts_text(listed)
    if "form-urlencoded" in media:
        pairs = [pair.partition("=") for pair in text.split("&")]
        return "&".join(
            f"{name}{mark}{MASK if why_key_like(unquote(name), unquote(held)) else held}" for name, mark, held in pairs
        )
    return masked(text, keys_in_text(text), MASK)


@dataclass
class _Seen:
    """One request, cleaned of secrets. number: of the entry.  unrecorded: the media type of a body that was sent and is not in the recording."""

    number: int
    method: str
    host: str
    path: tuple[str, ...]
    query: list[tuple[str, str]]
    headers: list[tuple[str, str]]
    media: str
    text: str
    status: int
    answer: Any = UNSET
    answer_media: str = ""
    answer_link: str = ""
    graphql: str = ""
    unrecorded: str = ""


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
    seen: list[_Seen] = []
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
    groups: dict[tuple[str, str, str], list[_Seen]] = defaultdict(list)
    own = [one for one in seen if one.host == host]
    templates = _templates(own)
    for one in own:
        groups[one.method, templates[one.method, one.path], one.graphql].append(one)
    operations = tuple(
        _operation(method, path, label, group, names, name) for (method, path, label), group in groups.items()
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


def _cleaned(entry: Any, number: int, found: _Found, passed: Counter[str]) -> _Seen | None:
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
    media = str(content.get("mimeType", "")).partition(";")[0].strip().lower()
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
        steps, secrets = _without_path_keys([unquote(step) for step in parts.path.split("/")[1:]])
        path = tuple(steps)
        found.count += secrets
        one = _Seen(number, method, host, path, [], [], "", "", status)
        one.query = list(_without_keys("query", parse_qsl(parts.query, keep_blank_values=True), found))
        one.headers = list(_without_keys("header", _pairs(request.get("headers")), found))
        found.count += len(request["cookies"]) if isinstance(request.get("cookies"), list) else 0
        posted = request.get("postData")
        if isinstance(posted, dict):
            one.media = str(posted.get("mimeType", "")).partition(";")[0].strip().lower()
            one.text = _body_text(posted)
            one.graphql = _graphql_name(one)
        elif method not in ("GET", "HEAD"):
            said = next((held for key, held in _pairs(request.get("headers")) if key.lower() == "content-type"), "")
            one.unrecorded = said.partition(";")[0].strip().lower()
        one.answer_media = media
        one.answer_link = ", ".join(value for key, value in _pairs(response.get("headers")) if key.lower() == "link")
        one.answer = _answer(content, media)
        return one
    return None


def _pairs(listed: Any) -> list[tuple[str, str]]:
    return [
        (str(one["name"]), str(one["value"]))
        for one in (listed if isinstance(listed, list) else [])
        if isinstance(one, dict) and "name" in one and "value" in one
    ]


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
                    f"{name} in the {place}", ApiKey(name=name, place="header" if place == "header" else "query")
                )
        else:
            yield name, value


def _body_text(posted: Mapping[str, Any]) -> str:
    if isinstance(posted.get("text"), str):
        return str(posted["text"])
    if "multipart/" in str(posted.get("mimeType")) and isinstance(posted.get("params"), list):
        return _parts_text(posted["params"])
    return "&".join(f"{name}={value}" for name, value in _pairs(posted.get("params")))


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


def _graphql_name(one: _Seen) -> str:
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


# --- path templates


def _templates(seen: list[_Seen]) -> dict[tuple[str, tuple[str, ...]], str]:
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


# --- operations


def _operation(
    method: str, path: str, graphql: str, group: list[_Seen], names: set[str], file: str
) -> DescribedOperation:
    inputs = Inputs()
    first = group[0]
    for place, step in enumerate(path.split("/")[1:]):
        if step.startswith("{"):
            seen = next((one.path[place] for one in group if one.path[place] != MASK), UNSET)
            inputs.add(step[1:-1], {"type": "string"}, required=True, example=seen)
    query = _parameters(group, "query", inputs)
    headers = _parameters(group, "headers", inputs)
    body, others = _bodies(group, inputs, graphql)
    title = graphql or title_of(method, path)
    tags = words_of(path)[:1]
    name = proposed_name(title, taken=names)
    names.add(name)
    document = OperationDocument(
        method=method,  # type: ignore[arg-type]
        path=path,
        inputs=inputs.found,
        query=query,
        headers=headers,
        body=body,
        other_bodies=others,
        responses=_responses(group),
        paging=_paging(group) if method == "GET" else None,
        tags=tags,
    )
    key = f"{method} {path}" + (f"#{graphql}" if graphql else "")
    kept = {media_type_of(one) for one in (body, *(each.body for each in others))}
    warnings = tuple(
        Problem(
            f"{file}: /log/entries/{one.number}",
            f"a body of the type {one.unrecorded} was sent, which is not in the recording",
            "make the body from a sample, or record with another program",
        )
        for one in {one.unrecorded: one for one in group if one.unrecorded}.values()
        if one.unrecorded not in kept
    )
    return DescribedOperation(
        key, name, title[:200], document, f"/log/entries/{first.number}", tuple(tags), warnings=warnings
    )


def _paging(group: list[_Seen]) -> Paging | None:
    """The paging that the recorded responses show."""
    for one in group:
        url = f"{one.host}/{'/'.join(one.path)}?{urlencode(one.query)}"
        if 200 <= one.status < 300 and (found := recognise(url, (("Link", one.answer_link),), one.answer)):
            return found[0].paging
    return _numbered_pages(group)


def _numbered_pages(group: list[_Seen]) -> Paging | None:
    """The paging of requests that were recorded page after page: alike but for one number that is called a page, with answers that differ."""
    by_rest: dict[tuple[str, tuple[tuple[str, str], ...]], dict[int, Any]] = defaultdict(dict)
    for one in group:
        for name, value in one.query:
            if _PAGE_NAME.search(name) and not _SIZE_NAME.search(name) and re.fullmatch(r"\d{1,6}", value):
                rest = tuple(pair for pair in one.query if pair[0] != name)
                if 200 <= one.status < 300 and one.answer is not UNSET:
                    by_rest[name, rest][int(value)] = one.answer
    for (name, _), pages in by_rest.items():
        numbers = sorted(pages)
        answers = [pages[number] for number in numbers]
        are_in_turn = len(numbers) > 1 and numbers == list(range(numbers[0], numbers[-1] + 1))
        if are_in_turn and all(one != other for one, other in pairwise(answers)):
            return PageNumber(parameter=name, first=min(numbers[0], 1))
    return None


def _parameters(group: list[_Seen], kind: str, inputs: Inputs) -> list[Parameter]:
    """An input for each name; one that had the same value in several requests has it as default."""
    values: dict[str, list[str]] = defaultdict(list)
    for one in group:
        for name, value in getattr(one, kind):
            values[name].append(value)
    out = []
    for name, found in values.items():
        is_constant = len(set(found)) == 1 and len(found) == len(group) and len(group) > 1
        schema: dict[str, Any] = (
            {"type": "integer"} if all(re.fullmatch(r"-?\d{1,15}", one) for one in found) else {"type": "string"}
        )
        given_value: Any = int(found[0]) if schema["type"] == "integer" else found[0]
        if is_constant:
            schema["default"] = given_value
        given = inputs.add(name, schema, required=False, example=given_value, prefix=kind)
        out.append(Parameter(name=name, value=ValueOf(input=given)))
    return out


def _bodies(group: list[_Seen], inputs: Inputs, graphql: str) -> tuple[Body | None, list[OtherBody]]:
    """(the body of the form that was seen most often, its inputs among the others; those of other forms)."""
    by_form: dict[str, list[_Seen]] = defaultdict(list)
    for one in group:
        if one.text and one.method not in ("GET", "HEAD"):
            by_form["json" if "json" in one.media else one.media].append(one)
    listed = sorted(by_form.values(), key=len, reverse=True)
    if not listed:
        return None, []
    shared = list(inputs.found)
    body = _body(listed[0], inputs, graphql)
    others: dict[str, OtherBody] = {}
    for each in listed[1:]:
        own = Inputs(list(shared))
        made = _body(each, own, graphql)
        others.setdefault(
            media_type_of(made), OtherBody(media_type=media_type_of(made), body=made, inputs=own.found[len(shared) :])
        )
    return body, [others[media] for media in sorted(others) if media != media_type_of(body)]


def _body(posted: list[_Seen], inputs: Inputs, graphql: str) -> Body:
    """The body of requests of one media type."""
    media = posted[0].media
    if "json" in media:
        values = [value for one in posted if (value := _json(one.text)) is not UNSET]
        if graphql and values and isinstance(values[0], dict):
            return _graphql_body(values[0], inputs, graphql)
        if values:
            schema = _plain_schema(values)
            reader = BodyReader(Schemas(Files("", {}), "3.1", lambda *_: None), inputs, is_sampled=True)
            members = reader.read(schema, required=False, example=_masked(values[0]))
            return JsonBody(members=members)
    if media == "application/x-www-form-urlencoded":
        seen = [parse_qsl(one.text, keep_blank_values=True) for one in posted]
        return FormBody(
            fields=[
                Parameter(name=name, value=ValueOf(input=_field_input(name, values, inputs)))
                for name, values in _fields(seen).items()
            ]
        )
    if media == "multipart/form-data" and (parts := [part for one in posted for part in _form_parts(one.text)]):
        files = {name: file for name, file, _ in parts if file}
        fields = _fields([[(name, value) for name, _, value in _form_parts(one.text)] for one in posted])
        return MultipartBody(
            parts=[
                Part(
                    name=name,
                    value=ValueOf(input=_field_input(name, [[]] if name in files else values, inputs)),
                    file_name=files.get(name, ""),
                    media_type="application/octet-stream" if name in files else "",
                    encoding="base64" if name in files else "text",
                )
                for name, values in fields.items()
            ]
        )
    given = inputs.add("body", {"type": "string"}, required=True)
    return TextBody(media_type=media or "text/plain", content=ValueOf(input=given))


def _fields(requests: list[list[tuple[str, str]]]) -> dict[str, list[list[str]]]:
    """The values of each field, request by request."""
    out: dict[str, list[list[str]]] = {}
    for pairs in requests:
        here: dict[str, list[str]] = defaultdict(list)
        for name, value in pairs:
            here[name].append(value)
        for name, values in here.items():
            out.setdefault(name, []).append(values)
    return out


def _field_input(name: str, values: list[list[str]], inputs: Inputs) -> str:
    """The input of a field: a list, if it was there several times in one request; the first values are tried, unless they are secrets."""
    is_list = any(len(one) > 1 for one in values)
    shown = [UNSET if one == MASK or why_key_like(name, one) else one for one in values[0]]
    example = ([one for one in shown if one is not UNSET] if is_list else shown[0]) if shown else UNSET
    schema = {"type": "array"} if is_list else {"type": "string"}
    return inputs.add(name, schema, required=False, example=example, prefix="body")


def _form_parts(text: str) -> list[tuple[str, str, str]]:
    """(name, file name, value) of the parts of a multipart body as it was recorded (RFC 7578); of a file no value."""
    mark = re.match(r"\s*(--[^\r\n]+)", text)
    out = []
    for section in text.split(mark.group(1))[1:-1] if mark else ():
        head, _, content = section.lstrip("\r\n").partition("\r\n\r\n")
        found = re.search(r'[;\s]name="([^"\r\n]*)"', head)
        file = re.search(r'filename="([^"\r\n]*)"', head)
        if found:
            out.append(
                (found.group(1), (file.group(1) or "file") if file else "", "" if file else content.rstrip("\r\n"))
            )
    return out


def _parts_text(params: list[Any]) -> str:
    """Parts that were recorded one by one, as a multipart body."""
    sections = []
    for one in params:
        if isinstance(one, dict) and isinstance(one.get("name"), str):
            name, file = (str(one.get(key, "")).replace('"', "%22") for key in ("name", "fileName"))
            head = f'Content-Disposition: form-data; name="{name}"' + (f'; filename="{file}"' if file else "")
            sections.append(f"--part\r\n{head}\r\n\r\n{'' if file else one.get('value', '')}\r\n")
    return "".join(sections) + "--part--\r\n"


def _graphql_body(value: dict[str, Any], inputs: Inputs, label: str) -> GraphQLBody:
    text = str(value["query"])
    operation = operation_of(parsed(text), label if label != "query" else "")
    variables = value.get("variables") if isinstance(value.get("variables"), dict) else {}
    members = []
    for name, one in (variables or {}).items():
        kind = {bool: "boolean", int: "integer", str: "string"}.get(type(one), "object")
        example = UNSET if isinstance(one, str) and why_key_like(name, one) else one
        given = inputs.add(name, {"type": kind}, required=False, example=example)
        members.append(Member(at=f"/{name.replace('~', '~0').replace('/', '~1')}", value=ValueOf(input=given)))
    is_mutation = operation is not None and operation.operation.value == "mutation"
    named = str(value["operationName"]) if isinstance(value.get("operationName"), str) else ""
    return GraphQLBody(query=text, kind="mutation" if is_mutation else "query", operation_name=named, variables=members)


def _json(text: str) -> Any:
    try:
        return read_json(text.encode("utf-8", "replace"))
    except DocumentError:
        return UNSET


def _plain_schema(values: list[Any]) -> dict[str, Any]:
    return to_json_schema(infer(values), top=False)


def _masked(value: Any, name: str = "") -> Any:
    """An example without what looks like a secret."""
    if isinstance(value, dict):
        return {key: inner for key, one in value.items() if (inner := _masked(one, key)) is not UNSET}
    if isinstance(value, str) and (value == MASK or why_key_like(name, value)):
        return UNSET
    return [inner for one in value if (inner := _masked(one, name)) is not UNSET] if isinstance(value, list) else value


def _responses(group: list[_Seen]) -> list[ResponseDescription]:
    by_status: dict[int, list[_Seen]] = defaultdict(list)
    for one in group:
        by_status[one.status].append(one)
    out = []
    for status, found in sorted(by_status.items()):
        values = [one.answer for one in found if one.answer is not UNSET]
        schema = _plain_schema(values) if values else None
        out.append(
            ResponseDescription(
                status=str(status), media_type=found[0].answer_media[:200] if values else "", schema=schema
            )
        )
    return out
