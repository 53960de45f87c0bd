"""Permission classes for what belongs to no project; within one, `authorize` decides."""

from typing import Any

from rest_framework.permissions import BasePermission

from rondine.core.errors import NotAllowed, SignInNeeded
from rondine.server.access.models import Person


def signed_in(request: Any) -> Person:
    """The person who asks. Raises SignInNeeded."""
    if not isinstance(request.user, Person) or not request.user.is_active:
        raise SignInNeeded(
            "nobody is signed in", where="the request", hint="sign in: rondine login, or the console's sign-in page"
        )
    return request.user


class IsSignedIn(BasePermission):
    def has_permission(self, request: Any, view: Any) -> bool:
        return bool(signed_in(request))


class IsAdministrator(BasePermission):
    """Of the installation."""

    def has_permission(self, request: Any, view: Any) -> bool:
        if not signed_in(request).is_administrator:
            raise NotAllowed(
                "only administrators of this installation may do that",
                where="the request",
                hint="ask one; on the server: rondine-server person list",
            )
        return True
