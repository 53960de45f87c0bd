"""Query parameters: each view says which it knows; any other is refused."""

from typing import Any, ClassVar

from rest_framework import serializers
from rest_framework.request import Request

from rondine.core.errors import InputError, Problem, did_you_mean


class KnownParameters:
    """Of a view. query: the shapes of its query parameters, by HTTP method, or by action in a view set."""

    query: ClassVar[dict[str, type[serializers.Serializer[Any]]]] = {}

    def initial(self, request: Request, *args: Any, **kwargs: Any) -> None:
        super().initial(request, *args, **kwargs)  # type: ignore[misc]
        self.check_parameters(request)

    def check_parameters(self, request: Request) -> None:
        """Raises InputError for a query parameter that means nothing here."""
        known = self.known_parameters(request)
        for name in request.query_params:
            if name not in known:
                raise InputError(
                    f'there is no parameter "{name[:60]}" here',
                    where=f"?{name[:60]}",
                    hint=did_you_mean(name, known) or "see the API's description: /api/v1/docs",
                )

    def known_parameters(self, request: Request) -> set[str]:
        """The query parameters that a request may have."""
        shape = self.query.get(self._asked(request))
        return set(shape().fields) if shape is not None else set()

    def queried(self, request: Request) -> Any:
        """The checked query parameters. Raises InputError for every wrong one."""
        found = self.query[self._asked(request)](data=request.query_params.dict())
        if not found.is_valid():
            problems = [
                Problem(f"?{name}", str(message)) for name, messages in found.errors.items() for message in messages
            ]
            raise InputError(problems[0].message, where=problems[0].where, problems=problems)
        return found.validated_data

    def _asked(self, request: Request) -> str:
        return getattr(self, "action", None) or str(request.method)
