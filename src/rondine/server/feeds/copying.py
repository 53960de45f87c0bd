"""An operation copied, with its samples and its mapping."""

from collections.abc import Mapping
from typing import Any

from django.db import transaction

from rondine.core.names import proposed_name
from rondine.server.access.models import Person, Project
from rondine.server.feeds.models import Feed
from rondine.server.items.actions import find_item, make_item
from rondine.server.mappings.kinds import MAPPINGS
from rondine.server.mappings.models import Mapping as MappingItem
from rondine.server.operations.kinds import OPERATIONS, SAMPLES
from rondine.server.operations.models import Operation, Sample


def copy_operation(
    project: Project, person: Person, role: str, name: str, data: Mapping[str, Any]
) -> tuple[Operation, list[str], str | None]:
    """(a copy with no link back, its samples, its mapping). All of it is made, or nothing."""
    original: Operation = find_item(OPERATIONS, project, name)
    document = {key: value for key, value in original.document.items() if key != "came_from"}
    feed = Feed.objects.filter(operation=original).select_related("mapping").first()
    mapping = feed.mapping if feed else MappingItem.objects.filter(project=project, name=original.name).first()
    with transaction.atomic():
        content = {
            "name": data["name"],
            "title": data.get("title") or original.title,
            "service": original.service.name,
            "document": document,
        }
        operation: Operation = make_item(OPERATIONS, project, person, content, role=role)
        taken = set(Sample.objects.filter(project=project).values_list("name", flat=True))
        samples = []
        for one in Sample.objects.filter(operation=original).select_related("body").order_by("name"):
            free = proposed_name(f"{operation.name}-{one.name}", taken=taken)
            taken.add(free)
            sample = {"name": free, "title": one.title, "operation": operation.name, "document": one.document}
            make_item(SAMPLES, project, person, sample, role=role, body=one.body)
            samples.append(free)
        if mapping is not None:
            known = set(MappingItem.objects.filter(project=project).values_list("name", flat=True))
            free = proposed_name(operation.name, taken=known)
            copied = {
                "name": free,
                "title": mapping.title,
                "service": original.service.name,
                "document": mapping.document,
            }
            make_item(MAPPINGS, project, person, copied, role=role)
            return operation, samples, free
    return operation, samples, None
