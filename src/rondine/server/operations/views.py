"""Operations, prepared queries and samples: the routes of their items."""

from collections.abc import Sequence
from typing import Any

from django.db import transaction
from django_filters import CharFilter
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.server.api.requests import Strict
from rondine.server.items.references import users_of
from rondine.server.items.views import ItemFilter, ItemViewSet, MakesItems
from rondine.server.operations.adopting import adopt_paging, call_of_sample
from rondine.server.operations.kinds import OPERATIONS, QUERIES, SAMPLES
from rondine.server.operations.samples import keep_sample
from rondine.server.operations.serializers import (
    AdoptedPaging,
    OperationSerializer,
    PreparedQuerySerializer,
    SampleSerializer,
)
from rondine.server.runs.last import last_runs


class OperationFilter(ItemFilter):
    service = CharFilter("service__name", help_text="those of this service, by its name")


class OperationViewSet(MakesItems, ItemViewSet):
    kind = OPERATIONS
    serializer_class = OperationSerializer
    filterset_class = OperationFilter

    def prepare(self, items: Sequence[Any]) -> None:
        last = last_runs("operation", items)
        for item in items:
            item.last_run = last.get(item.pk)


class QueryViewSet(MakesItems, ItemViewSet):
    kind = QUERIES
    serializer_class = PreparedQuerySerializer

    def prepare(self, items: Sequence[Any]) -> None:
        users = users_of(QUERIES, {one.project_id for one in items}, {one.name for one in items})
        for item in items:
            item.used_by = [user.name for kind, user in users[item.name] if kind is OPERATIONS]


class NewSampleFrom(Strict):
    name = serializers.CharField(max_length=63)
    title = serializers.CharField(required=False, allow_blank=True, max_length=200)
    operation = serializers.CharField(required=False, allow_null=True)
    run = serializers.IntegerField(required=False, help_text="a trial whose response is kept")
    text = serializers.CharField(required=False, trim_whitespace=False, help_text="a response pasted")
    base64 = serializers.CharField(required=False, help_text="the bytes of a file with a response")
    media_type = serializers.CharField(required=False, help_text="left out: told by the content")
    keys = serializers.ChoiceField(
        ["mask", "keep"],
        required=False,
        help_text="what becomes of values that look like keys; without it they are refused",
    )


class SampleMade(serializers.Serializer[Any]):
    name = serializers.CharField()
    body = serializers.UUIDField(source="body_id")
    adopted = AdoptedPaging(allow_null=True)


class SampleFilter(ItemFilter):
    operation = CharFilter("operation__name", help_text="those of this operation, by its name")


class SampleViewSet(ItemViewSet):
    """Samples; a new one from a trial or from pasted text. Its operation follows the paging that it shows, if nothing
    was decided before."""

    kind = SAMPLES
    serializer_class = SampleSerializer
    filterset_class = SampleFilter

    def get_queryset(self) -> Any:
        return super().get_queryset().select_related("body").defer("body__stored")

    @extend_schema(operation_id="keepSample", request=NewSampleFrom, responses={201: SampleMade})
    def create(self, request: Request, project: str) -> Response:
        with transaction.atomic():
            sample = keep_sample(self.project, self.person, self.validated(NewSampleFrom, request))
            adopted = None
            if sample.operation is not None:
                why = f'recognised when sample "{sample.name}" was kept'
                adopted = adopt_paging(sample.operation, self.person, self.role, why=why, call=call_of_sample(sample))
        sample.adopted = adopted  # type: ignore[attr-defined]
        return Response(SampleMade(sample).data, status=201, headers={"ETag": f'"{sample.version}"'})
