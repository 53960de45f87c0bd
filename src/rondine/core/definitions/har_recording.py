"""Recorded requests (HTTP Archive 1.2): what of them may be kept, without secrets, and what they sent."""

import base64
import binascii
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from urllib.parse import unquote

from msgspec import UNSET

from rondine.core.names import singular
from rondine.core.operations.keylike import keys_in_text, masked, why_key_like
from rondine.core.secret import MASK


@dataclass
class Seen:
    """One request, cleaned of secrets. number: of the entry.  unrecorded: the media type of a body that was sent and is
    not in the recording."""

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
        steps, _ = without_path_keys(path.split("/"))
        kept: dict[str, Any] = {
            "method": request.get("method"),
            "url": start + "/".join(steps) + mark + shown,
            "headers": [
                {"name": name, "value": _masked_header(name, held)}
                for name, held in pairs_of(request.get("headers"))
                if name.lower() != "cookie"
            ],
        }
        posted = request.get("postData")
        if isinstance(posted, dict):
            text = body_text(posted)
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


def without_path_keys(steps: Sequence[str]) -> tuple[list[str], int]:
    """(the steps of a path, masks in place of those that look like keys, how many). One that follows a step such as
    "tokens" is taken for one."""
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
        parts = form_parts(text)
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


def pairs_of(listed: Any) -> list[tuple[str, str]]:
    return [
        (str(one["name"]), str(one["value"]))
        for one in (listed if isinstance(listed, list) else [])
        if isinstance(one, dict) and "name" in one and "value" in one
    ]


def body_text(posted: Mapping[str, Any]) -> str:
    if isinstance(posted.get("text"), str):
        return str(posted["text"])
    if "multipart/" in str(posted.get("mimeType")) and isinstance(posted.get("params"), list):
        return _parts_text(posted["params"])
    return "&".join(f"{name}={value}" for name, value in pairs_of(posted.get("params")))


def form_parts(text: str) -> list[tuple[str, str, str]]:
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
    for param in params:
        if isinstance(param, dict) and isinstance(param.get("name"), str):
            name, file = (str(param.get(key, "")).replace('"', "%22") for key in ("name", "fileName"))
            head = f'Content-Disposition: form-data; name="{name}"' + (f'; filename="{file}"' if file else "")
            sections.append(f"--part\r\n{head}\r\n\r\n{'' if file else param.get('value', '')}\r\n")
    return "".join(sections) + "--part--\r\n"
