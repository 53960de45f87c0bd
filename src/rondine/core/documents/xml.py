"""XML, whole, for definitions: no entities, no network, no DTD; a fault has its line and column."""

from typing import Any

from lxml import etree

from rondine.core.errors import DocumentError

#: Elements of one document; the largest definition we have met has 30,000.
MOST_ELEMENTS = 2_000_000


def read_xml(body: bytes, *, name: str = "the document", unbound: list[str] | None = None) -> etree._Element:
    """The root element. Raises DocumentError with line and column; a document type is refused, as it could define
    entities.

    unbound: gets what is said of prefixes that stand for no namespace; the document is read all the same then.
    """
    head = body[:100_000].replace(b"\0", b"")
    if b"<!DOCTYPE" in head or b"<!ENTITY" in head:
        raise DocumentError(
            "it has a document type, which is not read", where=name, hint="take the <!DOCTYPE ...> away"
        )

    def parser(*, is_lenient: bool = False) -> etree.XMLParser:
        return etree.XMLParser(
            resolve_entities=False, no_network=True, load_dtd=False, dtd_validation=False, huge_tree=False,
            remove_comments=True, remove_pis=True, recover=is_lenient,
        )  # fmt: skip

    try:
        root = etree.fromstring(body, parser())
    except etree.XMLSyntaxError as error:
        log: Any = error.error_log
        faults = list(log)
        if unbound is not None and faults and all(fault.type_name == "NS_ERR_UNDEFINED_NAMESPACE" for fault in faults):
            unbound += [f"line {fault.line}: {fault.message}" for fault in faults]
            return etree.fromstring(body, parser(is_lenient=True))
        line, column = error.position
        where = f"{name}, line {line}, column {column}" if line else name
        raise DocumentError(
            f"not XML: {error.msg}", where=where, hint="look at what stands before that place"
        ) from error
    except ValueError as error:
        raise DocumentError(f"not XML: {error}", where=name) from error
    if root is None:
        raise DocumentError("there is no element", where=name, hint="the document is empty")
    return root


def local(element: etree._Element) -> str:
    """The element's name without its namespace."""
    tag = element.tag
    return tag.rpartition("}")[2] if isinstance(tag, str) else ""
