"""The responses that OpenAPI describes, by status and media type, and the paging that they and the query declare."""

import re
from typing import Any

from rondine.core.definitions.described_paging import described_paging
from rondine.core.definitions.files import Broken, Place
from rondine.core.definitions.openapi_reading import Reading, is_json, text_in
from rondine.core.operations.document import Parameter, ResponseDescription, ResponseHeader
from rondine.core.operations.values import ValueOf
from rondine.core.pagination import Paging

#: Media types of one response that are kept.
MOST_MEDIA_TYPES = 3


class Responses:
    """Reads the responses of operations."""

    def __init__(self, reading: Reading) -> None:
        self.reading = reading

    def of(self, value: dict[str, Any], place: Place) -> list[ResponseDescription]:
        listed = value.get("responses")
        if not isinstance(listed, dict):
            if listed is not None:
                self.reading.warn(place / "responses", "responses is an object, by status", "it is passed over")
            return []
        out = []
        for status, one in listed.items():
            wanted = str(status) if str(status) == "default" else str(status).upper()
            if wanted.startswith("X-"):
                continue
            here = place / "responses" / status
            if not re.fullmatch(r"[1-5]\d\d|[1-5]XX|default", wanted):
                self.reading.warn(here, f'"{str(status)[:40]}" is not a status', "three digits, 4XX, or default")
                continue
            try:
                response, at = self.reading.files.follow(one, here)
            except Broken as error:
                self.reading.warn(error.place, error.message, error.hint)
                continue
            if isinstance(response, dict):
                out += self._described(wanted, response, at, value)
        return sorted(out, key=lambda one: (one.status == "default", one.status))

    def paging(
        self,
        method: str,
        value: dict[str, Any],
        place: Place,
        responses: list[ResponseDescription],
        query: list[Parameter],
    ) -> Paging | None:
        """The paging that the good response and the query declare; what responses show may still be another one."""
        good = next(
            (response for response in responses if response.status.startswith("2") and response.schema is not None),
            None,
        )
        if method.upper() != "GET" or good is None:
            return None
        raw = (value.get("responses") or {}).get(good.status)
        try:
            raw, _ = self.reading.files.follow(raw, place / "responses" / good.status)
        except Broken:
            raw = None
        headers = raw.get("headers") if isinstance(raw, dict) else None
        self.reading.schemas.finish()
        paging_guess = described_paging(
            good.schema,
            self.reading.schemas.defs,
            headers=[str(name) for name in headers] if isinstance(headers, dict) else [],
            query={
                parameter.name: parameter.value.input
                for parameter in query
                if isinstance(parameter.value, ValueOf) and parameter.value.input
            },
        )
        return paging_guess.paging if paging_guess is not None else None

    def _described(
        self, status: str, response: dict[str, Any], place: Place, operation: dict[str, Any]
    ) -> list[ResponseDescription]:
        words = text_in(response, "description")[:2000]
        headers = self._described_headers(response, place)
        if self.reading.dialect == "2.0":
            listed = operation.get("produces", self.reading.root.get("produces"))
            media = str(listed[0]) if isinstance(listed, list) and listed else "application/json"
            if "schema" not in response:
                own = media if "produces" in operation and status.startswith("2") else ""
                return [ResponseDescription(status=status, media_type=own, description=words, headers=headers)]
            schema = self.reading.schemas.translated(response["schema"], place / "schema")
            return [
                ResponseDescription(status=status, media_type=media, schema=schema, description=words, headers=headers)
            ]
        content = response.get("content")
        if not isinstance(content, dict) or not content:
            return [ResponseDescription(status=status, description=words, headers=headers)]
        out = []
        offered = sorted(content, key=lambda one: not is_json(str(one)))
        if len(offered) > MOST_MEDIA_TYPES:
            many = f"a response of {len(offered)} media types: the first {MOST_MEDIA_TYPES} are kept"
            left = ", ".join(str(one)[:80] for one in offered[MOST_MEDIA_TYPES:])
            self.reading.warn(place / "content", many, f"left out: {left[:300]}")
        for media in offered[:MOST_MEDIA_TYPES]:
            raw = content[media].get("schema") if isinstance(content[media], dict) else None
            made = None if raw is None else self.reading.schemas.translated(raw, place / "content" / media / "schema")
            kind = str(media)[:200]
            out.append(
                ResponseDescription(status=status, media_type=kind, schema=made, description=words, headers=headers)
            )
        return out

    def _described_headers(self, response: dict[str, Any], place: Place) -> list[ResponseHeader]:
        """The headers that a response is said to have (OpenAPI 3.1, "Header Object"); Content-Type is said by its media
        types."""
        out = []
        for name, header, at in self.reading.headers(response.get("headers"), place / "headers"):
            if name.lower() == "content-type":
                continue
            if self.reading.dialect == "2.0":
                raw: Any = {key: one for key, one in header.items() if key != "description"}
            else:
                raw = header.get("schema", True)
            out.append(
                ResponseHeader(
                    name=name,
                    schema=self.reading.schemas.translated(raw, at if self.reading.dialect == "2.0" else at / "schema"),
                    required=header.get("required") is True,
                    description=text_in(header, "description")[:2000],
                )
            )
        return out


def accepted(responses: list[ResponseDescription]) -> str:
    """The media type to ask for where it is not JSON; empty if JSON will do."""
    offered = [response.media_type for response in responses if response.status.startswith("2") and response.media_type]
    return "" if not offered or any(is_json(one) or "*" in one for one in offered) else offered[0]
