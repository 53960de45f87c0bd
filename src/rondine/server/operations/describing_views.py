"""Describing an operation: from what is pasted, from usual patterns, with another body."""

from typing import Any, get_args

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.definitions.pasted import read_body, read_pasted
from rondine.core.forms import form_of
from rondine.core.operations.document import OperationDocument
from rondine.core.operations.keylike import keys_in_operation
from rondine.core.operations.later import LaterAnswer
from rondine.core.pagination import Paging
from rondine.core.protocols.address import parse_address
from rondine.core.protocols.body_choice import with_body_as
from rondine.core.settings import load
from rondine.server.access.project_views import ProjectView
from rondine.server.api.forms import FormShown
from rondine.server.api.openapi import DocumentField
from rondine.server.api.requests import Strict
from rondine.server.operations.describing import pattern, placed_in
from rondine.server.operations.serializers import FindingItem

BELOW = "whose connection it is to be sent by: the operation's path then begins below its base address"
DIFFERENCE = "where it would be sent in place of the pasted address, in words; empty if it is sent there"


class Address(Strict):
    address = serializers.CharField(max_length=10_000)
    method = serializers.ChoiceField(["GET", "HEAD", "POST", "PUT", "PATCH", "DELETE"], required=False, default="GET")
    service = serializers.CharField(required=False, allow_blank=True, default="", help_text=BELOW)
    environment = serializers.CharField(required=False, default="test")


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
        pasted = read_body(data["text"], data["media_type"]) if is_body else read_pasted(data["text"])
        service = data["service"] if pasted.kind in ("address", "request") else ""
        placed = placed_in(self.project, pasted.operation, pasted.base_address, service, data["environment"])
        parts = {
            "kind": pasted.kind,
            "base_address": pasted.base_address,
            "name": self.project.naming_rule().name("operation", pasted.title) if pasted.title else "",
            "title": pasted.title,
            "operation": placed.operation,
            "findings": keys_in_operation(pasted.operation),
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
        described_operations = pattern(self.project, data["path"], data["record_type"], data["key"])
        return Response(PatternItem(described_operations, many=True).data)


class BodyChoiceGiven(Strict):
    """An operation's document, and which of its bodies is to be sent."""

    document = DocumentField(OperationDocument)
    media_type = serializers.CharField(max_length=200)


class BodyChoiceShown(serializers.Serializer[Any]):
    document = DocumentField(OperationDocument)


class OperationForms(serializers.Serializer[Any]):
    paging = FormShown(many=True, help_text="a form for each pagination strategy")
    later = FormShown(help_text="the form of an answer that comes later")


class OperationFormsView(ProjectView):
    """The forms of what an operation is set to, drawn from the settings' own classes."""

    @extend_schema(operation_id="getOperationForms", responses=OperationForms)
    def get(self, request: Request, project: str) -> Response:
        forms = {"paging": [form_of(kind) for kind in get_args(Paging)], "later": form_of(LaterAnswer)}
        return Response(OperationForms(forms).data)


class BodyChoiceView(ProjectView):
    """The operation with another of the bodies that its service takes, with that one's inputs. Nothing is stored."""

    permissions = {"POST": "view"}

    @extend_schema(operation_id="chooseBody", request=BodyChoiceGiven, responses=BodyChoiceShown)
    def post(self, request: Request, project: str) -> Response:
        data = self.validated(BodyChoiceGiven, request)
        document = load(OperationDocument, data["document"], where="/document")
        return Response(BodyChoiceShown({"document": with_body_as(document, data["media_type"])}).data)
