"""Understanding responses and mapping them: stored bodies, mappings, and responses in files that are kept nowhere."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

from rondine_client.items import Items
from rondine_client.requests import Content, Request, Resource, S, Stream, call, stream

if TYPE_CHECKING:
    from rondine_client import types

Json = Mapping[str, Any]


class Bodies(Resource[S]):
    """Responses that are stored, each by its number."""

    @call
    def tree(
        self, body: str, pointer: str = "", *, offset: int = 0, limit: int = 100, depth: int = 3
    ) -> Request[types.TreePiece]:
        """A piece of a body as a tree below a JSON Pointer."""
        query = {"pointer": pointer, "offset": offset, "limit": limit, "depth": depth}
        return self.request("GET", f"/bodies/{body}/tree", query=query)

    @call
    def places(self, body: str, *, text: str = "", pointer: str = "") -> Request[types.PlacesFound]:
        """Places of a stored body by a text in names and values, or by a JSON Pointer: {items: [{pointer, path, text,
        positions}], is_all}."""
        return self.request("GET", f"/bodies/{body}/places", query={"text": text, "pointer": pointer})

    @call
    def text(self, body: str, *, offset: int = 0) -> Request[types.TextPiece]:
        """A stored body as text from a character on, some of it at a time: {text, size, is_whole}."""
        return self.request("GET", f"/bodies/{body}/text", query={"offset": offset})

    @call
    def content(self, body: str) -> Request[bytes]:
        """A stored body, byte for byte."""
        return self.request("GET", f"/bodies/{body}/content", is_bytes=True)

    @call
    def outline(self, *bodies: str, corrections: Sequence[Json] = ()) -> Request[types.OutlineShown]:
        """The schema of stored bodies: lines for people, and JSON Schema."""
        return self.request("POST", "/outlines", {"bodies": list(bodies), "corrections": list(corrections)})

    @call
    def compare(self, before: str, after: str) -> Request[types.ComparisonOfBodies]:
        """Two stored bodies by structure and value: {differences: [{path, kind, before, after}], is_all}; formatting
        counts for nothing."""
        return self.request("POST", "/comparisons", {"before": before, "after": after})

    @call
    def compare_structures(
        self, before: Sequence[str], after: Sequence[str], corrections: Sequence[Json] = ()
    ) -> Request[types.ComparisonOfStructures]:
        """What newer stored bodies have that older ones do not allow: {differences: [{path, kind, before, after}],
        is_all}."""
        body = {"before": list(before), "after": list(after), "corrections": list(corrections)}
        return self.request("POST", "/structure-comparisons", body)


class Mappings(Items[S, "types.Mapping"]):
    @call
    def propose(
        self,
        *bodies: str,
        rows: Sequence[str],
        name: str,
        take: Sequence[str] | None = None,
        corrections: Sequence[Json] = (),
        onto: bool = False,
    ) -> Request[types.ProposalShown]:
        """A record type and a mapping for rows at these levels. onto: the record type is there already; `pairs` tells
        what fills it, `open` what nothing does."""
        body = {"bodies": list(bodies), **_proposal(rows, name, take, corrections, onto)}
        return Request("POST", f"{self._project}/proposals", body)

    @call
    def preview(
        self, body: str, mapping: Json, record_types: Json | None = None, inputs: Json | None = None
    ) -> Request[types.PreviewShown]:
        """What a mapping makes of a stored response; nothing is kept. record_types: documents of those that are not
        saved, by name."""
        options = {"record_types": dict(record_types or {}), "inputs": dict(inputs or {})}
        return Request("POST", f"{self._project}/previews", {"body": body, "mapping": mapping, **options})

    @call
    def forms(self) -> Request[types.MappingForms]:
        """What a mapping can be made of: {conversions, comparisons}, each with its form."""
        return Request("GET", f"{self._project}/mapping-forms")


class Readings(Resource[S]):
    """Responses in files: asked about, and kept nowhere."""

    @call
    def tree(self, content: Content, *, at: str = "", depth: int = 3, limit: int = 20) -> Request[types.Tree]:
        """A response as a tree below a JSON Pointer: {format, lines: [{path, depth, name, kind, text, count}]}."""
        body = {"at": at, "depth": depth, "limit": limit}
        return self.request("POST", "/tree", body, contents=[content])

    @call
    def outline(self, *contents: Content, corrections: Sequence[Json] = ()) -> Request[types.OutlineShown]:
        """The schema of responses, as `Bodies.outline` gives it."""
        return self.request("POST", "/outline", {"corrections": list(corrections)}, contents=contents)

    @call
    def comparison(self, before: Content, after: Content) -> Request[types.ComparisonOfBodies]:
        """Two responses by structure and value, as `Bodies.compare` gives it."""
        return self.request("POST", "/comparison", {}, contents=[before, after])

    @call
    def structure_comparison(
        self, *contents: Content, corrections: Sequence[Json] = ()
    ) -> Request[types.ComparisonOfStructures]:
        """What the last of several responses has that the others do not allow."""
        return self.request("POST", "/structure-comparison", {"corrections": list(corrections)}, contents=contents)

    @call
    def proposal(
        self,
        *contents: Content,
        rows: Sequence[str],
        name: str,
        take: Sequence[str] | None = None,
        corrections: Sequence[Json] = (),
        onto: bool = False,
    ) -> Request[types.ProposalShown]:
        """A record type and a mapping for rows at these levels, as `Mappings.propose` gives them."""
        return self.request("POST", "/proposal", _proposal(rows, name, take, corrections, onto), contents=contents)

    @stream
    def records(
        self,
        content: Content,
        mapping: str | Json,
        record_types: Json | None = None,
        inputs: Json | None = None,
    ) -> Stream[dict[str, Any]]:
        """What a mapping, saved or a draft, makes of a response of any size, line by line: records {record_type,
        ordinal, data}, rejects {record_type, ordinal, path, problems, row}, last {counts}."""
        chosen = {"mapping": mapping} if isinstance(mapping, str) else {"draft": mapping}
        body = {**chosen, "record_types": dict(record_types or {}), "inputs": dict(inputs or {})}
        return Stream(self.request("POST", "/records", body, contents=[content]))


def _proposal(
    rows: Sequence[str], name: str, take: Sequence[str] | None, corrections: Sequence[Json], onto: bool
) -> dict[str, Any]:
    return {
        "rows": list(rows),
        "name": name,
        "take": None if take is None else list(take),
        "corrections": list(corrections),
        "onto": onto,
    }
