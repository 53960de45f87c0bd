"""Which format a definition has, told by its content alone; and reading it."""

from rondine.core.definitions.csdl import is_csdl_json, read_csdl_json, read_csdl_xml
from rondine.core.definitions.files import Files
from rondine.core.definitions.graphql import (
    is_introspection,
    looks_like_sdl,
    read_graphql,
    schema_of_introspection,
    schema_of_sdl,
)
from rondine.core.definitions.har import is_har, read_har, without_secrets_har
from rondine.core.definitions.model import Definition
from rondine.core.definitions.openapi import read_openapi, version_of
from rondine.core.definitions.wsdl import read_wsdl
from rondine.core.documents.json import Limits, json_text, read_json
from rondine.core.documents.xml import local, read_xml
from rondine.core.errors import DocumentError, short

READ = "read are OpenAPI (JSON, YAML), OData metadata (CSDL) GraphQL (schema or introspection result), WSDL 1.1, and recorded sessions (HTTP Archive)"


def read_definition(files: Files, address: str = "") -> Definition:
    """Whatever is sound in a definition. address: where it came from, empty if it was uploaded.

    Raises DocumentError with the place if it cannot be read, or is none.
    """
    if files.is_xml():
        root = read_xml(files.contents[files.main], name=files.main)
        if local(root) in ("Edmx", "Schema") and "edm" in root.tag.lower():
            return read_csdl_xml(root, files.main, address)
        if local(root) == "definitions" and "wsdl" in root.tag.lower():
            return read_wsdl(files, address)
        raise DocumentError(
            f"no format is recognised; the document begins with <{local(root)[:60]}>",
            where=f"{files.main}, line {root.sourceline}",
            hint=READ,
        )
    text = files.contents[files.main].decode("utf-8", "replace")
    if looks_like_sdl(text):
        schema, problems = schema_of_sdl(text, files.main)
        return read_graphql(schema, problems, files.main)
    value = files.value(files.main)
    if is_introspection(value):
        schema = schema_of_introspection(value, files.main)
        return read_graphql(schema, [], files.main, address, label="introspection")
    if version_of(value):
        return read_openapi(files, address)
    if is_har(value):
        return read_har(value, files.main)
    if is_csdl_json(value):
        return read_csdl_json(value, files.main, address)
    raise unknown(value, files.main)


def fit_to_keep(content: bytes) -> bytes:
    """A file of a definition as it may be stored: a recorded session without its secrets, everything else as it is."""
    if b'"log"' not in content[:4000] or content.lstrip()[:1] != b"{":
        return content
    try:
        value = read_json(content, limits=Limits(size=200 * 1024 * 1024))
    except DocumentError:
        return content
    return json_text(without_secrets_har(value)).encode() if is_har(value) else content


def unknown(value: object, name: str) -> DocumentError:
    """What to say of a document that is no definition."""
    if isinstance(value, dict):
        near = [one for one in ("openApi", "OpenAPI", "open-api", "swaggerVersion", "Swagger") if one in value]
        if near:
            words = f'there is "{near[0]}" where "openapi" or "swagger" is expected'
            return DocumentError(words, where=name, hint="correct the name")
        if "paths" in value:
            words = "this looks like OpenAPI, but does not say its version"
            return DocumentError(words, where=name, hint='add openapi: 3.1.0, or swagger: "2.0"')
        seen = ", ".join(map(str, list(value)[:6]))
        return DocumentError(f"no format is recognised; the document has: {seen}", where=name, hint=READ)
    return DocumentError(f"no format is recognised: {short(str(value)[:60])}", where=name, hint=READ)
