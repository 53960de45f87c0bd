"""Trials: the request as it would be sent, one that is sent, and what becomes of it."""

from typing import Any

from asgiref.sync import sync_to_async
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.errors import InputError
from rondine.core.operations.document import OperationDocument
from rondine.core.operations.keylike import keys_in_operation
from rondine.core.settings import load
from rondine.server.access.project_views import ProjectView, WaitingView
from rondine.server.api.openapi import AnyField, DocumentField
from rondine.server.api.requests import SENDING_MARK, Strict, sending_mark
from rondine.server.api.shapes import ProblemItem
from rondine.server.connecting.process import parts
from rondine.server.items.actions import find_item
from rondine.server.operations.describing import keep_trial
from rondine.server.operations.kinds import OPERATIONS
from rondine.server.operations.requests import prepare, shown_request, sign_in_source, supported_uses, trial_warnings
from rondine.server.operations.serializers import AdoptedPaging, FindingItem
from rondine.server.operations.trials import trial_report, try_operation
from rondine.server.records.filling import filled, told_origins
from rondine.server.records.views import RowChoiceItem
from rondine.server.runs.models import Run
from rondine.server.runs.sendings import send_once
from rondine.server.runs.serializers import CallSerializer


class RecordGiven(Strict):
    """A kept record of the environment."""

    record_type = serializers.CharField(max_length=63)
    key = serializers.ListField(child=serializers.CharField(max_length=1000), min_length=1, max_length=20)


class Asked(Strict):
    """An operation as it stands in the draft, saved or not, and values for its inputs."""

    service = serializers.CharField(required=False, allow_blank=True, default="")
    base_address = serializers.CharField(
        required=False,
        allow_blank=True,
        default="",
        max_length=2000,
        help_text="in place of a service: a one-off, sent there without a connection and without signing in",
    )
    environment = serializers.CharField(required=False, default="test")
    document = DocumentField(OperationDocument, required=False)
    operation = serializers.CharField(
        required=False, help_text="the name of a saved operation; with document: the one the trial belongs to"
    )
    inputs = serializers.DictField(child=AnyField(allow_null=True), required=False, default=dict)
    record = RecordGiven(required=False, help_text="fills the inputs that are not given")
    confirmed = serializers.BooleanField(required=False, default=False)
    in_protected = serializers.BooleanField(
        required=False, default=False, help_text="writing in a protected environment is meant"
    )
    empty_is_meant = serializers.BooleanField(
        required=False, default=False, help_text="writing although no input has a value is meant"
    )


class OriginItem(serializers.Serializer[Any]):
    place = serializers.CharField()
    name = serializers.CharField()
    value = serializers.CharField()
    source = serializers.CharField()  # type: ignore[assignment]
    replaces = serializers.CharField(allow_blank=True)


class RequestShown(serializers.Serializer[Any]):
    text = serializers.CharField()
    url = serializers.CharField()
    method = serializers.CharField()
    origins = OriginItem(many=True)
    problems = ProblemItem(many=True)
    warnings = ProblemItem(many=True)
    findings = FindingItem(many=True)
    sign_in = serializers.CharField(help_text="from connection, own, or none")
    connection = serializers.CharField(allow_blank=True, help_text="its name; empty for a one-off")
    supports = serializers.ListField(child=serializers.CharField(), help_text="what the connection may be used for")


def asked_document(project: Any, data: Any) -> OperationDocument:
    if "document" in data:
        return load(OperationDocument, data["document"], where="/document")
    if "operation" not in data:
        raise InputError(
            "nothing was asked for", where="/operation", hint="give the name of a saved operation, or a document"
        )
    return find_item(OPERATIONS, project, data["operation"]).loaded()


class RequestView(ProjectView):
    """The request as it would be sent; nothing is."""

    permissions = {"POST": "view"}

    @extend_schema(operation_id="showRequest", request=Asked, responses=RequestShown)
    def post(self, request: Request, project: str) -> Response:
        data = self.validated(Asked, request)
        document = asked_document(self.project, data)
        record = data.get("record")
        found = record and filled(self.project, data["environment"], document.inputs, data["inputs"], record)
        ready = prepare(
            self.project,
            document,
            data["service"],
            data["environment"],
            found.values if found else data["inputs"],
            strict=False,
            operation=data.get("operation", ""),
            base_address=data["base_address"],
        )
        shown = {
            "text": shown_request(ready),
            "url": ready.built.request.url,
            "method": ready.built.request.method,
            "origins": told_origins(ready.built, found, record).origins,
            "problems": ready.problems,
            "warnings": trial_warnings(ready),
            "findings": keys_in_operation(document),
            "sign_in": sign_in_source(ready),
            "connection": ready.connection.name if ready.connection is not None else "",
            "supports": supported_uses(ready),
        }
        return Response(RequestShown(shown).data)


class OutcomeShown(serializers.Serializer[Any]):
    is_good = serializers.BooleanField()
    words = serializers.CharField()
    hint = serializers.CharField()
    message = serializers.CharField()
    kind = serializers.ChoiceField(["good", "partial", "nothing_found", "failure"])


class PagingGuessItem(serializers.Serializer[Any]):
    paging = DocumentField(OperationDocument.__annotations__["paging"])
    reason = serializers.CharField()


class TrialShown(serializers.Serializer[Any]):
    run = serializers.IntegerField()
    call = CallSerializer()
    outcome = OutcomeShown(allow_null=True)
    body = serializers.UUIDField(allow_null=True)
    format = serializers.CharField(help_text="json, ndjson, csv or xml; empty if there is nothing to read")
    unreadable = serializers.CharField()
    row_choices = RowChoiceItem(many=True)
    paging = PagingGuessItem(many=True)
    described = serializers.CharField(
        allow_blank=True, help_text="which response of the definition it is: 200, 4XX, default"
    )
    differences = ProblemItem(many=True, help_text="what differs from the definition, by its place in the response")
    notes = serializers.ListField(child=serializers.CharField(), help_text="what to mind when it is read")


class TrialsView(WaitingView):
    """Sends an operation from the draft, once."""

    permissions = {"POST": "try"}

    @extend_schema(operation_id="tryOperation", request=Asked, responses={201: TrialShown}, parameters=[SENDING_MARK])
    async def post(self, request: Request, project: str) -> Response:
        data = await sync_to_async(self.validated)(Asked, request)
        document = await sync_to_async(asked_document)(self.project, data)
        values, record = data["inputs"], data.get("record")
        if record:
            fill = sync_to_async(filled)
            values = (await fill(self.project, data["environment"], document.inputs, values, record)).values

        async def send() -> Run:
            return await try_operation(
                self.project,
                self.person,
                parts()[0],
                document=document,
                service=data["service"],
                environment=data["environment"],
                values=values,
                operation_name=data.get("operation", ""),
                base_address=data["base_address"],
                confirmed=data["confirmed"],
                in_protected=data["in_protected"],
                empty_is_meant=data["empty_is_meant"],
            )

        run = await send_once(self.project, self.person, sending_mark(request), data, send)
        return Response(await sync_to_async(self.report)(run), status=201)

    @staticmethod
    def report(run: Run) -> Any:
        return TrialShown(trial_report(run)).data


class KeepTrialGiven(Strict):
    run = serializers.IntegerField(required=False, help_text="a one-off trial; what follows stands in place of its own")
    base_address = serializers.CharField(required=False, max_length=2000)
    document = DocumentField(OperationDocument, required=False)
    environment = serializers.CharField(required=False, default="test")
    service = serializers.CharField(max_length=63, help_text="made if there is none of this name")
    service_title = serializers.CharField(required=False, allow_blank=True, max_length=200, default="")
    operation = serializers.CharField(required=False, max_length=63, help_text="left out, a name is proposed")
    title = serializers.CharField(required=False, allow_blank=True, max_length=200)
    paging = serializers.ChoiceField(
        ["follow", "decline"],
        required=False,
        default="follow",
        help_text="whether the operation follows the paging that the response shows, or asks for one response only",
    )


class TrialKept(serializers.Serializer[Any]):
    service = serializers.CharField()
    connection = serializers.CharField()
    operation = serializers.CharField()
    adopted = AdoptedPaging(allow_null=True)


class KeepTrialView(ProjectView):
    """Makes service, connection and operation of a one-off, all or nothing."""

    permissions = {"POST": "build"}

    @extend_schema(operation_id="keepTrial", request=KeepTrialGiven, responses={201: TrialKept})
    def post(self, request: Request, project: str) -> Response:
        data = self.validated(KeepTrialGiven, request)
        made = keep_trial(self.project, self.person, self.role, data)
        return Response(TrialKept(made).data, status=201)
