"""Stored bodies: as a tree, searched, as text, and to save."""

from itertools import islice
from typing import Any

from django.http import HttpResponse
from django.utils.http import content_disposition_header
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.documents import format_of, node_at, nodes_below, places_of, positions_of, text_of_body
from rondine.core.documents.json import json_text, kind_of
from rondine.core.errors import DocumentError, InputError
from rondine.core.http.file_names import proposed_file_name
from rondine.core.paths import Location, normalized_path, parse_pointer, pointer_text, resolve, xpath_of
from rondine.server.access.project_views import ProjectView
from rondine.server.api.requests import Strict
from rondine.server.runs.bodies import body_of, document_to_look_at
from rondine.server.runs.models import Call

#: Characters of text shown at a time.
TEXT_PIECE = 500_000


#: Places that are told of one search.
MOST_PLACES = 500


class NodeItem(serializers.Serializer[Any]):
    pointer = serializers.CharField(allow_blank=True)
    path = serializers.CharField()
    name = serializers.CharField()
    kind = serializers.ChoiceField(["object", "array", "string", "integer", "number", "boolean", "null"])
    text = serializers.CharField()
    count = serializers.IntegerField()
    depth = serializers.IntegerField()


class TreePiece(serializers.Serializer[Any]):
    pointer = serializers.CharField(allow_blank=True)
    kind = serializers.CharField()
    count = serializers.IntegerField()
    nodes = NodeItem(many=True)


class TreeQuery(Strict):
    pointer = serializers.CharField(
        required=False,
        allow_blank=True,
        trim_whitespace=False,
        default="",
        help_text="JSON Pointer of the parent; empty for the whole",
    )
    offset = serializers.IntegerField(required=False, default=0, min_value=0, max_value=10**9)
    limit = serializers.IntegerField(required=False, default=100, min_value=0, max_value=500)
    depth = serializers.IntegerField(required=False, default=3, min_value=0, max_value=8)


class TreeView(ProjectView):
    """A piece of a stored body's tree."""

    query = {"GET": TreeQuery}

    @extend_schema(operation_id="getTree", responses=TreePiece)
    def get(self, request: Request, project: str, body_id: str) -> Response:
        read = document_to_look_at(body_of(self.project, body_id))
        value, shown = read.value, xpath_of if read.is_xml else normalized_path
        query = self.queried(request)
        pointer = query.pop("pointer")
        location, parent = _resolved(value, pointer)
        nodes = nodes_below(value, location, **query)
        lines = [
            {
                "pointer": pointer_text(member_node.location),
                "path": shown(member_node.location),
                "name": member_node.name,
                "kind": member_node.kind,
                "text": member_node.text,
                "count": member_node.count,
                "depth": len(member_node.location),
            }
            for member_node, _ in zip(nodes, range(3000), strict=False)
        ]
        count = len(parent) if isinstance(parent, (dict, list)) else 0
        return Response(TreePiece({"pointer": pointer, "kind": kind_of(parent), "count": count, "nodes": lines}).data)


def _resolved(value: Any, pointer: str) -> tuple[Location, Any]:
    place = resolve(value, parse_pointer(pointer))
    if place is None:
        raise DocumentError("there is nothing at this place", where=pointer, hint="read the tree again from its root")
    return place


class PlaceItem(serializers.Serializer[Any]):
    pointer = serializers.CharField()
    path = serializers.CharField()
    text = serializers.CharField(help_text="of plain values, as JSON")
    positions = serializers.ListField(
        child=serializers.IntegerField(), help_text="where each step stands among the members around it, from 0"
    )


class PlacesFound(serializers.Serializer[Any]):
    items = PlaceItem(many=True)
    is_all = serializers.BooleanField()


class PlacesQuery(Strict):
    text = serializers.CharField(
        required=False,
        allow_blank=True,
        trim_whitespace=False,
        default="",
        help_text="part of a name or a plain value",
    )
    pointer = serializers.CharField(
        required=False, allow_blank=True, trim_whitespace=False, default="", help_text="a JSON Pointer"
    )


class PlacesView(ProjectView):
    """Places in a stored body: by a text in names and plain values, in either case, or by their pointer."""

    query = {"GET": PlacesQuery}

    @extend_schema(operation_id="findPlaces", responses=PlacesFound)
    def get(self, request: Request, project: str, body_id: str) -> Response:
        read = document_to_look_at(body_of(self.project, body_id))
        value, shown = read.value, xpath_of if read.is_xml else normalized_path
        query = self.queried(request)
        text, pointer = query["text"], query["pointer"]
        if bool(text) == bool(pointer):
            raise InputError("nothing is looked for", where="?text", hint="give text or pointer, one of them")
        if pointer:
            location = _resolved(value, pointer)[0]
            found = [(location, positions_of(value, location))]
        else:
            found = list(islice(places_of(value, text), MOST_PLACES + 1))
        items = [
            {
                "pointer": pointer_text(location),
                "path": shown(location),
                "text": _shown_text(node_at(value, location)),
                "positions": positions,
            }
            for location, positions in found[:MOST_PLACES]
        ]
        return Response(PlacesFound({"items": items, "is_all": len(found) <= MOST_PLACES}).data)


def _shown_text(held: Any) -> str:
    return "" if isinstance(held, (dict, list)) else json_text(held)[:200]


class TextPiece(serializers.Serializer[Any]):
    text = serializers.CharField()
    size = serializers.IntegerField()
    is_whole = serializers.BooleanField(help_text="whether it ends with this piece")


class TextQuery(Strict):
    offset = serializers.IntegerField(
        required=False, default=0, min_value=0, max_value=10**9, help_text="characters that are there already"
    )


class TextView(ProjectView):
    """A stored body as text, a piece at a time."""

    query = {"GET": TextQuery}

    @extend_schema(operation_id="getText", responses=TextPiece)
    def get(self, request: Request, project: str, body_id: str) -> Response:
        body = body_of(self.project, body_id)
        end = self.queried(request)["offset"] + TEXT_PIECE
        content = body.content()
        text = text_of_body(content[: end * 4], body.charset)
        is_whole = len(text) <= end and len(content) <= end * 4
        piece = {"text": text[end - TEXT_PIECE : end], "size": body.size, "is_whole": is_whole}
        return Response(TextPiece(piece).data)


class ContentView(ProjectView):
    """A stored body to save, byte for byte. It is never shown as a page of ours."""

    @extend_schema(operation_id="getContent", responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, project: str, body_id: str) -> HttpResponse:
        body = body_of(self.project, body_id)
        ending = {"ndjson": "ndjson", "csv": "csv", "xml": "xml"}.get(format_of(b"", body.media_type), "")
        ending = ending or ("json" if "json" in body.media_type else "bin")
        call = Call.objects.filter(body=body).first()
        said = (
            next((value for name, value in call.headers if name.lower() == "content-disposition"), "") if call else ""
        )
        name = proposed_file_name(said) or f"response-{str(body.pk)[:8]}.{ending}"
        headers = {
            "Content-Disposition": content_disposition_header(as_attachment=True, filename=name) or "attachment",
            "X-Content-Type-Options": "nosniff",
            "Content-Security-Policy": "sandbox",
        }
        return HttpResponse(body.content(), content_type="application/octet-stream", headers=headers)
