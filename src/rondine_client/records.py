"""Records, kept and live; and the bindings by which live ones are found and changed at their service."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from rondine_client.addresses import step
from rondine_client.items import Items
from rondine_client.requests import JsonLines, Pages, Parts, Request, Resource, S, Stream, call, pages, stream
from rondine_client.running import PAGE

if TYPE_CHECKING:
    from rondine_client import types


class Bindings(Items[S, "types.Binding"]):
    """Which operations of a service list, find, create, change, replace and remove the records of a type."""

    @call
    def propose(
        self, record_type: str, *, mapping: str = "", operations: Mapping[str, str] | None = None
    ) -> Request[types.BindingProposal]:
        """A binding for a record type: {document, candidates, problems, mappings}. mapping: that fills it, where there
        are several.  operations: chosen for roles, {role: operation}; the others are proposed."""
        body = {"record_type": record_type, "mapping": mapping, "operations": dict(operations or {})}
        return Request("POST", f"{self._project}/binding-proposals", body)


class Records(Resource[S]):
    """Records, by environment and record type: kept ones, and live ones, which are asked of their service.

    Of live ones, max_age is how old an answer may be, in seconds; local: what the service cannot filter or order is
    done by Rondine, over all of its rows.
    """

    @pages
    def search(
        self,
        /,
        environment: str,
        record_type: str,
        *,
        sort: str | None = None,
        limit: int | None = None,
        gone: str | None = None,
        local: bool | None = None,
        max_age: int | None = None,
        **filters: Any,
    ) -> Pages[types.RecordSummary]:
        """Records. filters: field="value"; ranges as {"girth.from": "1.5"}; limit: how many at most, None for
        all.  gone: "also" or "only", to see those that no longer come."""
        query = {"sort": sort, "limit": min(limit or PAGE, PAGE), "gone": gone, "local": local, **filters}
        asked = self._of(environment, record_type, query=query, headers=_age(max_age))
        return Pages(asked, cursor="cursor", limit=limit)

    @call
    def page(
        self,
        /,
        environment: str,
        record_type: str,
        *,
        cursor: str | None = None,
        sort: str | None = None,
        limit: int = 50,
        gone: str | None = None,
        local: bool | None = None,
        max_age: int | None = None,
        **filters: Any,
    ) -> Request[types.RecordPageShown]:
        """One page of them: {items, next}; of live ones also {is_all, all_why, rejects, live}. cursor: `next` of the
        page before."""
        query = {"cursor": cursor, "sort": sort, "limit": limit, "gone": gone, "local": local, **filters}
        return self._of(environment, record_type, query=query, headers=_age(max_age))

    @stream
    def export(
        self, /, environment: str, record_type: str, *, sort: str | None = None, gone: str | None = None, **filters: Any
    ) -> Stream[dict[str, Any]]:
        """The data of all records that filters leave, one after another, however many they are."""
        return JsonLines(self._file(environment, f"{record_type}.ndjson", sort, gone, filters))

    @stream
    def file(
        self, /, environment: str, name: str, *, sort: str | None = None, gone: str | None = None, **filters: Any
    ) -> Stream[bytes]:
        """The parts of a file of records. name: of the record type, with an ending that says the format: .ndjson, .json
        or .csv."""
        return Parts(self._file(environment, name, sort, gone, filters))

    def _file(
        self, environment: str, name: str, sort: str | None, gone: str | None, filters: Mapping[str, Any]
    ) -> Request[Any]:
        query = {"sort": sort, "gone": gone, **filters}
        return self.request("GET", f"/{step(environment)}/record-files/{step(name)}", query=query)

    @call
    def changes(
        self, environment: str, record_type: str, *key: str, after: int | str | None = None, limit: int = 50
    ) -> Request[types.ChangesShown]:
        """What happened to records. key: of one, whose newest change comes first.  after: `next` of the answer before;
        what came since, oldest first, so that nothing is missed by reading on from mark to mark (begin with 0)."""
        query = {"key": "/".join(key) if key else None, "after": after, "limit": limit}
        return self.request("GET", f"/{step(environment)}/record-changes/{step(record_type)}", query=query)

    @call
    def profile(
        self, /, environment: str, record_type: str, *, gone: str | None = None, **filters: Any
    ) -> Request[types.RecordProfile]:
        """What the values of kept records look like: {records, is_all, columns: [{name, type, missing, distinct, least,
        most, by, parts: [{least, most, count}]}]}. Filters as of `search`."""
        query = {"gone": gone, **filters}
        return self.request("GET", f"/{step(environment)}/record-profiles/{step(record_type)}", query=query)

    @call
    def views(self, environment: str) -> Request[list[types.RecordViewItem]]:
        """The SQL views of an environment's kept records."""
        return self.request("GET", f"/{step(environment)}/record-views")

    @call
    def get(
        self, environment: str, record_type: str, *key: str, max_age: int | None = None
    ) -> Request[types.RecordShown]:
        """One record by its key; of a kept one with the place each value came from, of a live one as the service has it
        now, with its version."""
        return self._of(environment, record_type, _way(key), headers=_age(max_age))

    @call
    def picture(self, environment: str, record_type: str, *key: str, field: str) -> Request[bytes]:
        """The picture whose address a field of a record holds. Raises RondineProblem (host_not_permitted) for one on a
        host that is not permitted."""
        path = f"/{step(environment)}/record-pictures/{step(record_type)}{_way(key)}"
        return self.request("GET", path, query={"field": field}, is_bytes=True)

    @call
    def uses(self, environment: str, record_type: str) -> Request[types.RecordUses]:
        """What can be done with the records of a type: {kind, roles, fields: [{field, compare, is_sorted, is_created,
        is_changed}]}."""
        return self.request("GET", f"/{step(environment)}/record-uses/{step(record_type)}")

    @call
    def create(
        self, environment: str, record_type: str, data: Mapping[str, Any], *, in_protected: bool = False
    ) -> Request[types.RecordWritten]:
        """A new record at the service. in_protected: writing in a protected environment is meant."""
        body = {"data": dict(data), "in_protected": in_protected}
        return self._of(environment, record_type, body=body, method="POST")

    @call
    def change(
        self,
        environment: str,
        record_type: str,
        *key: str,
        data: Mapping[str, Any],
        version: str,
        in_protected: bool = False,
    ) -> Request[types.RecordWritten]:
        """Changes these fields at the service. version: that the record was read with; "*" for whatever it is now.
        Raises RondineProblem (changed_meanwhile) if somebody has changed it since."""
        body = {"data": dict(data), "in_protected": in_protected}
        return self._of(environment, record_type, _way(key), body=body, method="PATCH", headers={"If-Match": version})

    @call
    def replace(
        self,
        environment: str,
        record_type: str,
        *key: str,
        data: Mapping[str, Any],
        version: str,
        in_protected: bool = False,
    ) -> Request[types.RecordWritten]:
        """Writes the record whole."""
        body = {"data": dict(data), "in_protected": in_protected}
        return self._of(environment, record_type, _way(key), body=body, method="PUT", headers={"If-Match": version})

    @call
    def remove(
        self, environment: str, record_type: str, *key: str, version: str, in_protected: bool = False
    ) -> Request[types.RecordWritten]:
        query = {"in_protected": True} if in_protected else {}
        return self._of(
            environment, record_type, _way(key), query=query, method="DELETE", headers={"If-Match": version}
        )

    def _of(
        self, environment: str, record_type: str, path: str = "", *, method: str = "GET", **options: Any
    ) -> Request[Any]:
        return self.request(method, f"/{step(environment)}/records/{step(record_type)}{path}", **options)


def _way(key: tuple[str, ...]) -> str:
    return "".join(f"/{step(part)}" for part in key)


def _age(seconds: int | None) -> dict[str, str]:
    return {} if seconds is None else {"Cache-Control": f"max-age={seconds}"}
