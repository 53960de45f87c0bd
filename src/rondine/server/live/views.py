"""Records of every kind at one address: kept ones from the database, live ones from their service; and bindings."""

from collections.abc import Mapping
from typing import Any, ClassVar

from asgiref.sync import sync_to_async
from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.errors import Conflict, InputError
from rondine.core.live.asking import read_question
from rondine.core.live.document import ROLES, BindingDocument, Role
from rondine.core.live.writing import typed_values
from rondine.engine.client import OpenConnection
from rondine.server.access.project_views import ProjectView, WaitingView
from rondine.server.api.openapi import AnyField, DocumentField
from rondine.server.api.requests import Strict, checked_limit
from rondine.server.api.shapes import ProblemItem
from rondine.server.connecting.models import Environment
from rondine.server.connecting.opening import environment_of, guard_of
from rondine.server.connecting.process import parts
from rondine.server.connecting.user_sessions import signed_in
from rondine.server.items.actions import find_item
from rondine.server.items.serializers import ItemSerializer
from rondine.server.items.views import ItemViewSet, MakesItems
from rondine.server.live.asking import Written, live_records, max_age_of
from rondine.server.live.copies import kept_copy
from rondine.server.live.kinds import BINDINGS
from rondine.server.live.pictures import PICTURE_KINDS, check_field, picture_at, source_of
from rondine.server.live.proposals import mappings_for, proposal_for
from rondine.server.live.ready import ReadyBinding, made_ready
from rondine.server.live.showing import shown_found, shown_live_page, shown_written
from rondine.server.live.traces import Asker
from rondine.server.live.using import record_type_in, uses_of
from rondine.server.records import views as records
from rondine.server.records.actions import record_set
from rondine.server.records.browsing import find_record
from rondine.server.records.kinds import RECORD_TYPES
from rondine.server.records.models import RecordType
from rondine.server.threads import release_database

#: Seconds for which a picture, and the live record that it is of, may be used again.
PICTURE_AGE = 60


class BindingSerializer(ItemSerializer):
    document = DocumentField(BindingDocument)


class BindingViewSet(MakesItems, ItemViewSet):
    kind = BINDINGS
    serializer_class = BindingSerializer


class BindingAsked(Strict):
    record_type = serializers.CharField(max_length=63)
    mapping = serializers.CharField(
        required=False, allow_blank=True, default="", help_text="that fills it; left out, the only one there is"
    )
    operations = serializers.DictField(
        child=serializers.CharField(max_length=63),
        required=False,
        default=dict,
        help_text="chosen for roles, by role; for the others the likeliest are proposed",
    )


class RoleCandidates(serializers.Serializer[Any]):
    role = serializers.ChoiceField(ROLES)
    operations = serializers.ListField(child=serializers.CharField(), help_text="the likeliest first")


class BindingProposal(serializers.Serializer[Any]):
    document = DocumentField(BindingDocument)
    candidates = RoleCandidates(many=True)
    problems = ProblemItem(many=True, help_text="what nothing was found for")
    mappings = serializers.ListField(child=serializers.CharField(), help_text="that fill the record type")


class BindingProposalView(ProjectView):
    """Which operations could play which role for a record type. Keeps nothing."""

    permissions = {"POST": "build"}

    @extend_schema(operation_id="proposeBinding", request=BindingAsked, responses=BindingProposal)
    def post(self, request: Request, project: str) -> Response:
        data = self.validated(BindingAsked, request)
        chosen: dict[Role, str] = {}
        for role, name in data["operations"].items():
            if role not in ROLES:
                raise InputError(f'"{role}" is no role', where=f"/operations/{role}", hint=f"known: {', '.join(ROLES)}")
            chosen[role] = name
        proposed = proposal_for(self.project, data["record_type"], data["mapping"], chosen)
        shown = {
            "document": proposed.binding,
            "candidates": [{"role": role, "operations": names} for role, names in proposed.candidates.items()],
            "problems": proposed.problems,
            "mappings": mappings_for(self.project, data["record_type"]),
        }
        return Response(BindingProposal(shown).data)


class FieldUse(serializers.Serializer[Any]):
    compare = serializers.ListField(child=serializers.CharField(), help_text="ways to filter by it")
    is_sorted = serializers.BooleanField(help_text="records can be put in its order")
    is_created = serializers.BooleanField(help_text="a new record can be given it")
    is_changed = serializers.BooleanField(help_text="it can be changed")


FieldUse._declared_fields["field"] = serializers.CharField()


class RoleUse(serializers.Serializer[Any]):
    role = serializers.ChoiceField(ROLES)
    operation = serializers.CharField()
    problem = serializers.CharField(allow_blank=True, help_text="why it cannot be used now")


class RecordUses(serializers.Serializer[Any]):
    """What can be done with the records of a type in an environment."""

    kind = serializers.ChoiceField(["kept", "live", "passing"])
    binding = serializers.CharField(allow_blank=True)
    problem = serializers.CharField(allow_blank=True, help_text="why they cannot be had at all")
    roles = RoleUse(many=True)
    max_age = serializers.IntegerField(help_text="seconds that an answer may be old at most, for who permits it")
    most_local = serializers.IntegerField(help_text="rows that are gone through at most for what the service cannot do")


RecordUses._declared_fields["fields"] = FieldUse(many=True)


class RecordUsesView(ProjectView):
    """What can be done with the records of a type: ways to filter and order them, and to change them."""

    @extend_schema(operation_id="getRecordUses", responses=RecordUses)
    def get(self, request: Request, project: str, environment: str, name: str) -> Response:
        where = environment_of(self.project, environment)
        item = record_type_in(where, find_item(RECORD_TYPES, self.project, name))
        return Response(RecordUses(uses_of(where, item)).data)


class RecordValues(Strict):
    data = serializers.DictField(child=AnyField(allow_null=True), help_text="values by field")  # type: ignore[assignment]
    in_protected = serializers.BooleanField(
        required=False, default=False, help_text="writing in a protected environment is meant"
    )


class RecordWritten(serializers.Serializer[Any]):
    """What became of a change at the service."""

    key = serializers.ListField(
        child=AnyField(), allow_null=True, help_text="null if the service did not say which it is"
    )
    version = serializers.CharField(allow_null=True)
    confirmed = serializers.ChoiceField(
        ["read back", "answered", "accepted"],
        help_text="by what it is known: it was read again, the service's answer has it, or it only said that it worked",
    )
    differences = ProblemItem(many=True, help_text="what is read back as something else than was sent")
    calls = serializers.IntegerField()
    run = serializers.IntegerField(allow_null=True)
    note = serializers.CharField(allow_blank=True, help_text="of a record with a kept copy, what becomes of that")


RecordWritten._declared_fields["data"] = serializers.DictField(child=AnyField(allow_null=True), allow_null=True)

AGE = OpenApiParameter(
    "Cache-Control",
    str,
    OpenApiParameter.HEADER,
    description="max-age=SECONDS: how old live records may be, as far as their binding permits; left out, none",
)
LOCAL = OpenApiParameter(
    "local",
    bool,
    description="of live records: what the service cannot filter or order is done here, over all of its rows",
)
MATCH = OpenApiParameter(
    "If-Match",
    str,
    OpenApiParameter.HEADER,
    required=True,
    description="the version that the record was read with, or * for whatever it is now",
)


class _Live(WaitingView):
    """What both addresses of records share."""

    permissions: ClassVar[dict[str, str]] = {
        "GET": "view",
        "POST": "build",
        "PATCH": "build",
        "PUT": "build",
        "DELETE": "build",
    }

    def record_type(self, environment: str, name: str) -> tuple[Environment, RecordType, ReadyBinding | None]:
        """The binding is None for a type that is kept. Raises InputError for one that is passing."""
        where = environment_of(self.project, environment)
        item = record_type_in(where, find_item(RECORD_TYPES, self.project, name))
        kind = item.loaded().kind
        if kind == "passing":
            raise InputError(
                f'record type "{name}" is passing: its records are there while their run or call is, and not after it',
                where=f"record type {name}",
                hint="let it be kept or live to read them here",
            )
        ready = made_ready(where, item) if kind == "live" or self.request.method != "GET" else None
        return where, item, ready

    def asker(self) -> Asker:
        return Asker({"by": self.person})

    async def ready_to_write(self, environment: str, name: str, *, in_protected: bool) -> ReadyBinding:
        where, _, ready = await sync_to_async(self.record_type)(environment, name)
        assert ready is not None
        if where.is_protected and not in_protected:
            raise Conflict(
                f'environment "{environment}" is protected, and this changes something at the service',
                where="in_protected",
                hint="if it is meant, say so: in_protected: true (rondine record change --in-protected)",
            )
        await release_database()
        return ready

    def written(self, ready: ReadyBinding, written: Written, status: int = 200, note: str = "") -> Response:
        shown = RecordWritten({**shown_written(written, ready.record_type), "note": note}).data
        response = Response(shown, status=status)
        if written.record is not None and written.record.version:
            response["ETag"] = written.record.version
        return response


class RecordsView(_Live, records.RecordsView):
    """Records, a page at a time. Filters: `field=`, `field.from=`, `field.to=`, `field.begins=`; order: `sort=field` or
    `sort=-field`. Kept ones that are gone are left out, unless they are asked for. What the service of live ones cannot
    filter or order is refused, or done here (`local`)."""

    reserved: ClassVar[frozenset[str]] = frozenset({"cursor", "limit", "gone", "local"})

    @extend_schema(
        operation_id="listRecords",
        responses=records.RecordPageShown,
        parameters=[
            *(OpenApiParameter(name, kind) for name, kind in records.PAGED),
            records.GONE,
            LOCAL,
            AGE,
        ],
    )
    async def get(self, request: Request, project: str, environment: str, name: str) -> Response:  # type: ignore[override]
        _, _, ready = await sync_to_async(self.record_type)(environment, name)
        if ready is None:
            if "local" in request.query_params:
                hint = "leave it out: kept records are all here"
                raise InputError("local is for live records", where="?local", hint=hint)
            return await sync_to_async(records.RecordsView.get)(self, request, project, environment, name)
        if "gone" in request.query_params:
            raise InputError("live records are never gone", where="?gone", hint="leave it out")
        question = read_question(ready.record_type, records.filters_of(request, self.reserved))
        await release_database()
        aged = await live_records().page(
            ready,
            question,
            self.asker(),
            limit=checked_limit(request.query_params.get("limit")),
            after=request.query_params.get("cursor") or "",
            max_age=max_age_of(request.META.get("HTTP_CACHE_CONTROL")),
            is_local=_truth(request.query_params, "local"),
        )
        return Response(shown_live_page(aged, ready.record_type))

    @extend_schema(operation_id="createRecord", request=RecordValues, responses={201: RecordWritten})
    async def post(self, request: Request, project: str, environment: str, name: str) -> Response:
        """Makes a record at the service."""
        data = await sync_to_async(self.validated)(RecordValues, request)
        ready = await self.ready_to_write(environment, name, in_protected=data["in_protected"])
        values = typed_values(ready.record_type, data["data"])
        return self.written(ready, await live_records().create(ready, values, self.asker()), 201)


class RemovalQuery(Strict):
    in_protected = serializers.BooleanField(
        required=False, default=False, help_text="writing in a protected environment is meant"
    )


class RecordView(_Live, records.RecordView):
    """One record: a kept one with where each of its values came from, a live one as its service has it now."""

    query = {"DELETE": RemovalQuery}

    @extend_schema(operation_id="getRecord", responses=records.RecordShown, parameters=[AGE])
    async def get(  # type: ignore[override]
        self, request: Request, project: str, environment: str, name: str, key: str
    ) -> Response:
        _, _, ready = await sync_to_async(self.record_type)(environment, name)
        if ready is None:
            return await sync_to_async(records.RecordView.get)(self, request, project, environment, name, key)
        await release_database()
        max_age = max_age_of(request.META.get("HTTP_CACHE_CONTROL"))
        aged = await live_records().find(ready, key_parts(ready, key), self.asker(), max_age=max_age)
        response = Response(shown_found(aged, ready.record_type))
        response["ETag"] = aged.value.record.version
        return response

    @extend_schema(operation_id="changeRecord", request=RecordValues, responses=RecordWritten, parameters=[MATCH])
    async def patch(self, request: Request, project: str, environment: str, name: str, key: str) -> Response:
        """Changes the fields that are given, at the service."""
        return await self._write(request, "change", environment, name, key)

    @extend_schema(operation_id="replaceRecord", request=RecordValues, responses=RecordWritten, parameters=[MATCH])
    async def put(self, request: Request, project: str, environment: str, name: str, key: str) -> Response:
        """Writes the record whole, at the service."""
        return await self._write(request, "replace", environment, name, key)

    @extend_schema(operation_id="removeRecord", responses={200: RecordWritten}, parameters=[MATCH])
    async def delete(self, request: Request, project: str, environment: str, name: str, key: str) -> Response:
        """Removes it, at the service."""
        in_protected = (await sync_to_async(self.queried)(request))["in_protected"]
        ready = await self.ready_to_write(environment, name, in_protected=in_protected)
        return await self._changed(request, ready, "remove", key, {})

    async def _write(self, request: Request, role: Role, environment: str, name: str, key: str) -> Response:
        data = await sync_to_async(self.validated)(RecordValues, request)
        ready = await self.ready_to_write(environment, name, in_protected=data["in_protected"])
        return await self._changed(request, ready, role, key, typed_values(ready.record_type, data["data"]))

    async def _changed(
        self, request: Request, ready: ReadyBinding, role: Role, key: str, values: Mapping[str, Any]
    ) -> Response:
        version, parts = request.META.get("HTTP_IF_MATCH", "").strip(), key_parts(ready, key)
        if ready.record_type.kind == "live":
            done = await live_records().change(ready, role, parts, values, version, self.asker())
            return self.written(ready, done)
        item = await sync_to_async(find_item)(RECORD_TYPES, self.project, ready.record_type_name)
        copy = await sync_to_async(kept_copy)(
            ready.environment, item, ready.record_type, parts, is_overwriting=version == "*"
        )
        await release_database()
        done = await live_records().write_back(ready, role, parts, values, copy, self.asker())
        return self.written(ready, done, note=copy.words)


class PictureQuery(Strict):
    field = serializers.CharField(max_length=63)


class PictureView(_Live):
    """The picture whose address a field of a record holds."""

    query = {"GET": PictureQuery}

    @extend_schema(
        operation_id="getPicture", responses={(200, kind): OpenApiTypes.BINARY for kind in sorted(PICTURE_KINDS)}
    )
    async def get(self, request: Request, project: str, environment: str, name: str, key: str) -> HttpResponse:
        where, item, ready = await sync_to_async(self.record_type)(environment, name)
        field = request.query_params["field"]
        draft = await sync_to_async(find_item)(RECORD_TYPES, self.project, name)
        check_field([ready.record_type if ready is not None else item.loaded(), draft.loaded()], field)
        if ready is not None:
            await release_database()
            aged = await live_records().find(ready, key_parts(ready, key), self.asker(), max_age=PICTURE_AGE)
            value, opened = aged.value.record.data.get(field), ready.role("find").operation.connection
            base = opened.base_address
        else:
            value, opened, base = await sync_to_async(self._kept)(where, item, key, field)
        signed_in(opened, None)  # nobody here is a user of an application
        guard = await sync_to_async(guard_of)(where.project_id)
        await release_database()
        picture = await picture_at(value, opened, base, guard, parts()[0])
        response = HttpResponse(picture.content, content_type=picture.media_type)
        response["Content-Security-Policy"] = "sandbox; default-src 'none'; style-src 'unsafe-inline'"
        response["Cache-Control"] = f"private, max-age={PICTURE_AGE}"
        return response

    def _kept(self, where: Environment, item: RecordType, key: str, field: str) -> tuple[Any, OpenConnection, str]:
        document = item.loaded()
        record = find_record(record_set(where, item), document, key.split("/") if len(document.key) > 1 else [key])
        return record.data.get(field), *source_of(where, record)


def key_parts(ready: ReadyBinding, key: str) -> list[str]:
    return key.split("/") if len(ready.record_type.key) > 1 else [key]


def _truth(parameters: Any, name: str) -> bool:
    text = parameters.get(name, "false")
    if text not in ("true", "false"):
        raise InputError(f'"{text[:20]}" is neither true nor false', where=f"?{name}", hint=f"{name}=true")
    return bool(text == "true")
