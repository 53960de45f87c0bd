"""Samples: kept from a trial, from pasted text, from a file."""

import base64
import binascii
from collections.abc import Mapping
from typing import Any

from rondine.core.documents import likely_media_type, read_document
from rondine.core.errors import (
    Conflict,
    InputError,
    NotFound,
    Problem,
)
from rondine.core.items.sample import SampleDocument
from rondine.core.operations.keylike import keys_in_text, masked
from rondine.core.secret import MASK
from rondine.core.settings import dump
from rondine.server.access.models import Person, Project
from rondine.server.items.actions import make_item
from rondine.server.operations.kinds import SAMPLES
from rondine.server.operations.models import Sample
from rondine.server.runs.models import Body, Call


def keep_sample(project: Project, person: Person, data: Mapping[str, Any]) -> Sample:
    """A sample from a trial's call (`run`), from pasted text, or from a file's bytes. Raises DocumentError if it is not
    sound."""
    if sum(data.get(name) is not None for name in ("run", "text", "base64")) != 1:
        raise InputError(
            "give one of run, text and base64",
            where="/run",
            hint="run: the number of a trial; text: a response pasted; base64: the bytes of a file",
        )
    if data.get("run") is None:
        content, charset = uploaded_content(data)
        media_type = data.get("media_type") or likely_media_type(content)
        read_document(content, media_type=media_type, charset=charset, name="the sample")
        content = without_keys(content, data.get("keys"))
        document, body = SampleDocument(), Body.of(project.pk, content, media_type, charset)
    else:
        call = Call.objects.select_related("body").filter(run__project=project, run_id=data["run"], number=1).first()
        if call is None or call.body is None:
            raise NotFound(
                f"run {data['run']} has no stored response",
                where="/run",
                hint="try the operation again, then keep its response",
            )
        document = SampleDocument(
            request=call.request, status=call.status, headers=[list(header) for header in call.headers]
        )
        before = call.body.content()
        content = without_keys(before, data.get("keys"))
        body = call.body if content == before else Body.of(project.pk, content, call.body.media_type, call.body.charset)
    body.save()
    wanted = {
        "name": data["name"],
        "title": data.get("title", ""),
        "operation": data.get("operation"),
        "document": dump(document),
    }
    return make_item(SAMPLES, project, person, wanted, body=body)


def uploaded_content(data: Mapping[str, Any], here: str = "") -> tuple[bytes, str]:
    """(content, its charset) of a text, or of bytes in base64, which may say their encoding themselves."""
    if data.get("text") is not None:
        return data["text"].encode("utf-8", "surrogatepass"), "utf-8"
    try:
        return base64.b64decode(data["base64"], validate=True), ""
    except (binascii.Error, ValueError) as error:
        raise InputError(
            f"this is not base64: {error}", where=f"{here}/base64", hint="encode the bytes anew"
        ) from error


def without_keys(content: bytes, keys: str | None, what: str = "sample") -> bytes:
    """The content with values that look like keys masked, if that was asked for. what: it is, in words.  Raises
    Conflict if nothing was said about them."""
    text = content.decode("utf-8", "surrogateescape")
    text_findings = keys_in_text(text)
    if not text_findings or keys == "keep":
        return content
    if keys == "mask":
        return masked(text, text_findings, MASK).encode("utf-8", "surrogateescape")
    names = ", ".join(dict.fromkeys(finding.name or finding.reason for finding in text_findings))
    raise Conflict(
        f"the {what} holds what looks like a key: {names}",
        where="keys",
        hint='say what is to become of it: keys "mask" stores it masked, "keep" as it is',
        problems=[
            Problem(f"character {text_finding.start}", text_finding.name, text_finding.reason)
            for text_finding in text_findings
        ],
    )
