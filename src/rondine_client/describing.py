"""Operations: definitions that describe them, operations themselves, trials that send them, and samples."""

from __future__ import annotations

from base64 import b64encode
from collections.abc import Generator, Mapping, Sequence
from typing import TYPE_CHECKING, Any

from rondine_client.addresses import step
from rondine_client.items import Items, KeptItems
from rondine_client.requests import Report, Request, Resource, S, call, given, steps

if TYPE_CHECKING:
    from rondine_client import types


class Definitions(KeptItems[S, "types.Definition"]):
    """Imported definitions.

    A source is address="https://..." or files={"register.yaml": "openapi: ..."} (text, or bytes such as a zip), or
    definition="register", one imported before, or look="..." of one looked at within a day; with
    part="https://crews.example", one of several services in it. service, environment: whose connection signs in, where
    the address is on its host.
    """

    @call
    def look_at(
        self,
        /,
        *,
        report: Report | None = None,
        details: bool = False,
        operations: Sequence[str] | None = None,
        **source: Any,
    ) -> Request[types.DefinitionShown]:
        """What is in a definition: {format, title, operations, schemas, servers, sign_ins, record_types, parts,
        warnings, left_out, hash, look}; nothing is imported. look finds it again without sending it again.

        details: with the inputs of operations and the fields of record types.  operations: only those, by key.
        report: gets {what, done, of} while it is read.
        """
        body = {**_source(source), "details": details, "operations": operations}
        query = {"progress": "true" if report is not None else None}
        return Request("POST", f"{self._project}/definition-previews", body, query, report=report)

    @call
    def preview_rows(
        self, /, key: str, *, inputs: Mapping[str, Any] | None = None, **source: Any
    ) -> Request[types.RowsShown]:
        """The first rows of an operation that is only described: {url, status, path, rows, count}; nothing is
        stored."""
        body = {"key": key, "inputs": dict(inputs or {}), **_source(source)}
        return Request("POST", f"{self._project}/row-previews", body)

    @call
    def import_into(
        self, /, service: str = "", *, operations: Sequence[str] | None = None, **options: Any
    ) -> Request[types.ImportMade]:
        """Imports what is chosen (keys; None for all) into a service, "" for one named by the definition, and gives the
        names of what was made.

        options: the source; hash of what was looked at; title, names, left_out ({key: [inputs]}), record_types ([] for
        none), connect ({environment, address, blanks, sign_in}), paging ("decline": operations ask for one response
        only), every_part (the other services in it too; `others` in what comes back).
        """
        body = {"service": service, "operations": operations, **_source(options)}
        return Request("POST", f"{self._project}/imports", body)

    @call
    def compare(self, /, name: str, **source: Any) -> Request[types.ComparisonShown]:
        """What has changed in the definition, read from its own address if no source is given: {changes, unchanged,
        hash}."""
        return self.request("POST", f"/{step(name)}/compare", _source(source))

    @call
    def update(
        self, /, name: str, *, accept: Sequence[str] | None = None, add: Sequence[str] = (), **source: Any
    ) -> Request[types.ComparisonShown]:
        """Takes changes (keys; None for all of imported operations) and adds new operations; own corrections stay."""
        return self.request("POST", f"/{step(name)}/update", {"accept": accept, "add": list(add), **_source(source)})

    @call
    def schemas(self, name: str) -> Request[dict[str, Any]]:
        """The schemas of a definition's operations: {name: JSON Schema}."""
        return self.request("GET", f"/{step(name)}/schemas", member="defs")

    @call
    def choose_fields(
        self,
        name: str,
        query: str,
        path: Sequence[str] = (),
        *,
        take: Sequence[str] | None = None,
        leave: Sequence[str] | None = None,
    ) -> Request[types.FieldsShown]:
        """A GraphQL query with a field taken or left out, and what the schema offers at `path`: {query, fields,
        problems, depth, count, cost}."""
        chosen = given(take=list(take) if take else None, leave=list(leave) if leave else None)
        return self.request("POST", f"/{step(name)}/fields", {"query": query, "path": list(path), **chosen})


class Operations(Items[S, "types.Operation"]):
    @steps
    def enable(self, name: str, *, enabled: bool = True) -> Generator[Request[Any], Any, types.Operation]:
        """Lets it be sent, or not."""
        return (yield from self._change_document(name, lambda _: {"enabled": enabled}))

    @call
    def copy(self, name: str, new_name: str, *, title: str = "") -> Request[types.CopyMade]:
        """Copies an operation with its samples and its mapping: {name, samples, mapping}; nothing links back."""
        return self.request("POST", f"/{step(name)}/copy", {"name": new_name, "title": title})

    @steps
    def describe_response(
        self, name: str, definition: str, schema: str, *, status: str = "200"
    ) -> Generator[Request[Any], Any, types.Operation]:
        """Says by which schema of an imported definition the operation's responses with a status are; trials are held
        against it."""
        described = {"status": status, "schema": {"$ref": f"#/$defs/{schema}"}, "definition": definition}

        def change(document: Mapping[str, Any]) -> Mapping[str, Any]:
            others = [response for response in document.get("responses", []) if response["status"] != status]
            return {"responses": [*others, described]}

        return (yield from self._change_document(name, change))

    @call
    def forms(self) -> Request[types.OperationForms]:
        """What an operation can be set to: {paging: the form of each pagination strategy}."""
        return Request("GET", f"{self._project}/operation-forms")

    @call
    def usual(self, path: str, *, record_type: str = "", key: str = "id") -> Request[list[types.PatternItem]]:
        """List, find, create, replace, change and remove of a resource at a path, as proposals: [{name, title,
        document}]."""
        return Request("POST", f"{self._project}/patterns", {"path": path, "record_type": record_type, "key": key})

    @call
    def parse_address(
        self, address: str, method: str = "GET", *, service: str = "", environment: str = "test"
    ) -> Request[types.AddressParts]:
        """A pasted address as base address, operation and inputs. service: by whose connection it is to be sent;
        `difference` then tells where it would go in place of the pasted address, if it does."""
        body = {"address": address, "method": method, "service": service, "environment": environment}
        return Request("POST", f"{self._project}/addresses", body)

    @call
    def parse_request(self, text: str, *, service: str = "", environment: str = "test") -> Request[types.PasteParts]:
        """A pasted address, request as HTTP text, or list of parameters as an operation: {kind, base_address,
        operation, findings, difference}. service: by whose connection it is to be sent, as with `parse_address`."""
        body = {"text": text, "service": service, "environment": environment}
        return Request("POST", f"{self._project}/pastes", body)

    @call
    def body_from_sample(self, text: str, media_type: str = "") -> Request[types.PasteParts]:
        """A body with its inputs, made from a sample of it (JSON, a form, XML): {operation: {body, inputs}, findings};
        nothing is stored."""
        body = {"text": text, "part": "body", "media_type": media_type}
        return Request("POST", f"{self._project}/pastes", body)

    @call
    def choose_body(self, document: Mapping[str, Any], media_type: str) -> Request[types.OperationDocument]:
        """An operation's document with another of the bodies that its service takes (`other_bodies`); nothing is
        stored."""
        body = {"document": document, "media_type": media_type}
        return Request("POST", f"{self._project}/body-choices", body, member="document")


class Trials(Resource[S]):
    """Operations sent once, to see what comes."""

    @call
    def show_request(
        self,
        *,
        service: str,
        environment: str = "test",
        operation: str | None = None,
        document: Mapping[str, Any] | None = None,
        inputs: Mapping[str, Any] | None = None,
        record: Mapping[str, Any] | None = None,
    ) -> Request[types.RequestShown]:
        """The request as it would be sent, secrets masked; nothing is sent. record: {record_type, key}, which fills
        inputs that are not given."""
        body = _asked(service, environment, operation, document, inputs, record)
        return self.request("POST", "/requests", body)

    @call
    def send(
        self,
        *,
        service: str,
        environment: str = "test",
        operation: str | None = None,
        document: Mapping[str, Any] | None = None,
        inputs: Mapping[str, Any] | None = None,
        confirmed: bool = False,
        in_protected: bool = False,
        empty_is_meant: bool = False,
        record: Mapping[str, Any] | None = None,
        mark: str | None = None,
    ) -> Request[types.TrialShown]:
        """Sends a saved operation, or one from the draft, once.

        confirmed: needed for what may change something at the service.  in_protected: needed besides in a protected
        environment.  empty_is_meant: needed besides where no input has a value.  record: {record_type, key}, which
        fills inputs that are not given.  mark: 8 to 100 characters of one's own; asked for again with the same one,
        nothing is sent, and what became of the first is given.
        """
        body = _asked(service, environment, operation, document, inputs, record)
        meant = {"confirmed": confirmed, "in_protected": in_protected, "empty_is_meant": empty_is_meant}
        return self.request("POST", "/trials", {**body, **meant}, mark=mark)

    @call
    def send_once(
        self,
        base_address: str,
        document: Mapping[str, Any],
        *,
        environment: str = "test",
        inputs: Mapping[str, Any] | None = None,
        confirmed: bool = False,
        empty_is_meant: bool = False,
    ) -> Request[types.TrialShown]:
        """Sends an operation to a base address once, without a service or a connection, and without signing in; the
        host must be permitted."""
        body = {"base_address": base_address, "document": document, "environment": environment}
        meant = {"confirmed": confirmed, "empty_is_meant": empty_is_meant}
        return self.request("POST", "/trials", {**body, "inputs": dict(inputs or {}), **meant})

    @call
    def keep(self, /, run: int, service: str, **options: Any) -> Request[types.TrialKept]:
        """Service, connection and operation of a one-off trial: {service, connection, operation, adopted: the paging
        that its response shows and the operation follows}. options: operation, title, service_title, environment,
        paging: "decline" to ask for one response only."""
        return self.request("POST", "/trials/keep", {"run": run, "service": service, **given(**options)})


class Samples(KeptItems[S, "types.Sample"]):
    @call
    def keep(
        self,
        name: str,
        *,
        run: int | None = None,
        text: str | None = None,
        content: bytes | None = None,
        media_type: str | None = None,
        operation: str | None = None,
        keys: str | None = None,
    ) -> Request[types.SampleMade]:
        """A sample from a trial's response, from a text, or from a file's content: JSON, one JSON value a line, or XML.

        media_type: left out, it is told by the content.  keys: what becomes of values that look like keys: mask or
        keep.
        """
        base64 = None if content is None else b64encode(content).decode()
        options = given(keys=keys or None, run=run, text=text, base64=base64, media_type=media_type or None)
        return self.request("POST", body={"name": name, "operation": operation, **options})


def _asked(
    service: str,
    environment: str,
    operation: str | None,
    document: Mapping[str, Any] | None,
    inputs: Mapping[str, Any] | None,
    record: Mapping[str, Any] | None,
) -> dict[str, Any]:
    chosen = given(operation=operation or None, document=document, record=record or None)
    return {"service": service, "environment": environment, "inputs": dict(inputs or {}), **chosen}


def _source(options: Mapping[str, Any]) -> dict[str, Any]:
    """Files by name as the API takes them."""
    out = dict(given(**options))
    if "files" in out:
        out["files"] = [
            {"name": name, "text": content}
            if isinstance(content, str)
            else {"name": name, "base64": b64encode(content).decode()}
            for name, content in out["files"].items()
        ]
    return out
