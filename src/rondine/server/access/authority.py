"""Who may do what: the one place where it is decided, for ordinary and for waiting views alike."""

from typing import Any

from rondine.core.errors import NotAllowed, NotFound, SignInNeeded
from rondine.server.access.models import Membership, Person, Project

#: Each role may do what stands before it too.
PERMISSIONS: dict[str, frozenset[str]] = {}
PERMISSIONS["viewer"] = frozenset({"view"})
PERMISSIONS["operator"] = PERMISSIONS["viewer"] | {"run", "replace_secret"}
PERMISSIONS["builder"] = PERMISSIONS["operator"] | {"build", "try", "write_secret"}
PERMISSIONS["administrator"] = PERMISSIONS["builder"] | {"administer"}


def authorize(person: Any, project_name: str, permission: str) -> tuple[Project, str]:
    """The project and the person's role in it. Raises SignInNeeded, NotFound (also for a project of others) or
    NotAllowed."""
    if not isinstance(person, Person) or not person.is_active:
        raise SignInNeeded(
            "nobody is signed in",
            where=f"project {project_name}",
            hint="sign in: rondine login, or the console's sign-in page",
        )
    membership = Membership.objects.select_related("project").filter(person=person, project__name=project_name).first()
    if membership is None:
        raise NotFound(
            f'there is no project "{project_name}" for {person.name}',
            where="project",
            hint="see the projects you belong to: rondine project list",
        )
    if permission not in PERMISSIONS[membership.role]:
        able = next(role for role, allowed in PERMISSIONS.items() if permission in allowed)
        raise NotAllowed(
            f"as {membership.role} you may not"
            f" {permission.replace('_', ' a ' if permission.endswith('secret') else ' ')} here",
            where=f"project {project_name}",
            hint=f"ask somebody who is {able} or above",
        )
    return membership.project, membership.role
