"""The JSON Schema of each kind of document, for editors of people's own and for the console's."""

from functools import cache
from typing import Any

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.errors import NotFound, did_you_mean
from rondine.core.forms import document_schema
from rondine.server.access.project_views import ProjectView
from rondine.server.items.kinds import KINDS


class DocumentSchemaView(ProjectView):
    """What the document of a kind of item may say (JSON Schema 2020-12), the help text of each field with it."""

    @extend_schema(operation_id="getDocumentSchema", responses={200: OpenApiTypes.OBJECT})
    def get(self, request: Request, project: str, kind: str) -> Response:
        if kind not in KINDS:
            raise NotFound(
                f'there is no kind of item called "{kind[:60]}"',
                where="document-schemas",
                hint=did_you_mean(kind, KINDS),
            )
        return Response(_schema_of(kind))


@cache
def _schema_of(kind: str) -> dict[str, Any]:
    return {"title": f"Rondine {KINDS[kind].word}", **document_schema(KINDS[kind].document)}
