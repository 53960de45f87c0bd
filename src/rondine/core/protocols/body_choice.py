"""Which of several bodies an operation sends: services may take JSON, a form or XML for the same thing, each with
inputs of its own."""

from collections.abc import Sequence

from msgspec import structs

from rondine.core.errors import InputError, did_you_mean
from rondine.core.operations.document import (
    Body,
    FormBody,
    GraphQLBody,
    MultipartBody,
    OperationDocument,
    OtherBody,
    SoapBody,
    body_values,
    inputs_in,
    path_variables,
    values_of,
)
from rondine.core.operations.inputs import Input
from rondine.core.protocols.soap import media_type


def media_type_of(body: Body | None) -> str:
    """The media type that a body is sent as, empty for none."""
    match body:
        case None:
            return ""
        case FormBody():
            return "application/x-www-form-urlencoded"
        case MultipartBody():
            return "multipart/form-data"
        case GraphQLBody():
            return "application/json"
        case SoapBody():
            return media_type(body.version, body.action)
    return body.media_type


def with_body_as(operation: OperationDocument, wanted: str) -> OperationDocument:
    """The operation with another of its bodies, whose inputs stand in place of the present one's; that is kept among
    the others.

    wanted: a media type. Raises InputError if it has none of it.
    """
    now = media_type_of(operation.body)
    if wanted == now:
        return operation
    found = next((other_body for other_body in operation.other_bodies if other_body.media_type == wanted), None)
    if found is None:
        known = [other_body.media_type for other_body in operation.other_bodies]
        hint = did_you_mean(wanted, known) or "its definition offers one body only; make another from a sample"
        raise InputError(f'the operation has no body of the type "{wanted[:80]}"', where="/media_type", hint=hint)
    elsewhere = path_variables(operation.path) | inputs_in(values_of(structs.replace(operation, body=None)))
    in_body = inputs_in(body_values(operation.body))
    kept = [input_ for input_ in operation.inputs if input_.name in elsewhere or input_.name not in in_body]
    there = {one.name for one in kept}
    others = [other_body for other_body in operation.other_bodies if other_body is not found]
    if operation.body is not None:
        own = [input_ for input_ in operation.inputs if input_.name in in_body and input_.name not in elsewhere]
        others.append(OtherBody(media_type=now, body=operation.body, inputs=own))
    return structs.replace(
        operation,
        body=found.body,
        inputs=[*kept, *(input_ for input_ in found.inputs if input_.name not in there)],
        other_bodies=sorted(others, key=lambda one: one.media_type),
    )


def to_choose_from(bodies: Sequence[tuple[Body, list[Input]]]) -> tuple[Body | None, list[OtherBody]]:
    """(the first of several bodies, the others by media type, each once). bodies: each with the inputs that it
    takes."""
    if not bodies:
        return None, []
    first = bodies[0][0]
    others: dict[str, OtherBody] = {}
    for body, inputs in bodies[1:]:
        media = media_type_of(body)
        if media != media_type_of(first):
            others.setdefault(media, OtherBody(media_type=media, body=body, inputs=inputs))
    return first, [others[media] for media in sorted(others)]


def in_form_of(operation: OperationDocument, other: OperationDocument) -> OperationDocument:
    """The operation with the body that another one sends, if it has that too: as one is compared with what somebody
    chose."""
    wanted = media_type_of(other.body)
    offers = any(other_body.media_type == wanted for other_body in operation.other_bodies)
    return with_body_as(operation, wanted) if offers else operation
