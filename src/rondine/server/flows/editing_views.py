"""Help with a flow that is being written: what a step can be given, and what it leaves open filled in one go. Nothing
is kept: the flow is given, and given back."""

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.errors import NotFound
from rondine.core.flow.document import FlowDocument, FlowSource, steps_in
from rondine.core.flow.filling import with_inputs, with_kept, with_reply
from rondine.core.flow.offering import offers_at
from rondine.core.settings import dump, load
from rondine.server.access.project_views import ProjectView
from rondine.server.api.openapi import AnyField, DocumentField
from rondine.server.api.requests import Strict
from rondine.server.flows.kinds import known_in

KINDS = ("input", "result", "kept", "item", "position", "failure", "undone", "standing", "caller")


class FlowPlace(Strict):
    document = DocumentField(FlowDocument)
    at = serializers.CharField(help_text="a step by its name, or by its place as a JSON Pointer (RFC 6901)")


def _read(data: Mapping[str, Any]) -> tuple[FlowDocument, str]:
    """The flow, and the step's place. Raises NotFound."""
    document, at = load(FlowDocument, data["document"]), data["at"]
    if at.startswith("/"):
        return document, at
    places = {step.name: place for place, step in steps_in(document.steps, "/steps")}
    if at not in places:
        raise NotFound(f'the flow has no step "{at}"', where="at", hint=f"one of {', '.join(places) or 'none'}")
    return document, places[at]


class OfferItem(serializers.Serializer[Any]):
    source = DocumentField(FlowSource)  # type: ignore[assignment]
    of = serializers.ChoiceField(KINDS, help_text="where it comes from")
    name = serializers.CharField(
        help_text="of the input, earlier step, kept or standing value, or of the branch that is undone"
    )
    type = serializers.CharField(help_text="of inputs, or list or object; blank if it is not known")
    title = serializers.CharField()
    is_certain = serializers.BooleanField(
        help_text="not of a step that may have failed, or not been done, nor of a list that may be empty"
    )


class OpeningItem(serializers.Serializer[Any]):
    at = serializers.CharField(help_text="where its source stands in the flow, as a JSON Pointer")
    name = serializers.CharField()
    type = serializers.CharField()
    required = serializers.BooleanField()  # type: ignore[assignment]
    title = serializers.CharField()
    part = serializers.CharField(help_text="the branch, of several that are asked at once")
    undoes = serializers.BooleanField(help_text="whether what takes it back is given it")
    held = DocumentField(FlowSource, allow_null=True, help_text="where it comes from; null if it is open")
    offers = serializers.ListField(
        child=serializers.IntegerField(), help_text="the values that fit, by their number in `offers`"
    )


class FlowResultItem(serializers.Serializer[Any]):
    at = AnyField(help_text="its path in what comes of the step")
    name = serializers.CharField()
    type = serializers.CharField()
    title = serializers.CharField()
    records = serializers.CharField(help_text="of a list of records, their type")


class FlowOffersItem(serializers.Serializer[Any]):
    place = serializers.CharField(help_text="of the step, as a JSON Pointer")
    openings = OpeningItem(many=True, help_text="what the step is given")
    offers = OfferItem(many=True, help_text="the values that are there before it")
    results = FlowResultItem(many=True, help_text="what comes of it")


class FlowOffersView(ProjectView):
    """What a step of a flow can be given: only values that are there by then, and for each of its inputs those that
    fit without a conversion."""

    permissions = {"POST": "view"}

    @extend_schema(operation_id="listFlowOffers", request=FlowPlace, responses=FlowOffersItem)
    def post(self, request: Request, project: str) -> Response:
        document, place = _read(self.validated(FlowPlace, request))
        found = offers_at(document, known_in(self.project.pk), place)
        return Response(FlowOffersItem({"place": place, **_plain(found)}).data)


def _plain(found: Any) -> dict[str, Any]:
    openings = [{**asdict(one), "held": None if one.held is None else dump(one.held)} for one in found.openings]
    offers = [{**asdict(one), "source": dump(one.source)} for one in found.offers]
    return {"openings": openings, "offers": offers, "results": found.results}


MAKES = {"inputs": with_inputs, "kept": with_kept, "reply": with_reply}


class FlowToFill(FlowPlace):
    make = serializers.ChoiceField(
        [*MAKES],
        help_text=(
            "inputs of the flow for what the step leaves open; values of what comes of it kept for later steps; or"
            " members of the flow's reply"
        ),
    )
    names = serializers.ListField(
        child=AnyField(),
        required=False,
        default=list,
        help_text="which: names of the step's inputs (by default the required ones), or paths of its results",
    )


class FilledFlow(serializers.Serializer[Any]):
    document = DocumentField(FlowDocument)


class FlowFillingView(ProjectView):
    """Matching typed inputs, kept values or members of the reply, made of what a step leaves open or comes to."""

    permissions = {"POST": "view"}

    @extend_schema(operation_id="fillFlow", request=FlowToFill, responses=FilledFlow)
    def post(self, request: Request, project: str) -> Response:
        data = self.validated(FlowToFill, request)
        document, place = _read(data)
        made = MAKES[data["make"]](document, known_in(self.project.pk), place, data["names"])
        return Response(FilledFlow({"document": dump(made)}).data)
