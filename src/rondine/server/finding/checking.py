"""A whole project checked: everything that is not ready, and everything that is set up but cannot start."""

from dataclasses import dataclass

from rondine.server.access.models import Project
from rondine.server.feeds.obstacles import obstacles
from rondine.server.items.kinds import KINDS


@dataclass(frozen=True, slots=True)
class Wrong:
    """One thing that is not as it should be. kind: of the item, as in addresses.  where: in it, or around it."""

    kind: str
    word: str
    name: str
    environment: str
    where: str
    message: str
    hint: str


def check_project(project: Project) -> list[Wrong]:
    """Each once, in the order of kinds and names."""
    found: dict[tuple[str, str, str], Wrong] = {}
    for kind in KINDS.values():
        items = kind.model._default_manager.filter(project=project).exclude(problems=[]).order_by("name")
        for item in items.select_related(*kind.references):
            environment = getattr(item, "environment", None)
            place = environment.name if environment is not None else ""
            for problem in item.problems:
                wrong = Wrong(kind.name, kind.word, item.name, place, **problem)
                found.setdefault((kind.word, item.name, wrong.message), wrong)
    names = {kind.word: kind.name for kind in KINDS.values()}
    for obstacle in obstacles(project):
        for reason in obstacle.reasons:
            wrong = Wrong(
                names[obstacle.kind], obstacle.kind, obstacle.name, obstacle.environment,
                reason.where, reason.message, reason.hint,
            )  # fmt: skip
            found.setdefault((obstacle.kind, obstacle.name, reason.message), wrong)
    order = list(KINDS)
    return sorted(found.values(), key=lambda wrong: (order.index(wrong.kind), wrong.name))
