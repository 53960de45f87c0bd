"""WSDL 1.1 with its XML Schemas, read into operations: document/literal and rpc, SOAP 1.1 and 1.2.

W3C Note WSDL 1.1, section 3 ("SOAP Binding"); WSDL 1.1 Binding Extension for SOAP 1.2. An operation offered in several
bindings is read once, in SOAP 1.1 if it is there. Encoded messages are read as if they were literal, and said.
"""

import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import replace
from typing import Any
from urllib.parse import urlsplit

from lxml import etree
from msgspec import UNSET, structs

from rondine.core.definitions.files import Files
from rondine.core.definitions.inputs import fitting, input_name
from rondine.core.definitions.model import Definition, DescribedOperation, Server, ServicePart, chosen_part
from rondine.core.definitions.xml_schemas import XmlDefs
from rondine.core.definitions.xsd import XML, XSI, Name, Part, Shape, XmlSchemas, schemas_in
from rondine.core.documents.xml import local, read_xml
from rondine.core.errors import DocumentError, Problem, did_you_mean
from rondine.core.names import free_name, proposed_name
from rondine.core.operations.document import OperationDocument, ResponseDescription, SoapBody, XmlChild, XmlElement
from rondine.core.operations.inputs import Bounds, Input
from rondine.core.operations.values import ValueOf
from rondine.core.protocols.xml_writing import XSI_TYPE

_BINDINGS = {"http://schemas.xmlsoap.org/wsdl/soap/": "1.1", "http://schemas.xmlsoap.org/wsdl/soap12/": "1.2"}
#: Elements within elements that are taken apart; deeper ones are given as JSON.
MOST_LEVELS = 5
MOST_INPUTS = 120
#: Types of structured elements in one request.
MOST_TYPES = 400
_READS = re.compile(r"(get|find|list|search|query|read|lookup|fetch|show)([A-Z_]|$)", re.IGNORECASE)


def read_wsdl(files: Files, address: str = "", part: str = "") -> Definition:
    """part: scheme and host of the ports that are read; those of the first one, if left out. Raises DocumentError if it
    offers no operation by SOAP."""
    return _Reader(files, address).definition(part)


class _Reader:
    def __init__(self, files: Files, address: str) -> None:
        self.files, self.address = files, address
        self.schemas = XmlSchemas(files)
        self.defs = XmlDefs(self.schemas)
        self.messages: dict[Name, etree._Element] = {}
        self.ports: dict[Name, etree._Element] = {}
        self.bindings: dict[Name, etree._Element] = {}
        self.services: list[etree._Element] = []
        self.homes: dict[int, tuple[str, str]] = {}
        self.warnings: list[Problem] = []
        self.left: list[Problem] = []
        self.title = ""
        unbound: list[str] = []
        root = read_xml(files.contents[files.main], name=files.main, unbound=unbound)
        self.warnings += [Problem(files.main, one, "declare the prefix; it is read as it stands") for one in unbound]
        self._read(root, files.main, {files.main})

    def _read(self, root: etree._Element, file: str, seen: set[str]) -> None:
        target = root.get("targetNamespace", "")
        self.title = self.title or root.get("name", "")
        self.homes[id(root)] = (target, file)
        for schema in schemas_in(root):
            self.schemas.add(schema, file)
        for element in root:
            name = (target, element.get("name", ""))
            match local(element):
                case "message":
                    self.messages[name] = element
                case "portType":
                    self.ports[name] = element
                case "binding":
                    self.bindings[name] = element
                case "service":
                    self.services.append(element)
                case "import" if element.get("location"):
                    self._import(element, file, seen)

    def _import(self, element: etree._Element, file: str, seen: set[str]) -> None:
        name = self.files.joined(file, element.get("location", ""))
        if name in seen:
            return
        seen.add(name)
        content = self.files.contents.get(name)
        if not content:
            words = f'it imports "{element.get("location", "")[:120]}", which is not here'
            self.warnings.append(Problem(self._where(element, file), words, "upload it too, or import by address"))
            return
        try:
            root = read_xml(content, name=name)
        except DocumentError as error:
            self.warnings.append(Problem(self._where(element, file), f"what it imports cannot be read: {error}", ""))
            return
        if local(root) == "schema":
            self.schemas.add(root, name)
        else:
            self._read(root, name, seen)

    def _where(self, element: etree._Element, file: str = "") -> str:
        line: Any = element.sourceline
        name = file or self.files.main
        return f"{name.rpartition('/')[2] or name}, line {line}"

    def _named(self, element: etree._Element, text: str) -> Name:
        prefix, colon, last = text.strip().rpartition(":")
        return (element.nsmap.get(prefix if colon else None) or "", last)

    def definition(self, part: str) -> Definition:
        ports = list(self._ports())
        origins = Counter(found for _, _, _, address in ports if (found := _origin(address)))
        home = chosen_part(part, list(origins), self.files.main) or next(iter(origins), "")
        paths = [urlsplit(address).path for _, _, _, address in ports if home and _origin(address) == home]
        folder = paths[0].rpartition("/")[0] if len(set(paths)) == 1 else ""
        operations: dict[tuple[Name, str], DescribedOperation] = {}
        names: set[str] = set()
        for port, binding, version, address in ports:
            if home and address and _origin(address) != home:
                words = f'the port "{port.get("name", "")}" is at another address: {address[:120]}'
                self.left.append(Problem(self._where(port), words, "choose it to import it as a service of its own"))
                continue
            self._binding(binding, version, operations, names, _path_below(address, folder))
        for binding in self.bindings.values() if not self.services else ():
            if version := self._version_of(binding):
                self._binding(binding, version, operations, names, "/")
        if not home and operations:
            words = (
                "it names no address: no service has a port for its bindings"
                if not self.services
                else "its ports name no address"
            )
            self.warnings.append(Problem(self.files.main, words, "give the connection its base address"))
        if not self.services and not self.bindings and not self.ports and not self.messages:
            raise DocumentError(
                "the WSDL has no service, no binding and no message",
                where=self.files.main,
                hint="is this a part that another WSDL imports?",
            )
        if not self.services and not self.bindings:
            words = "the WSDL has no service and no binding, so no operation can be sent"
            self.warnings.append(Problem(self.files.main, words, "is this a part that another WSDL imports?"))
        base = f"{home}{folder}" if home else ""
        return Definition(
            format="WSDL 1.1",
            title=self.title or (self.services[0].get("name", "") if self.services else ""),
            description=_words(self.services[0]) if self.services else "",
            servers=(Server(base),) if base else (),
            operations=tuple(operations.values()),
            schemas=self.defs.defs,
            warnings=(*self.warnings, *self.schemas.problems),
            left_out=tuple(self.left),
            files=tuple(self.files.contents),
            parts=tuple(ServicePart(*item) for item in origins.items()) if len(origins) > 1 else (),
            part=home,
        )

    def _ports(self) -> Iterator[tuple[etree._Element, etree._Element, str, str]]:
        """(port, its binding, SOAP version, address) of all that are bound to SOAP, those of SOAP 1.1 first in each
        service."""
        for service in self.services:
            found = []
            for port in service:
                if local(port) != "port":
                    continue
                binding = self.bindings.get(self._named(port, port.get("binding", "")))
                version = self._version_of(binding)
                if binding is None or not version:
                    words = f'the port "{port.get("name", "")}" is not bound to SOAP'
                    self.left.append(Problem(self._where(port), words, "only SOAP over HTTP is read"))
                    continue
                address = next((one.get("location", "") for one in port if local(one) == "address"), "")
                found.append((port, binding, version, address))
            yield from sorted(found, key=lambda one: one[2] != "1.1")

    @staticmethod
    def _version_of(binding: etree._Element | None) -> str:
        """The SOAP version of a binding, empty if it is none."""
        for element in binding if binding is not None else ():
            if local(element) == "binding":
                return _BINDINGS.get(str(element.tag).partition("}")[0][1:], "")
        return ""

    def _binding(
        self,
        binding: etree._Element,
        version: str,
        operations: dict[tuple[Name, str], DescribedOperation],
        names: set[str],
        path: str,
    ) -> None:
        """Adds the operations of a binding; those of a port type that another binding has brought are there already."""
        port_type = self._named(binding, binding.get("type", ""))
        port = self.ports.get(self._named(binding, binding.get("type", "")))
        if port is None:
            words = f'the port type "{binding.get("type", "")}" is not defined'
            self.left.append(
                Problem(
                    self._where(binding), words, did_you_mean(binding.get("type", ""), [name for _, name in self.ports])
                )
            )
            return
        style = next((one.get("style", "document") for one in binding if local(one) == "binding"), "document")
        offered = {one.get("name", ""): one for one in port if local(one) == "operation"}
        for element in binding:
            name = element.get("name", "")
            if local(element) != "operation" or (port_type, name) in operations:
                continue
            if name not in offered:
                words = f'the operation "{name}" is bound, but the port type does not have it'
                self.left.append(Problem(self._where(element), words, did_you_mean(name, offered)))
                continue
            is_alone = all(other != name for _, other in operations)
            key = name if is_alone else f"{port_type[1]}/{name}"
            try:
                described_operation = self._operation(name, element, offered[name], version, style, names)
                operations[port_type, name] = replace(
                    described_operation, key=key, document=structs.replace(described_operation.document, path=path)
                )
            except DocumentError as error:
                self.left.append(Problem(error.where, f"{name}: {error.message}", error.hint))

    def _operation(
        self, name: str, bound: etree._Element, offered: etree._Element, version: str, style: str, names: set[str]
    ) -> DescribedOperation:
        if not re.fullmatch(r"[A-Za-z_][\w.-]*", name):
            raise DocumentError(
                f'"{name[:60]}" is not a name of an element', where=self._where(bound), hint="correct it"
            )
        soap = next((one for one in bound if local(one) == "operation"), None)
        action = soap.get("soapAction", "") if soap is not None else ""
        style = soap.get("style", style) if soap is not None else style
        writer = _Writer(self.schemas)
        sent = self._body_of(bound, "input")
        parts = self._parts(offered, "input")
        if sent is not None and sent.get("parts") is not None:  # the others go into headers, or nowhere
            parts = [one for one in parts if one.get("name") in sent.get("parts", "").split()]
        if sent is not None and sent.get("use") == "encoded":
            self.warnings.append(
                Problem(self._where(bound), f'"{name}" is encoded (SOAP section 5)', "it is read as literal; try it")
            )
        if style == "rpc":
            namespace = sent.get("namespace", "") if sent is not None else ""
            root = writer.prefixed((namespace, name))
            for part in parts:
                writer.part(self._rpc_part(part), "", [])
        else:
            element = next((part.get("element") for part in parts if part.get("element")), None)
            if element is None:
                if parts:
                    words = "a document message needs an element, not a type"
                    raise DocumentError(words, where=self._where(offered), hint="is the style rpc?")
                root = writer.prefixed(("", name))
            else:
                holder = next(part for part in parts if part.get("element"))
                found = self.schemas.element(self._named(holder, element))
                if found is None:
                    known = [label for _, label in self.schemas.elements]
                    hint = did_you_mean(element.rpartition(":")[2], known)
                    raise DocumentError(f'the element "{element}" is not defined', where=self._where(holder), hint=hint)
                root = writer.prefixed(found.name)
                writer.inside(found, "", [])
        headers = self._headers(bound, writer)
        title = re.sub(r"(?<=[a-z0-9])(?=[A-Z])|[_.]+", " ", name).strip()
        proposed = proposed_name(name, taken=names)
        names.add(proposed)
        body = SoapBody(
            version=version,  # type: ignore[arg-type]
            action=action,
            namespaces={prefix: uri for uri, prefix in writer.prefixes.items()},
            root=root,
            elements=writer.elements,
            headers=headers,
            types=writer.types,
            derived=writer.derived,
            reads=bool(_READS.match(name)),
        )
        document = OperationDocument(
            method="POST",
            path="/",
            inputs=writer.inputs,
            body=body,
            responses=self._responses(offered),
            description=_words(offered)[:8000],
            tags=[self.services[0].get("name", "service")] if self.services else [],
        )
        key = name
        return DescribedOperation(
            key, proposed, title[:1].upper() + title[1:].lower(), document, f"/operations/{name}", tuple(document.tags)
        )

    def _body_of(self, bound: etree._Element, side: str) -> etree._Element | None:
        holder = next((one for one in bound if local(one) == side), None)
        return (
            next((element for element in holder.iter() if local(element) == "body"), None)
            if holder is not None
            else None
        )

    def _parts(self, offered: etree._Element, side: str) -> list[etree._Element]:
        holder = next((one for one in offered if local(one) == side), None)
        if holder is None:
            return []
        name = self._named(holder, holder.get("message", ""))
        element = self.messages.get(name)
        if element is None:
            hint = did_you_mean(name[1], [label for _, label in self.messages])
            raise DocumentError(f'the message "{name[1]}" is not defined', where=self._where(holder), hint=hint)
        return [one for one in element if local(one) == "part"]

    def _rpc_part(self, part: etree._Element) -> Part:
        label = part.get("name", "")
        if element := part.get("element"):
            found = self.schemas.element(self._named(part, element))
            return Part(("", label), "element", found.type if found else None)
        return Part(("", label), "element", self._named(part, part.get("type", "")) if part.get("type") else None)

    def _headers(self, bound: etree._Element, writer: "_Writer") -> list[XmlElement]:
        """Header blocks that the binding names, each with inputs of its own."""
        holder = next((one for one in bound if local(one) == "input"), None)
        before, writer.elements = writer.elements, []
        for element in holder.iter() if holder is not None else ():
            if local(element) != "header":
                continue
            message = self.messages.get(self._named(element, element.get("message", "")))
            part = (
                next((each for each in message if each.get("name") == element.get("part")), None)
                if message is not None
                else None
            )
            found = self.schemas.element(self._named(part, part.get("element", ""))) if part is not None else None
            if found is not None:
                found.least = 0
                writer.part(found, "", [])
        headers, writer.elements = writer.elements, before
        return headers

    def _responses(self, offered: etree._Element) -> list[ResponseDescription]:
        try:
            parts = self._parts(offered, "output")
        except DocumentError:
            parts = []
        element = next((self._named(part, part.get("element", "")) for part in parts if part.get("element")), None)
        found = self.schemas.element(element) if element else None
        schema = self.defs.element(element) if element and found else None
        faults = [one.get("name", "") for one in offered if local(one) == "fault"]
        out = [ResponseDescription(status="200", media_type="text/xml", schema=schema)]
        words = f"a fault: {', '.join(faults)}" if faults else "a fault"
        return [*out, ResponseDescription(status="500", media_type="text/xml", description=words)]


class _Writer:
    """Makes elements and inputs of a request from its schema."""

    def __init__(self, schemas: XmlSchemas) -> None:
        self.schemas = schemas
        self.prefixes: dict[str, str] = {}
        self.elements: list[XmlElement] = []
        self.inputs: list[Input] = []
        self.types: dict[str, list[XmlChild]] = {}
        self.derived: dict[str, dict[str, str]] = {}
        self._type_names: dict[int, str] = {}

    def prefixed(self, name: Name) -> str:
        if not name[0]:
            return name[1]
        if name[0] == XML:
            return f"xml:{name[1]}"
        if name[0] not in self.prefixes:
            self.prefixes[name[0]] = f"n{len(self.prefixes) + 1}"
        return f"{self.prefixes[name[0]]}:{name[1]}"

    def inside(self, part: Part, at: str, seen: list[int]) -> None:
        """What is within the root itself."""
        shape = self.schemas.shape(part.type)
        if shape.plain and not shape.parts:
            self._plain(part, shape, ".", within=None)
            return
        for one in shape.parts:
            self.part(one, at, [*seen, shape.key])

    def part(self, part: Part, at: str, seen: list[int], *, within: str | None = None) -> None:
        """within: the place of the outermost element that may be left out and requires what this stands in; None if
        that is always there."""
        step = f"@{self.prefixed(part.name)}" if part.kind == "attribute" else self.prefixed(part.name)
        here = f"{at}/{step}" if at else step
        shape = self.schemas.shape(part.type)
        is_structured = bool(shape.parts) or shape.is_abstract
        is_apart = (
            bool(shape.parts)
            and not shape.is_abstract
            and not part.is_list
            and shape.key not in seen
            and len(seen) < MOST_LEVELS
            and len(self.inputs) < MOST_INPUTS
        )
        if is_structured and not is_apart:
            self._add(part, here, "json", [], within=within)
        elif shape.parts:
            if shape.plain:
                self._plain(part, shape, f"{here}/.", within=within)
            for one in shape.parts:
                self.part(one, here, [*seen, shape.key], within=within if part.least > 0 else here)
        else:
            self._plain(part, shape, here, within=within)

    def _plain(self, part: Part, shape: Shape, here: str, *, within: str | None) -> None:
        kind = "json" if part.is_list else shape.plain or "text"
        self._add(part, here, kind, [] if part.is_list else shape.allowed, within=within)

    def _add(self, part: Part, here: str, kind: Any, allowed: list[str], *, within: str | None) -> None:
        steps = [re.sub(r"^@?(\w[\w.-]*:)?", "", step) for step in here.split("/") if step != "."]
        label, number = input_name("_".join(steps) or part.name[1]), 2
        wanted = label
        while any(input_.name == label for input_ in self.inputs):
            label, number = f"{wanted[:58]}_{number}", number + 1
        required = part.least > 0 and within is None
        required_in = within if part.least > 0 else None
        shape = self.schemas.shape(part.type)
        if part.fixed and part.least > 0 and kind != "json":
            self.elements.append(XmlElement(at=here, value=part.fixed, required_in=required_in))
            return
        default = fitting(part.default, kind) if part.default and kind != "json" else UNSET
        self.inputs.append(
            Input(
                name=label,
                type=kind,
                required=required,
                default=default if required else UNSET,  # what is optional is left out, and the service fills it in
                try_value=UNSET if required else default,
                allowed=[part.fixed] if part.fixed and kind == "text" else list(allowed),
                bounds=shape.bounds if kind != "json" else Bounds(),
                description=part.description,
            )
        )
        structure = self._type(shape, part.name[1]) if kind == "json" and (shape.parts or shape.derived) else ""
        if derived := self.derived.get(structure):
            words = f"its type is given as @{XSI_TYPE}: one of {', '.join(derived)}"
            said = f"{part.description} ({words})" if part.description else words
            self.inputs[-1] = structs.replace(self.inputs[-1], description=said[:2000])
        self.elements.append(XmlElement(at=here, value=ValueOf(input=label), type=structure, required_in=required_in))

    def _type(self, shape: Shape, label: str) -> str:
        """The name of a structured element's type, whose children are written in their order and namespaces; circles
        end where they began."""
        if shape.key not in self._type_names:
            if len(self.types) >= MOST_TYPES:
                return ""
            name = self._type_names[shape.key] = free_name(label, self.types, separator="_")
            children = self.types[name] = []
            for part in shape.parts:
                inner = self.schemas.shape(part.type)
                step = f"@{self.prefixed(part.name)}" if part.kind == "attribute" else self.prefixed(part.name)
                is_structured = inner.parts or inner.derived
                children.append(XmlChild(name=step, type=self._type(inner, part.name[1]) if is_structured else ""))
            if shape.derived:
                self._derived(shape, name)
        return self._type_names[shape.key]

    def _derived(self, shape: Shape, name: str) -> None:
        """The types that a value of this one may be of; itself, unless it is abstract."""
        self.prefixes.setdefault(XSI, "xsi")
        choices = self.derived[name] = {}
        own = self.schemas.name_of(shape)
        for one in [*([own] if own and not shape.is_abstract else []), *shape.derived]:
            kind = name if one == own else self._type(self.schemas.shape(one), one[1])
            if kind:
                choices[self.prefixed(one)] = kind


def _words(element: etree._Element) -> str:
    found = next((one for one in element if local(one) == "documentation"), None)
    return " ".join("".join(str(text) for text in found.itertext()).split()) if found is not None else ""


def _origin(address: str) -> str:
    """Scheme and host of a port's address; empty if it is none of HTTP."""
    parts = urlsplit(address)
    return f"{parts.scheme}://{parts.netloc}" if parts.scheme in ("http", "https") and parts.netloc else ""


def _path_below(address: str, folder: str) -> str:
    """The path of a port's operations below the base address, with its query."""
    parts = urlsplit(address)
    path = parts.path.removeprefix(folder) or "/"
    return re.sub(r"[{}]", "", path + (f"?{parts.query}" if parts.query else ""))
