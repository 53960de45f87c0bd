"""Everything within one project."""

import time
from base64 import b64encode
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any

from rondine_client.addresses import step
from rondine_client.administration import Members
from rondine_client.errors import RondineProblem

if TYPE_CHECKING:
    from rondine_client.client import Client, Content

Json = dict[str, Any]
OVER = ("done", "failed", "cancelled")


class Items:
    """The items of one kind, each as the API shows it: name, title, version, problems, document, and what it refers to
    by name."""

    def __init__(self, client: "Client", project: str, kind: str) -> None:
        self._client, self._project, self._kind = client, project, kind
        self._path = f"{project}/{kind}"

    def __iter__(self) -> Iterator[Json]:
        return self.search()

    def search(self, text: str | None = None, **references: str) -> Iterator[Json]:
        """All items with the text in name or title, in the order of names."""
        after: str | None = None
        while True:
            page = self._client.ask("GET", self._path, query={"q": text, "after": after, **references})
            yield from page["items"]
            after = page["next"]
            if after is None:
                return

    def get(self, name: str) -> Json:
        found: Json = self._client.ask("GET", f"{self._path}/{step(name)}")
        return found

    def make(self, name: str, /, **content: Any) -> Json:
        """content: title, document, why, and references by name."""
        made: Json = self._client.ask("POST", self._path, {"name": name, **content})
        return made

    def change(self, name: str, /, *, version: int, **content: Any) -> Json:
        """version: the one that was seen. Raises RondineProblem (changed_meanwhile) if it is another by now; its
        document has `current`."""
        changed: Json = self._client.ask("PATCH", f"{self._path}/{step(name)}", content, version=version)
        return changed

    def save(self, name: str, /, **content: Any) -> Json:
        """Makes the item, or changes it as it is now."""
        try:
            found = self.get(name)
        except RondineProblem as problem:
            if problem.code != "not_found":
                raise
            return self.make(name, **content)
        return self.change(name, version=found["version"], **content)

    def remove(self, name: str, *, version: int | None = None) -> None:
        self._client.ask(
            "DELETE",
            f"{self._path}/{step(name)}",
            version=version if version is not None else self.get(name)["version"],
        )

    def revisions(self, name: str) -> list[Json]:
        found: list[Json] = self._client.ask("GET", f"{self._path}/{step(name)}/revisions")
        return found

    def document_schema(self) -> Json:
        """JSON Schema 2020-12 of what the documents of this kind may say."""
        found: Json = self._client.ask("GET", f"{self._project}/document-schemas/{self._kind}")
        return found


class Project:
    """A project by its name; nothing is asked until a method is called."""

    def __init__(self, client: "Client", name: str) -> None:
        self._client, self.name = client, name
        self._path = f"/projects/{step(name)}"
        self.services = self._items("services")
        self.connections = self._items("connections")
        self.credentials = self._items("credentials")
        self.operations = self._items("operations")
        self.samples = self._items("samples")
        self.record_types = self._items("record-types")
        self.mappings = self._items("mappings")
        self.feeds = self._items("feeds")
        self.standing_values = self._items("standing-values")
        self.definitions = self._items("definitions")
        self.queries = self._items("queries")
        self.members = Members(client, self._path)

    def _items(self, kind: str) -> Items:
        return Items(self._client, self._path, kind)

    def _ask(self, method: str, path: str, body: Any = None, **options: Any) -> Any:
        return self._client.ask(method, f"{self._path}{path}", body, **options)

    # --- names

    def naming(self) -> Json:
        """The rule by which names are proposed here: what differs from the usual one."""
        found: Json = self._ask("GET", "/naming")["rule"]
        return found

    def set_naming(self, **rule: Any) -> Json:
        """rule: separator and field_separator ("-" or "_"), service_first, feeds_begin; what is left out is as usual.
        Nothing is renamed."""
        found: Json = self._ask("PUT", "/naming", {"rule": rule})["rule"]
        return found

    def propose_name(self, kind: str, text: str, *, service: str = "") -> Json:
        """A name for an item (service, operation, record type, mapping, feed ...) or a field: {name, wanted,
        is_taken}."""
        return self._ask("POST", "/names", {"kind": kind, "text": text, "service": service})

    # --- connecting

    def environments(self) -> list[Json]:
        """Each with what is missing in it: [{name, is_protected, missing: [{where, message, hint}], ...}]."""
        return self._ask("GET", "/environments")

    def make_environment(self, name: str, **content: Any) -> Json:
        """content: title, description, is_protected."""
        return self._ask("POST", "/environments", {"name": name, **content})

    def change_environment(self, name: str, **content: Any) -> Json:
        return self._ask("PATCH", f"/environments/{step(name)}", content)

    def prove_callback(self, name: str) -> str:
        """What a browser that is signed in opens, within ten minutes, to prove that the environment's callback address
        leads here."""
        address: str = self._ask("POST", f"/environments/{step(name)}/callback-proof")["address"]
        return address

    def remove_environment(self, name: str) -> None:
        self._ask("DELETE", f"/environments/{step(name)}")

    def obstacles(self) -> list[Json]:
        """Everything that is set up but cannot start: [{kind, name, environment, reasons: [{where, message,
        hint}]}]."""
        return self._ask("GET", "/obstacles")

    def set_standing_value(self, name: str, value: str | int | bool | None, environment: str) -> Json:
        """Gives a standing value its value in one environment, making it if there is none; None takes it away."""
        try:
            held = self.standing_values.get(name)
        except RondineProblem as problem:
            if problem.code != "not_found":
                raise
            held = self.standing_values.make(name)
        values = {**held["document"].get("values", {}), environment: value}
        values = {key: one for key, one in values.items() if one is not None}
        document = {**held["document"], "values": values}
        return self.standing_values.change(name, version=held["version"], document=document)

    def hosts(self) -> list[Json]:
        return self._ask("GET", "/hosts")

    def permit_host(self, host: str, port: int | None = None, *, is_private: bool = False) -> Json:
        return self._ask("POST", "/hosts", {"host": host, "port": port, "is_private": is_private})

    def remove_host(self, host_id: int) -> None:
        self._ask("DELETE", f"/hosts/{host_id}")

    def set_secrets(
        self,
        credential: str,
        /,
        *,
        is_second: bool = False,
        origins: Sequence[str] = (),
        key_files: Mapping[str, tuple[bytes, str]] | None = None,
        **secrets: str,
    ) -> Json:
        """Replaces a credential's secrets, such as key="..."; they are never given back: {name, names, has_second,
        origins, certificates, version}.

        The first ones belong to where its connections lead then, later ones to the same, and to `origins`: they are
        sent nowhere else. is_second: sets a second one beside the first, tried where the first is refused.  key_files:
        private keys as files, PEM or PKCS#12, with their passphrase ("" for none), by the names of secrets; what
        certificates they hold is given back as `certificates`, in PEM.
        """
        files = {
            name: {"base64": b64encode(content).decode(), "passphrase": passphrase}
            for name, (content, passphrase) in (key_files or {}).items()
        }
        body = {"secrets": secrets, "key_files": files, "is_second": is_second, "origins": list(origins)}
        return self._ask("PUT", f"/credentials/{step(credential)}/secrets", body)

    def permit_origin(self, credential: str, origin: str) -> Json:
        """Lets a credential's secrets be sent to one more address (administrators): {name, names, has_second, origins,
        version}."""
        return self._ask("POST", f"/credentials/{step(credential)}/origins", {"origin": origin})

    def drop_second_secrets(self, credential: str) -> Json:
        return self._ask("DELETE", f"/credentials/{step(credential)}/secrets/second")

    def move_key(
        self,
        place: str,
        *,
        service: str,
        environment: str = "test",
        operation: str | None = None,
        document: Json | None = None,
    ) -> Json:
        """Moves a fixed value that looks like a key into the connection's credential. place: JSON Pointer, such as
        /query/0."""
        body: Json = {"service": service, "environment": environment, "place": place}
        body |= {"operation": operation} if operation else {}
        return self._ask("POST", "/moves", body | ({"document": document} if document is not None else {}))

    def check_connection(self, name: str, *, where: str = "web") -> Json:
        """Whether it works: {works, steps: [{step, is_good, words, hint, ms}]}. where: web or worker."""
        return self._ask("POST", f"/connections/{step(name)}/check", {"where": where})

    def enable(self, kind: str, name: str, *, enabled: bool = True) -> Json:
        """Enables or disables a connection or an operation. kind: connections or operations."""
        items: Items = getattr(self, kind)
        held = items.get(name)
        return items.change(name, version=held["version"], document={**held["document"], "enabled": enabled})

    def decide_wait(self, connection: str, *, believe: bool) -> Json:
        """A wait that the service asked for counts whole (believe), or is lifted; gives the meter."""
        return self._ask("PUT", f"/connections/{step(connection)}/wait", {"believe": believe})

    def meter(self, connection: str) -> Json:
        """How much of its limits is used: {limits: [{words, used, left, refills_at}], held_until, ...}."""
        return self._ask("GET", f"/connections/{step(connection)}/meter")

    def effective(self, connection: str) -> list[Json]:
        """What goes with every request: [{place, name, value, source}]."""
        return self._ask("GET", f"/connections/{step(connection)}/effective")

    def sign_in_state(self, connection: str) -> Json:
        """{tokens: [{state, words, expires_at, ...}], callback, obstacles}; never a token."""
        return self._ask("GET", f"/connections/{step(connection)}/sign-in")

    def begin_sign_in(self, connection: str, operation: str = "") -> Json:
        """{address: the service's consent page, callback}; the person who asks opens the address in a browser signed in
        to Rondine."""
        return self._ask("POST", f"/connections/{step(connection)}/sign-in", {"operation": operation})

    def discard_token(self, connection: str, operation: str = "") -> None:
        self._ask("DELETE", f"/connections/{step(connection)}/sign-in", query={"operation": operation})

    def find_addresses(self, issuer: str) -> Json:
        """The OAuth addresses that a service itself names (RFC 8414, OpenID)."""
        return self._ask("POST", "/metadata", {"issuer": issuer})

    def preparation(self, service: str) -> list[Json]:
        """What is known of a service and what is not: [{name, title, value, source, hint}]."""
        return self._ask("GET", f"/services/{step(service)}/preparation")

    def connect_prepared(self, service: str, environment: str = "test") -> Json:
        """Makes connection, credential and first operation from what is noted with the service; gives their names."""
        return self._ask("POST", f"/services/{step(service)}/preparation", {"environment": environment})

    # --- describing and trying

    def parse_address(self, address: str, method: str = "GET", *, service: str = "", environment: str = "test") -> Json:
        """A pasted address as base address, operation and inputs. service: by whose connection it is to be sent;
        `difference` then tells where it would go in place of the pasted address, if it does."""
        asked = {"address": address, "method": method, "service": service, "environment": environment}
        return self._ask("POST", "/addresses", asked)

    # --- definitions: a source is address="https://..." or files={"register.yaml": "openapi: ..."} (text, or bytes
    # such as a zip), or definition="register", one imported before, or look="..." of one looked at within a day; with
    # part="https://crews.example", one of several services in it

    def look_at_definition(
        self,
        *,
        report: Callable[[Mapping[str, Any]], None] | None = None,
        details: bool = False,
        operations: Sequence[str] | None = None,
        **source: Any,
    ) -> Json:
        """What is in a definition: {format, title, operations, schemas, servers, sign_ins, record_types, parts,
        warnings, left_out, hash, look}; nothing is imported. look finds it again without sending it again.

        details: with the inputs of operations and the fields of record types.  operations: only those, by key.
        service, environment: whose connection signs in, where the address is on its host.
        """
        asked = {**_source(source), "details": details, "operations": operations}
        if report is not None:
            path = f"{self._path}/definition-previews"
            found: Json = self._client.told(path, asked, report, query={"progress": "true"})
            return found
        return self._ask("POST", "/definition-previews", asked)

    def look_at_rows(self, key: str, *, inputs: Mapping[str, Any] | None = None, **source: Any) -> Json:
        """The first rows of an operation that is only described: {url, status, path, rows, count}; nothing is stored.
        service, environment: whose connection signs in.
        """
        return self._ask("POST", "/row-previews", {"key": key, "inputs": dict(inputs or {}), **_source(source)})

    def import_definition(self, service: str = "", *, operations: Sequence[str] | None = None, **options: Any) -> Json:
        """Imports what is chosen (keys; None for all) and gives the names of what was made.

        options: the source; hash of what was looked at; title, names, left_out ({key: [inputs]}), record_types ([] for
        none), connect ({environment, address, blanks, sign_in}), paging ("decline": operations ask for one response
        only), every_part (the other services in it too; `others` in what comes back).
        """
        return self._ask("POST", "/imports", {"service": service, "operations": operations, **_source(options)})

    def export_service(self, name: str, environment: str = "test") -> Json:
        """A service as OpenAPI 3.1: {document, unsaid: [{where, message, hint}]}; environment: whose connection says
        where it is."""
        return self._ask("GET", f"/services/{step(name)}/openapi", query={"environment": environment})

    def schemas(self, definition: str) -> Json:
        """The schemas of a definition's operations: {name: JSON Schema}."""
        found: Json = self._ask("GET", f"/definitions/{step(definition)}/schemas")["defs"]
        return found

    def choose_fields(
        self,
        definition: str,
        query: str,
        path: Sequence[str] = (),
        *,
        take: Sequence[str] | None = None,
        leave: Sequence[str] | None = None,
    ) -> Json:
        """A GraphQL query with a field taken or left out, and what the schema offers at `path`: {query, fields,
        problems, depth, count, cost}."""
        body = {"query": query, "path": list(path)}
        body |= {"take": list(take)} if take else {}
        body |= {"leave": list(leave)} if leave else {}
        return self._ask("POST", f"/definitions/{step(definition)}/fields", body)

    def compare_definition(self, name: str, **source: Any) -> Json:
        """What has changed in the definition, read from its own address if no source is given: {changes, unchanged,
        hash}."""
        return self._ask("POST", f"/definitions/{step(name)}/compare", _source(source))

    def update_definition(
        self, name: str, *, accept: Sequence[str] | None = None, add: Sequence[str] = (), **source: Any
    ) -> Json:
        """Takes changes (keys; None for all of imported operations) and adds new operations; own corrections stay."""
        body = {"accept": accept, "add": list(add), **_source(source)}
        return self._ask("POST", f"/definitions/{step(name)}/update", body)

    def read_pasted(self, text: str, *, service: str = "", environment: str = "test") -> Json:
        """A pasted address, request as HTTP text, or list of parameters as an operation: {kind, base_address,
        operation, findings, difference}. service: by whose connection it is to be sent, as with `take_apart`."""
        return self._ask("POST", "/pastes", {"text": text, "service": service, "environment": environment})

    def body_from_sample(self, text: str, media_type: str = "") -> Json:
        """A body with its inputs, made from a sample of it (JSON, a form, XML): {operation: {body, inputs}, findings};
        nothing is stored."""
        return self._ask("POST", "/pastes", {"text": text, "part": "body", "media_type": media_type})

    def operation_forms(self) -> Json:
        """What an operation can be set to: {paging: the form of each pagination strategy}."""
        return self._ask("GET", "/operation-forms")

    def choose_body(self, document: Mapping[str, Any], media_type: str) -> Json:
        """An operation's document with another of the bodies that its service takes (`other_bodies`); nothing is
        stored."""
        found: Json = self._ask("POST", "/body-choices", {"document": document, "media_type": media_type})["document"]
        return found

    def copy_operation(self, name: str, new_name: str, *, title: str = "") -> Json:
        """Copies an operation with its samples and its mapping: {name, samples, mapping}; nothing links back."""
        return self._ask("POST", f"/operations/{step(name)}/copy", {"name": new_name, "title": title})

    def usual_operations(self, path: str, *, record_type: str = "", key: str = "id") -> list[Json]:
        """List, find, create, replace, change and remove of a resource at a path, as proposals: [{name, title,
        document}]."""
        return self._ask("POST", "/patterns", {"path": path, "record_type": record_type, "key": key})

    def show_request(
        self,
        *,
        service: str,
        environment: str = "test",
        operation: str | None = None,
        document: Json | None = None,
        inputs: Mapping[str, Any] | None = None,
        record: Json | None = None,
    ) -> Json:
        """The request as it would be sent, secrets masked; nothing is sent. record: {record_type, key}, which fills
        inputs that are not given."""
        asked = _asked(service, environment, operation, document, inputs)
        return self._ask("POST", "/requests", {**asked, **({"record": record} if record else {})})

    def try_operation(
        self,
        *,
        service: str,
        environment: str = "test",
        operation: str | None = None,
        document: Json | None = None,
        inputs: Mapping[str, Any] | None = None,
        confirmed: bool = False,
        in_protected: bool = False,
        empty_is_meant: bool = False,
        record: Json | None = None,
        mark: str | None = None,
    ) -> Json:
        """Sends a saved operation, or one from the draft, once. confirmed: needed for what may change something at the
        service. in_protected: needed besides in a protected environment.  empty_is_meant: needed besides where no input
        has a value.  record: {record_type, key}, which fills inputs that are not given. mark: 8 to 100 characters of
        one's own; asked for again with the same one, nothing is sent, and what became of the first is given."""
        asked = _asked(service, environment, operation, document, inputs) | ({"record": record} if record else {})
        meant = {"confirmed": confirmed, "in_protected": in_protected, "empty_is_meant": empty_is_meant}
        return self._ask("POST", "/trials", {**asked, **meant}, mark=mark)

    def try_once(
        self,
        base_address: str,
        document: Json,
        *,
        environment: str = "test",
        inputs: Mapping[str, Any] | None = None,
        confirmed: bool = False,
        empty_is_meant: bool = False,
    ) -> Json:
        """Sends an operation to a base address once, without a service or a connection, and without signing in; the
        host must be permitted."""
        asked = {"base_address": base_address, "document": document, "environment": environment}
        meant = {"confirmed": confirmed, "empty_is_meant": empty_is_meant}
        return self._ask("POST", "/trials", {**asked, "inputs": dict(inputs or {}), **meant})

    def keep_trial(self, run: int, service: str, **options: Any) -> Json:
        """Service, connection and operation of a one-off trial: {service, connection, operation, adopted: the paging
        that its response shows and the operation follows}. options: operation, title, service_title, environment,
        paging: "decline" to ask for one response only."""
        given = {name: value for name, value in options.items() if value is not None}
        return self._ask("POST", "/trials/keep", {"run": run, "service": service, **given})

    def describe_response(self, operation: str, definition: str, schema: str, *, status: str = "200") -> Json:
        """Says by which schema of an imported definition the operation's responses with a status are; trials are held
        against it."""
        held = self.operations.get(operation)
        others = [response for response in held["document"].get("responses", []) if response["status"] != status]
        described = {"status": status, "schema": {"$ref": f"#/$defs/{schema}"}, "definition": definition}
        document = {**held["document"], "responses": [*others, described]}
        return self.operations.change(operation, version=held["version"], document=document)

    def keep_sample(
        self,
        name: str,
        *,
        run: int | None = None,
        text: str | None = None,
        content: bytes | None = None,
        media_type: str | None = None,
        operation: str | None = None,
        keys: str | None = None,
    ) -> Json:
        """A sample from a trial's response, from a text, or from a file's content: JSON, one JSON value a line, or XML.

        media_type: left out, it is told by the content.  keys: what becomes of values that look like keys: mask or
        keep.
        """
        given = (
            {"name": name, "operation": operation}
            | ({"keys": keys} if keys else {})
            | ({"run": run} if run is not None else {})
            | ({"text": text} if text is not None else {})
            | ({"base64": b64encode(content).decode()} if content is not None else {})
            | ({"media_type": media_type} if media_type else {})
        )
        return self._ask("POST", "/samples", given)

    def tree(self, body: str, pointer: str = "", *, offset: int = 0, limit: int = 100, depth: int = 3) -> Json:
        return self._ask(
            "GET", f"/bodies/{body}/tree", query={"pointer": pointer, "offset": offset, "limit": limit, "depth": depth}
        )

    def places(self, body: str, *, text: str = "", pointer: str = "") -> Json:
        """Places of a stored body by a text in names and values, or by a JSON Pointer: {items: [{pointer, path, text,
        positions}], is_all}."""
        return self._ask("GET", f"/bodies/{body}/places", query={"text": text, "pointer": pointer})

    def text(self, body: str, *, offset: int = 0) -> Json:
        """A stored body as text from a character on, some of it at a time: {text, size, is_whole}."""
        return self._ask("GET", f"/bodies/{body}/text", query={"offset": offset})

    def content(self, body: str) -> bytes:
        """A stored body, byte for byte."""
        return self._client.download(f"{self._path}/bodies/{body}/content")

    # --- understanding and mapping

    def outline(self, *bodies: str, corrections: Sequence[Json] = ()) -> Json:
        """The schema of stored bodies: lines for people, and JSON Schema."""
        return self._ask("POST", "/outlines", {"bodies": list(bodies), "corrections": list(corrections)})

    def compare(self, before: str, after: str) -> Json:
        """Two stored bodies by structure and value: {differences: [{path, kind, before, after}], is_all}; formatting
        counts for nothing."""
        return self._ask("POST", "/comparisons", {"before": before, "after": after})

    def compare_structures(self, before: Sequence[str], after: Sequence[str], corrections: Sequence[Json] = ()) -> Json:
        """What newer stored bodies have that older ones do not allow: {differences: [{path, kind, before, after}],
        is_all}."""
        return self._ask(
            "POST",
            "/structure-comparisons",
            {"before": list(before), "after": list(after), "corrections": list(corrections)},
        )

    def propose(
        self,
        *bodies: str,
        rows: Sequence[str],
        name: str,
        take: Sequence[str] | None = None,
        corrections: Sequence[Json] = (),
        onto: bool = False,
    ) -> Json:
        """A record type and a mapping for rows at these levels. onto: the record type is there already; `pairs` tells
        what fills it, `open` what nothing does."""
        return self._ask(
            "POST",
            "/proposals",
            {
                "bodies": list(bodies),
                "rows": list(rows),
                "name": name,
                "take": None if take is None else list(take),
                "corrections": list(corrections),
                "onto": onto,
            },
        )

    def preview(
        self,
        body: str,
        mapping: Json,
        record_types: Mapping[str, Json] | None = None,
        inputs: Mapping[str, Any] | None = None,
    ) -> Json:
        """What a mapping makes of a stored response; nothing is kept."""
        return self._ask(
            "POST",
            "/previews",
            {"body": body, "mapping": mapping, "record_types": dict(record_types or {}), "inputs": dict(inputs or {})},
        )

    # --- responses in files, kept nowhere

    def read_tree(self, content: "Content", *, at: str = "", depth: int = 3, limit: int = 20) -> Json:
        """A response as a tree below a JSON Pointer: {format, lines: [{path, depth, name, kind, text, count}]}."""
        return self._read("tree", [content], {"at": at, "depth": depth, "limit": limit})

    def read_outline(self, *contents: "Content", corrections: Sequence[Json] = ()) -> Json:
        """The schema of responses, as `outline` gives it."""
        return self._read("outline", contents, {"corrections": list(corrections)})

    def read_comparison(self, before: "Content", after: "Content") -> Json:
        """Two responses by structure and value, as `compare` gives it."""
        return self._read("comparison", [before, after], {})

    def read_structure_comparison(self, *contents: "Content", corrections: Sequence[Json] = ()) -> Json:
        """What the last of several responses has that the others do not allow, as `compare_structures` gives it."""
        return self._read("structure-comparison", contents, {"corrections": list(corrections)})

    def read_proposal(
        self,
        *contents: "Content",
        rows: Sequence[str],
        name: str,
        take: Sequence[str] | None = None,
        corrections: Sequence[Json] = (),
        onto: bool = False,
    ) -> Json:
        """A record type and a mapping for rows at these levels, as `propose` gives them."""
        asked = {"rows": list(rows), "name": name, "take": take and list(take), "corrections": list(corrections)}
        return self._read("proposal", contents, {**asked, "onto": onto})

    def read_records(
        self,
        content: "Content",
        mapping: str | Json,
        record_types: Mapping[str, Json] | None = None,
        inputs: Mapping[str, Any] | None = None,
    ) -> Iterator[Json]:
        """What a mapping, saved or a draft, makes of a response of any size, line by line: records {record_type,
        ordinal, data}, rejects {record_type, ordinal, path, problems, row}, last {counts}."""
        chosen = {"mapping": mapping} if isinstance(mapping, str) else {"draft": mapping}
        asked = {**chosen, "record_types": dict(record_types or {}), "inputs": dict(inputs or {})}
        return self._client.lines_of(f"{self._path}/readings/records", content, asked)

    def _read(self, what: str, contents: "Sequence[Content]", asked: Json) -> Json:
        return self._client.ask_of(f"{self._path}/readings/{what}", contents, asked)

    # --- running

    def run_feed(
        self,
        name: str,
        inputs: Mapping[str, Any] | None = None,
        *,
        confirmed: bool = False,
        mark: str | None = None,
    ) -> Json:
        """Queues a run; see `watch`. mark: as of `try_operation`."""
        body = {"inputs": dict(inputs or {}), "confirmed": confirmed}
        return self._ask("POST", f"/feeds/{step(name)}/runs", body, mark=mark)

    def run(self, run_id: int) -> Json:
        return self._ask("GET", f"/runs/{run_id}")

    def runs(self, *, limit: int | None = None, **filters: str) -> Iterator[Json]:
        """Runs, newest first. filters: feed, operation, state, kind, environment.  limit: how many at most."""
        after, given = None, 0
        while True:
            page = self._ask(
                "GET", "/runs", query={**filters, "after": after, "limit": min(limit, 100) if limit else 100}
            )
            for item in page["items"]:
                yield item
                given += 1
                if limit is not None and given >= limit:
                    return
            after = page["next"]
            if after is None:
                return

    def watch(self, run_id: int, *, patience: float = 60.0) -> Iterator[Json]:
        """The run each time something has happened to it, until it is over.

        Goes on after a broken stream: it asks again until the service answers, for up to `patience` seconds; what was
        told before is not told twice. Raises Unreachable after that, or if there was no answer at all.
        """
        told: Json | None = None
        broken_at: float | None = None
        while True:
            try:
                for run in self._client.events(f"{self._path}/runs/{run_id}/events"):
                    broken_at = None
                    if run != told:
                        told = run
                        yield run
                    if run["state"] in OVER:
                        return
            except RondineProblem as problem:
                if told is None or problem.status not in (0, 502, 503):
                    raise
                broken_at = broken_at or time.monotonic()
                if time.monotonic() - broken_at >= patience:
                    raise
            time.sleep(0.5)

    def cancel(self, run_id: int) -> Json:
        return self._ask("POST", f"/runs/{run_id}/cancel")

    def calls(self, run_id: int) -> Iterator[Json]:
        return self._pages(f"/runs/{run_id}/calls")

    def fed(self, run_id: int, call: int, *, place: str = "") -> Json:
        """What a call's response fed: for each record type its rows, with their records and the place of each value.
        place: a JSON Pointer; only rows with a value from there or from within."""
        return self._ask("GET", f"/runs/{run_id}/calls/{call}/fed", query={"place": place or None})

    def rejects(self, run_id: int) -> Iterator[Json]:
        return self._pages(f"/runs/{run_id}/rejects")

    def _pages(self, path: str) -> Iterator[Json]:
        after = None
        while True:
            page = self._ask("GET", path, query={"after": after})
            yield from page["items"]
            after = page["next"]
            if after is None:
                return

    # --- records

    def records(
        self, environment: str, record_type: str, *, sort: str | None = None, limit: int | None = None, **filters: Any
    ) -> Iterator[Json]:
        """Kept records. filters: field="value"; ranges as {"girth.from": "1.5"}; limit: how many at most, None for
        all."""
        cursor, given = None, 0
        while True:
            page = self.record_page(
                environment, record_type, cursor=cursor, sort=sort, limit=min(limit or 200, 200), **filters
            )
            for item in page["items"]:
                yield item
                given += 1
                if limit is not None and given >= limit:
                    return
            cursor = page["next"]
            if cursor is None:
                return

    def record_page(
        self,
        environment: str,
        record_type: str,
        *,
        cursor: str | None = None,
        sort: str | None = None,
        limit: int = 50,
        **filters: Any,
    ) -> Json:
        return self._ask(
            "GET",
            f"/environments/{environment}/records/{step(record_type)}",
            query={"cursor": cursor, "sort": sort, "limit": limit, **filters},
        )

    def record(self, environment: str, record_type: str, *key: str) -> Json:
        """One record by its key, with the place each value came from."""
        return self._ask(
            "GET",
            f"/environments/{environment}/records/{step(record_type)}/" + "/".join(step(part) for part in key),
        )


def _asked(
    service: str, environment: str, operation: str | None, document: Json | None, inputs: Mapping[str, Any] | None
) -> Json:
    asked: Json = {"service": service, "environment": environment, "inputs": dict(inputs or {})}
    return (
        asked
        | ({"operation": operation} if operation else {})
        | ({"document": document} if document is not None else {})
    )


def _source(options: Mapping[str, Any]) -> Json:
    """Files by name as the API takes them."""
    out = {name: value for name, value in options.items() if value is not None}
    if "files" in out:
        out["files"] = [
            {"name": name, "text": one} if isinstance(one, str) else {"name": name, "base64": b64encode(one).decode()}
            for name, one in out["files"].items()
        ]
    return out
