"""Environments, secrets, addresses, requests, trials, and stored bodies."""

from collections.abc import Sequence
from typing import Any, get_args

from asgiref.sync import sync_to_async
from django.db import transaction
from django_filters import CharFilter
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.definitions.pasted import read_body, read_pasted
from rondine.core.errors import InputError
from rondine.core.forms import form_of
from rondine.core.operations.document import OperationDocument
from rondine.core.operations.keylike import keys_in_operation
from rondine.core.pagination import Paging
from rondine.core.protocols.address import parse_address
from rondine.core.protocols.body_choice import with_body_as
from rondine.core.settings import load
from rondine.server.access.project_views import ProjectView, WaitingView
from rondine.server.api.forms import FormShown
from rondine.server.api.openapi import AnyField, DocumentField
from rondine.server.api.requests import SENDING_MARK, Strict, sending_mark
from rondine.server.api.shapes import ProblemItem
from rondine.server.connecting.kinds import SERVICES
from rondine.server.connecting.process import parts
from rondine.server.items.actions import find_item
from rondine.server.items.references import users_of
from rondine.server.items.views import ItemFilter, ItemViewSet, MakesItems
from rondine.server.operations.adopting import adopt_paging, call_of_sample
from rondine.server.operations.describing import keep_trial, pattern, placed_in
from rondine.server.operations.extracting import extract_secret
from rondine.server.operations.kinds import OPERATIONS, QUERIES, SAMPLES
from rondine.server.operations.preparation import connect_prepared, preparation_of
from rondine.server.operations.requests import prepare, shown_request, sign_in_source, supported_uses, trial_warnings
from rondine.server.operations.samples import keep_sample
from rondine.server.operations.serializers import OperationSerializer, PreparedQuerySerializer, SampleSerializer
from rondine.server.operations.trials import trial_report, try_operation
from rondine.server.records.filling import filled, told_origins
from rondine.server.records.views import RowChoiceItem
from rondine.server.runs.models import Run
from rondine.server.runs.sendings import send_once
from rondine.server.runs.serializers import CallSerializer


class OperationFilter(ItemFilter):
    service = CharFilter("service__name", help_text="those of this service, by its name")


class OperationViewSet(MakesItems, ItemViewSet):
    kind = OPERATIONS
    serializer_class = OperationSerializer
    filterset_class = OperationFilter


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


class AdoptedPaging(serializers.Serializer[Any]):
    """Paging that a response shows and that its operation follows from now on; change it there, or decline it."""

    operation = serializers.CharField()
    paging = DocumentField(OperationDocument.__annotations__["paging"])
    reason = serializers.CharField(help_text="what it was recognised by")


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
            made = keep_sample(self.project, self.person, self.validated(NewSampleFrom, request))
            adopted = None
            if made.operation is not None:
                why = f'recognised when sample "{made.name}" was kept'
                adopted = adopt_paging(made.operation, self.person, self.role, why=why, call=call_of_sample(made))
        made.adopted = adopted  # type: ignore[attr-defined]
        return Response(SampleMade(made).data, status=201, headers={"ETag": f'"{made.version}"'})


BELOW = "whose connection it is to be sent by: the operation's path then begins below its base address"


class Address(Strict):
    address = serializers.CharField(max_length=10_000)
    method = serializers.ChoiceField(["GET", "HEAD", "POST", "PUT", "PATCH", "DELETE"], required=False, default="GET")
    service = serializers.CharField(required=False, allow_blank=True, default="", help_text=BELOW)
    environment = serializers.CharField(required=False, default="test")


class FindingItem(serializers.Serializer[Any]):
    """A fixed value that looks like a key."""

    place = serializers.CharField()
    kind = serializers.CharField()
    name = serializers.CharField()
    reason = serializers.CharField()


DIFFERENCE = "where it would be sent in place of the pasted address, in words; empty if it is sent there"


class AddressParts(serializers.Serializer[Any]):
    base_address = serializers.CharField()
    name = serializers.CharField()
    title = serializers.CharField()
    operation = DocumentField(OperationDocument)
    findings = FindingItem(many=True)
    joined = serializers.CharField()
    difference = serializers.CharField(help_text=DIFFERENCE)


class AddressView(ProjectView):
    """A pasted address taken apart."""

    permissions = {"POST": "view"}

    @extend_schema(operation_id="takeApart", request=Address, responses=AddressParts)
    def post(self, request: Request, project: str) -> Response:
        data = self.validated(Address, request)
        found = parse_address(data["address"], data["method"])
        placed = placed_in(self.project, found.operation, found.base_address, data["service"], data["environment"])
        parts = {
            "base_address": found.base_address,
            "name": self.project.naming_rule().name("operation", found.title) if found.title else "",
            "title": found.title,
            "operation": placed.operation,
            "findings": keys_in_operation(found.operation),
            "joined": found.joined,
            "difference": placed.difference,
        }
        return Response(AddressParts(parts).data)


class Paste(Strict):
    text = serializers.CharField(max_length=200_000, trim_whitespace=False)
    part = serializers.ChoiceField(
        ["request", "body"], required=False, default="request", help_text="body: the text is a sample of a body alone"
    )
    media_type = serializers.CharField(
        required=False, allow_blank=True, default="", max_length=200, help_text="of a body; left out, told by the text"
    )
    service = serializers.CharField(required=False, allow_blank=True, default="", help_text=BELOW)
    environment = serializers.CharField(required=False, default="test")


class PasteParts(serializers.Serializer[Any]):
    kind = serializers.ChoiceField(["address", "request", "parameters", "body"])
    base_address = serializers.CharField(allow_blank=True)
    name = serializers.CharField(allow_blank=True)
    title = serializers.CharField(allow_blank=True)
    operation = DocumentField(OperationDocument)
    findings = FindingItem(many=True)
    difference = serializers.CharField(help_text=DIFFERENCE)


class PasteView(ProjectView):
    """A pasted address, request as HTTP text, list of parameters, or sample of a body, made into an operation with its
    inputs."""

    permissions = {"POST": "view"}

    @extend_schema(operation_id="readPasted", request=Paste, responses=PasteParts)
    def post(self, request: Request, project: str) -> Response:
        data = self.validated(Paste, request)
        is_body = data["part"] == "body"
        found = read_body(data["text"], data["media_type"]) if is_body else read_pasted(data["text"])
        service = data["service"] if found.kind in ("address", "request") else ""
        placed = placed_in(self.project, found.operation, found.base_address, service, data["environment"])
        parts = {
            "kind": found.kind,
            "base_address": found.base_address,
            "name": self.project.naming_rule().name("operation", found.title) if found.title else "",
            "title": found.title,
            "operation": placed.operation,
            "findings": keys_in_operation(found.operation),
            "difference": placed.difference,
        }
        return Response(PasteParts(parts).data)


class PatternGiven(Strict):
    path = serializers.CharField(max_length=2000)
    record_type = serializers.CharField(required=False, allow_blank=True, default="")
    key = serializers.RegexField(r"^[A-Za-z][A-Za-z0-9_]{0,62}$", required=False, default="id")


class PatternItem(serializers.Serializer[Any]):
    name = serializers.CharField()
    title = serializers.CharField()
    document = DocumentField(OperationDocument)


class PatternView(ProjectView):
    """The usual operations of a resource (list, find, create, replace, change, remove), proposed from its path; nothing
    is made."""

    permissions = {"POST": "view"}

    @extend_schema(operation_id="proposeUsual", request=PatternGiven, responses=PatternItem(many=True))
    def post(self, request: Request, project: str) -> Response:
        data = self.validated(PatternGiven, request)
        found = pattern(self.project, data["path"], data["record_type"], data["key"])
        return Response(PatternItem(found, many=True).data)


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


class BodyChoiceGiven(Strict):
    """An operation's document, and which of its bodies is to be sent."""

    document = DocumentField(OperationDocument)
    media_type = serializers.CharField(max_length=200)


class BodyChoiceShown(serializers.Serializer[Any]):
    document = DocumentField(OperationDocument)


class OperationForms(serializers.Serializer[Any]):
    paging = FormShown(many=True, help_text="a form for each pagination strategy")


class OperationFormsView(ProjectView):
    """The forms of what an operation is set to, drawn from the settings' own classes."""

    @extend_schema(operation_id="getOperationForms", responses=OperationForms)
    def get(self, request: Request, project: str) -> Response:
        return Response(OperationForms({"paging": [form_of(kind) for kind in get_args(Paging)]}).data)


class BodyChoiceView(ProjectView):
    """The operation with another of the bodies that its service takes, with that one's inputs. Nothing is stored."""

    permissions = {"POST": "view"}

    @extend_schema(operation_id="chooseBody", request=BodyChoiceGiven, responses=BodyChoiceShown)
    def post(self, request: Request, project: str) -> Response:
        data = self.validated(BodyChoiceGiven, request)
        document = load(OperationDocument, data["document"], where="/document")
        return Response(BodyChoiceShown({"document": with_body_as(document, data["media_type"])}).data)


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
    format = serializers.CharField(help_text="json, ndjson or xml; empty if there is nothing to read")
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


class Move(Strict):
    """A fixed value that looks like a key, to be moved into the credential of the service's connection."""

    service = serializers.CharField()
    environment = serializers.CharField(required=False, default="test")
    place = serializers.CharField(max_length=200, help_text="JSON Pointer of the value, such as /query/0")
    operation = serializers.CharField(required=False, help_text="the name of a saved operation that holds it")
    document = DocumentField(OperationDocument, required=False)


class Moved(serializers.Serializer[Any]):
    document = AnyField()
    connection = serializers.CharField()
    credential = serializers.CharField()
    name = serializers.CharField()


class MovesView(ProjectView):
    permissions = {"POST": "write_secret"}

    @extend_schema(operation_id="moveKey", request=Move, responses={201: Moved})
    def post(self, request: Request, project: str) -> Response:
        moved = extract_secret(self.project, self.person, self.role, self.validated(Move, request))
        return Response(Moved(moved).data, status=201)


class FactItem(serializers.Serializer[Any]):
    name = serializers.CharField()
    title = serializers.CharField()
    value = serializers.CharField(allow_blank=True)
    source = serializers.CharField(allow_blank=True)  # type: ignore[assignment]
    hint = serializers.CharField(allow_blank=True)


class ConnectPrepared(Strict):
    environment = serializers.CharField(required=False, default="test")


class Connected(serializers.Serializer[Any]):
    connection = serializers.CharField()
    credential = serializers.CharField(allow_null=True)
    operation = serializers.CharField(allow_null=True)


class PreparationView(ProjectView):
    """What is known of a service and what is not; and its connection and first operation, made from it."""

    permissions = {"GET": "view", "POST": "build"}

    @extend_schema(operation_id="getPreparation", responses=FactItem(many=True))
    def get(self, request: Request, project: str, name: str) -> Response:
        facts = preparation_of(find_item(SERVICES, self.project, name))
        return Response(FactItem(facts, many=True).data)

    @extend_schema(operation_id="connectPrepared", request=ConnectPrepared, responses={201: Connected})
    def post(self, request: Request, project: str, name: str) -> Response:
        data = self.validated(ConnectPrepared, request)
        made = connect_prepared(self.project, self.person, self.role, name, data)
        return Response(Connected(made).data, status=201)
