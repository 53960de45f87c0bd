"""Responses that are read and kept nowhere: they come with the request, of any size where only rows are asked for."""

import json
from collections.abc import AsyncIterator, Iterable, Iterator
from itertools import islice
from typing import Any

from asgiref.sync import sync_to_async
from django.core.files.uploadedfile import UploadedFile
from django.http import StreamingHttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.documents import ReadDocument, json_text, read_document
from rondine.core.documents.json import nodes_below
from rondine.core.documents.reading import form_of_body, likely_media_type
from rondine.core.errors import InputError, RondineError
from rondine.core.mapping.compile import CompiledOutput, Mapped, check_format, compile_mapping
from rondine.core.mapping.document import MappingDocument, RecordTypeDocument
from rondine.core.mapping.rowwise import row_reader
from rondine.core.mapping.taking import mapping_inputs
from rondine.core.paths import normalized_path, parse_pointer, resolve, xpath_of
from rondine.core.schema.outline import Correction
from rondine.core.settings import load
from rondine.server.access.project_views import ProjectView, WaitingView
from rondine.server.api.openapi import AnyField, DocumentField
from rondine.server.api.problems import named, problem
from rondine.server.api.rendering import JsonRenderer
from rondine.server.api.requests import Strict
from rondine.server.items.actions import find_item
from rondine.server.mappings.actions import comparison_of, drafted_types, outline_of, proposal, structure_comparison_of
from rondine.server.mappings.kinds import MAPPINGS, resolved_mapping
from rondine.server.mappings.views import ComparisonOfBodies, ComparisonOfStructures, OutlineShown, ProposalShown
from rondine.server.records.browsing import shown_data
from rondine.server.threads import in_own_thread, release_database

_HEAD = 64 * 1024
_PIECE = 256 * 1024


class ResponsesAsked(Strict):
    """content: responses in JSON, one JSON value a line, or XML, told by their media types or else by how they
    begin."""

    content = serializers.ListField(child=serializers.FileField(), min_length=1, max_length=20)
    asked = serializers.CharField(required=False, default="{}", help_text="the rest of the question, in JSON")


class OutlineQuestion(Strict):
    corrections = DocumentField(list[Correction], required=False)


class ProposalQuestion(OutlineQuestion):
    name = serializers.CharField(max_length=63, help_text="of the record type")
    onto = serializers.BooleanField(required=False, default=False)
    rows = serializers.ListField(child=serializers.CharField(max_length=1000), min_length=1, max_length=8)
    take = serializers.ListField(child=serializers.CharField(max_length=1000), required=False, allow_null=True)


class TreeQuestion(Strict):
    at = serializers.CharField(required=False, default="", allow_blank=True, help_text="a JSON Pointer")
    depth = serializers.IntegerField(required=False, default=3, min_value=1, max_value=20)
    limit = serializers.IntegerField(required=False, default=20, min_value=1, max_value=1000)


class RecordsQuestion(Strict):
    mapping = serializers.CharField(required=False, help_text="a saved mapping's name; or give draft")
    draft = DocumentField(MappingDocument, required=False)
    record_types = serializers.DictField(child=AnyField(), required=False)
    inputs = serializers.DictField(child=AnyField(allow_null=True), required=False)

    def validate(self, attrs: Any) -> Any:
        if ("mapping" in attrs) == ("draft" in attrs):
            raise serializers.ValidationError({"mapping": ["give either mapping or draft"]})
        return attrs


class TreeItem(serializers.Serializer[Any]):
    path = serializers.CharField()
    depth = serializers.IntegerField()
    name = serializers.CharField()
    kind = serializers.CharField()
    text = serializers.CharField(allow_blank=True)
    count = serializers.IntegerField()


class Tree(serializers.Serializer[Any]):
    format = serializers.CharField()
    lines = TreeItem(many=True)


class ReadingView(ProjectView):
    """What a view of uploaded responses has: they are read here and stored nowhere."""

    permissions = {"POST": "view"}
    parser_classes = [MultiPartParser]

    def asked(self, request: Request, question: type[Strict]) -> "tuple[list[UploadedFile[Any]], Any]":
        """(the files, the checked question)."""
        parts: Any = request.data
        unknown = set(parts) - {"content", "asked"}
        if unknown:
            raise InputError(
                f'there is no part "{min(unknown)}"', where=f"/{min(unknown)}", hint="the parts are content and asked"
            )
        checked = ResponsesAsked(data={"content": request.FILES.getlist("content"), "asked": parts.get("asked", "{}")})
        checked.is_valid(raise_exception=True)
        try:
            text = json.loads(checked.validated_data["asked"])
        except ValueError as error:
            raise InputError(f"this is not JSON: {error}", where="/asked", hint="send the question as JSON") from error
        asked = question(data=text)
        asked.is_valid(raise_exception=True)
        return checked.validated_data["content"], asked.validated_data

    def documents(self, files: "Iterable[UploadedFile[Any]]") -> list[ReadDocument]:
        """Raises DocumentError with the file's name, line and column."""
        return [_read(file) for file in files]


def _media_type(file: "UploadedFile[Any]", head: bytes) -> str:
    """As its part says; nothing that a client says of files it does not know counts."""
    said = (file.content_type or "").lower()
    return likely_media_type(head) if said in ("", "application/octet-stream", "text/plain") else said


def _charset(file: "UploadedFile[Any]") -> str:
    """As its part says, which Django gives as bytes; empty if it says none."""
    said: Any = file.charset or ""
    return said.decode("ascii", "replace") if isinstance(said, bytes) else str(said)


def _read(file: "UploadedFile[Any]", namespaces: dict[str, str] | None = None) -> ReadDocument:
    body = file.read()
    media_type = _media_type(file, body)
    return read_document(
        body, media_type=media_type, charset=_charset(file), namespaces=namespaces, name=file.name or "-"
    )


class OutlineReading(ReadingView):
    """The schema of responses."""

    @extend_schema(operation_id="readOutline", request={"multipart/form-data": ResponsesAsked}, responses=OutlineShown)
    def post(self, request: Request, project: str) -> Response:
        files, asked = self.asked(request, OutlineQuestion)
        return Response(OutlineShown(outline_of(self.documents(files), asked.get("corrections") or [])).data)


class ComparisonReading(ReadingView):
    """Two responses compared by structure and value."""

    @extend_schema(
        operation_id="readComparison", request={"multipart/form-data": ResponsesAsked}, responses=ComparisonOfBodies
    )
    def post(self, request: Request, project: str) -> Response:
        files, _ = self.asked(request, Strict)
        if len(files) != 2:
            raise InputError(f"{len(files)} responses cannot be compared", where="/content", hint="give two")
        before = _read(files[0])
        after = _read(files[1], dict(before.namespaces))
        return Response(ComparisonOfBodies(comparison_of(before, after)).data)


class StructureComparisonReading(ReadingView):
    """What the last response has that the others do not allow."""

    @extend_schema(
        operation_id="readStructureComparison",
        request={"multipart/form-data": ResponsesAsked},
        responses=ComparisonOfStructures,
    )
    def post(self, request: Request, project: str) -> Response:
        files, asked = self.asked(request, OutlineQuestion)
        if len(files) < 2:
            raise InputError(
                "one response cannot be compared", where="/content", hint="give two or more, the newest last"
            )
        before = self.documents(files[:-1])
        after = _read(files[-1], dict(before[0].namespaces))
        found = structure_comparison_of(before, [after], asked.get("corrections") or [])
        return Response(ComparisonOfStructures(found).data)


class ProposalReading(ReadingView):
    """A first record type and mapping."""

    @extend_schema(
        operation_id="readProposal", request={"multipart/form-data": ResponsesAsked}, responses=ProposalShown
    )
    def post(self, request: Request, project: str) -> Response:
        files, asked = self.asked(request, ProposalQuestion)
        return Response(ProposalShown(proposal(self.project, self.documents(files), asked)).data)


class TreeReading(ReadingView):
    """A response as a tree: each place with its path, kind and value."""

    @extend_schema(operation_id="readTree", request={"multipart/form-data": ResponsesAsked}, responses=Tree)
    def post(self, request: Request, project: str) -> Response:
        files, asked = self.asked(request, TreeQuestion)
        read = _read(files[0])
        found = resolve(read.value, parse_pointer(asked["at"]))
        if found is None:
            raise InputError(
                f'there is nothing at "{asked["at"].rpartition("/")[2]}"',
                where=asked["at"],
                hint="look at the tree around it",
            )
        at, _ = found
        shown = xpath_of if read.is_xml else normalized_path
        lines = [
            {
                "path": shown(node.location),
                "depth": len(node.location) - len(at),
                "name": node.name,
                "kind": node.kind,
                "text": node.text,
                "count": node.count,
            }
            for node in nodes_below(read.value, at, limit=asked["limit"], depth=asked["depth"])
        ]
        return Response(Tree({"format": read.format, "lines": lines}).data)


class RecordsReading(WaitingView, ReadingView):
    """What a mapping makes of a response of any size, line by line (application/x-ndjson).

    A record: {record_type, ordinal, data}. A row that does not fit: {record_type, ordinal, path, problems, row}. Last
    {counts} or {problem}.
    """

    @extend_schema(
        operation_id="readRecords",
        request={"multipart/form-data": ResponsesAsked},
        responses={(200, "application/x-ndjson"): OpenApiTypes.STR},
    )
    async def post(self, request: Request, project: str) -> StreamingHttpResponse:
        lines = await sync_to_async(self._lines)(request)
        await release_database()
        first = await in_own_thread(next)(lines)  # what cannot run says so with its status
        return StreamingHttpResponse(_in_thread(first, lines), content_type="application/x-ndjson")

    def _lines(self, request: Request) -> Iterator[bytes]:
        files, asked = self.asked(request, RecordsQuestion)
        draft = find_item(MAPPINGS, self.project, asked["mapping"]).document if "mapping" in asked else asked["draft"]
        mapping = resolved_mapping(self.project.pk, load(MappingDocument, draft, where="/draft"))
        record_types = drafted_types(self.project, asked.get("record_types"))
        outputs = compile_mapping(mapping, record_types, is_kept=False)
        return _told(mapping, outputs, record_types, files[0], mapping_inputs(asked.get("inputs") or {}))


def _told(
    mapping: MappingDocument,
    outputs: list[CompiledOutput],
    record_types: dict[str, RecordTypeDocument],
    file: "UploadedFile[Any]",
    inputs: dict[Any, Any],
) -> Iterator[bytes]:
    """The lines. Raises what is wrong if it comes before the first; later it is the last line."""
    render = JsonRenderer().render
    counts: list[dict[str, Any]] = [
        {"record_type": compiled_output.record_type, "rows": 0, "records": 0, "rejected": 0, "filtered": 0}
        for compiled_output in outputs
    ]
    is_told = False
    try:
        for mapped in _mapped(mapping, outputs, file, inputs):
            for output, one, count in zip(outputs, mapped, counts, strict=True):
                for line in _lines_of(output, one, record_types[output.record_type]):
                    is_told = True
                    yield render(line) + b"\n"
                count["rows"] += one.rows
                count["records"] += len(one.data)
                count["rejected"] += len(one.rejects)
                count["filtered"] += one.filtered
        yield render({"counts": counts}) + b"\n"
    except RondineError as error:
        if not is_told:
            raise
        yield render({"problem": problem(named(error))}) + b"\n"


def _lines_of(output: CompiledOutput, mapped: Mapped, record_type: RecordTypeDocument) -> Iterator[dict[str, Any]]:
    for ordinal, data in mapped.records:
        yield {"record_type": output.record_type, "ordinal": ordinal, "data": shown_data(data, record_type)}
    for reject in mapped.rejects:
        problems = [
            {"field": field_problem.field, "path": field_problem.path, "reason": field_problem.reason}
            for field_problem in reject.problems
        ]
        yield {
            "record_type": output.record_type,
            "ordinal": reject.ordinal,
            "path": reject.path,
            "problems": problems,
            "row": json_text(reject.row),
        }


def _mapped(
    mapping: MappingDocument, outputs: list[CompiledOutput], file: "UploadedFile[Any]", inputs: dict[Any, Any]
) -> Iterator[list[Mapped]]:
    """A response's rows, some at a time where the mapping can be run so; else all of it at once, within the usual
    limits."""
    head = file.read(_HEAD)
    media_type, name = _media_type(file, head), file.name or "-"
    charset = _charset(file)
    form = form_of_body(head, media_type, charset)
    check_format(mapping, ReadDocument(None, form.format))
    reader = row_reader(mapping, outputs)

    def chunks() -> Iterator[bytes]:
        file.seek(0)
        return iter(lambda: file.read(_PIECE), b"")

    if reader is not None:
        is_empty = True
        for part in reader.parts(chunks, inputs, [], form=form, name=name):
            is_empty = False
            yield part.mapped
        if not is_empty:
            return
    file.seek(0)
    whole = read_document(file.read(), media_type=media_type, charset=charset, namespaces=mapping.namespaces, name=name)
    yield [output.run(whole.value, inputs) for output in outputs]


async def _in_thread(first: bytes, rest: Iterator[bytes]) -> AsyncIterator[bytes]:
    """Lines that a thread makes, many at a time."""
    take = in_own_thread(lambda: b"".join(islice(rest, 1_000)))
    yield first
    while piece := await take():
        yield piece
