"""The items of one kind: what a project is set up of."""

from __future__ import annotations

from collections.abc import AsyncIterator, Callable, Generator, Iterator, Mapping
from typing import TYPE_CHECKING, Any, Generic, TypeVar

from rondine_client.addresses import step
from rondine_client.errors import RondineProblem
from rondine_client.requests import Pages, Request, Resource, S, call, pages, steps

if TYPE_CHECKING:
    from rondine_client import types
    from rondine_client.client import AsyncClient, Client

I = TypeVar("I")  # noqa: E741  # what the API shows of an item


class KeptItems(Resource[S], Generic[S, I]):
    """The items of one kind, however they were made. Each has name, title, version, problems, document, and what it
    refers to by name."""

    def __init__(self, client: S, project: str, kind: str) -> None:
        super().__init__(client, f"{project}/{kind}")
        self._project, self._kind = project, kind

    def __iter__(self: KeptItems[Client, I]) -> Iterator[I]:
        return self.search()

    def __aiter__(self: KeptItems[AsyncClient, I]) -> AsyncIterator[I]:
        return self.search()

    @pages
    def search(self, /, text: str | None = None, **references: str) -> Pages[I]:
        """All items with the text in name or title, in the order of names."""
        return Pages(self.request("GET", query={"q": text, **references}))

    @call
    def get(self, name: str) -> Request[I]:
        return self.request("GET", f"/{step(name)}")

    @call
    def change(self, name: str, /, *, version: int, **content: Any) -> Request[I]:
        """version: the one that was seen. Raises RondineProblem (changed_meanwhile) if it is another by now; its
        document has `current`."""
        return self.request("PATCH", f"/{step(name)}", content, version=version)

    @steps
    def remove(
        self, name: str, *, version: int | None = None, with_its_items: bool = False
    ) -> Generator[Request[Any], Any, None]:
        """version: the one that was seen; None for whichever it is now.  with_its_items: removes what belongs to it
        too, such as the operations of a service.

        Raises RondineProblem (conflict) if something uses it, or items belong to it that are not to go."""
        if version is None:
            version = (yield self.request("GET", f"/{step(name)}"))["version"]
        query = {"with_its_items": with_its_items or None}
        yield self.request("DELETE", f"/{step(name)}", query=query, version=version)

    @call
    def revisions(self, name: str) -> Request[list[types.Revision]]:
        """What it was before, the newest first."""
        return self.request("GET", f"/{step(name)}/revisions")

    @call
    def document_schema(self) -> Request[dict[str, Any]]:
        """JSON Schema 2020-12 of what the documents of this kind may say."""
        return Request("GET", f"{self._project}/document-schemas/{self._kind}")

    def _change_document(
        self, name: str, change: Callable[[Mapping[str, Any]], Mapping[str, Any]], item: Any = None
    ) -> Generator[Request[Any], Any, I]:
        """Sets the members of its document that `change` gives, as it is now. item: as it was just read."""
        item = item or (yield self.request("GET", f"/{step(name)}"))
        content = {"document": {**item["document"], **change(item["document"])}}
        changed: I = yield self.request("PATCH", f"/{step(name)}", content, version=item["version"])
        return changed


class Items(KeptItems[S, I]):
    """The items of a kind that are made by name."""

    @call
    def make(self, name: str, /, **content: Any) -> Request[I]:
        """content: title, document, why, and references by name."""
        return self.request("POST", body={"name": name, **content})

    @steps
    def save(self, name: str, /, **content: Any) -> Generator[Request[Any], Any, I]:
        """Makes the item, or changes it as it is now."""
        item = yield from self._find(name)
        saved: I = yield (
            self.request("POST", body={"name": name, **content})
            if item is None
            else self.request("PATCH", f"/{step(name)}", content, version=item["version"])
        )
        return saved

    def _find(self, name: str) -> Generator[Request[Any], Any, Any]:
        """The item, None if there is none."""
        try:
            return (yield self.request("GET", f"/{step(name)}"))
        except RondineProblem as problem:
            if problem.code != "not_found":
                raise
            return None
