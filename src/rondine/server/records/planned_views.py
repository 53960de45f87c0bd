"""What a dry run found that a run would do, record by record."""

import json
from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.settings import load
from rondine.server.access.project_views import ProjectViewSet
from rondine.server.api.openapi import AnyField
from rondine.server.records.browsing import shown_data
from rondine.server.records.models import CHANGES, PlannedChange
from rondine.server.runs.actions import find_run


class PlannedChangeItem(serializers.Serializer[Any]):
    record_type = serializers.CharField()
    kind = serializers.ChoiceField(CHANGES, help_text="what would become of the record")
    key = serializers.ListField(child=AnyField())
    before = serializers.DictField(
        child=AnyField(allow_null=True), allow_null=True, help_text="the fields that would change, as they are"
    )
    after = serializers.DictField(
        child=AnyField(allow_null=True), allow_null=True, help_text="as they would be; all of one that is created"
    )


class PlannedChangeViewSet(ProjectViewSet):
    """What a dry run found, in the order in which rows came; up to 10,000 changes, and what would be gone last. They
    are there until the feed's next dry run."""

    queryset = PlannedChange.objects.none()
    serializer_class = PlannedChangeItem
    permissions = {"list": "view"}
    ordering = "id"
    page_size = 50

    @extend_schema(operation_id="listPlannedChanges")
    def list(self, request: Request, project: str, run_id: int) -> Response:
        run = find_run(self.project, run_id)
        page = self.page(PlannedChange.objects.filter(run_id=run.pk))
        types = run.content.get("record_types", {})
        documents = {name: load(RecordTypeDocument, document) for name, document in types.items()}
        return self.get_paginated_response([_shown(one, documents[one.record_type]) for one in page])


def _shown(one: PlannedChange, document: RecordTypeDocument) -> dict[str, Any]:
    return {
        "record_type": one.record_type,
        "kind": one.kind,
        "key": json.loads(one.key),
        "before": None if one.before is None else shown_data(one.before, document),
        "after": None if one.after is None else shown_data(one.after, document),
    }
