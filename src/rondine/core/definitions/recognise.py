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
from rondine.core.definitions.har import is_har, read_har
from rondine.core.definitions.har_recording import without_secrets_har
from rondine.core.definitions.model import Definition, chosen_part
from rondine.core.definitions.openapi import read_openapi, version_of
from rondine.core.definitions.schema_alone import is_json_schema, read_json_schema, read_sample
from rondine.core.definitions.wsdl import read_wsdl
from rondine.core.definitions.xml_schemas import read_xsd
from rondine.core.documents import ReadDocument, likely_media_type, read_document
from rondine.core.documents.json import Limits, json_text, read_json
from rondine.core.documents.xml import local, read_xml
from rondine.core.errors import DocumentError, short

READ = (
    "read are OpenAPI (JSON, YAML), OData metadata (CSDL), GraphQL (schema or introspection result), WSDL 1.1, recorded"
    " sessions (HTTP Archive), JSON Schema, XML Schema, and samples of responses"
)
#: A sample may be as large as a definition.
LARGE = Limits(size=100 * 1024 * 1024)


def read_definition(files: Files, address: str = "", part: str = "") -> Definition:
    """Whatever is sound in a definition. address: where it came from, empty if it was uploaded.  part: which of the
    services in it, where it has several (see `Definition.parts`).

    Raises DocumentError with the place if it cannot be read, is none, or has no such part.
    """
    definition = _read(files, address, part)
    if part != definition.part:
        chosen_part(part, [service_part.name for service_part in definition.parts], files.main)
    return definition


def _read(files: Files, address: str, part: str) -> Definition:
    files.report("files", 0, len(files.contents))
    if files.is_xml():
        root = read_xml(files.contents[files.main], name=files.main, unbound=[])
        if local(root) in ("Edmx", "Schema") and "edm" in root.tag.lower():
            return read_csdl_xml(root, files, address)
        if local(root) == "definitions" and "wsdl" in root.tag.lower():
            return read_wsdl(files, address, part)
        if local(root) == "schema" and root.tag.startswith("{http://www.w3.org/2001/XMLSchema}"):
            return read_xsd(files)
        if local(root) in ("description", "application", "Edmx", "definitions"):
            raise DocumentError(
                f"no format is recognised; the document begins with <{local(root)[:60]}>",
                where=f"{files.main}, line {root.sourceline}",
                hint=READ,
            )
        content = files.contents[files.main]
        return read_sample(read_document(content, name=files.main, limits=LARGE), content, files.main, address)
    text = files.contents[files.main].decode("utf-8", "replace")
    if looks_like_sdl(text):
        schema, problems = schema_of_sdl(text, files.main)
        return read_graphql(schema, problems, files.main)
    content = files.contents[files.main]
    if likely_media_type(content) == "application/x-ndjson":
        read = read_document(content, media_type="application/x-ndjson", name=files.main, limits=LARGE)
        return read_sample(read, content, files.main, address)
    value = files.value(files.main)
    if is_introspection(value):
        schema = schema_of_introspection(value, files.main)
        return read_graphql(schema, [], files.main, address, label="introspection")
    if version_of(value):
        return read_openapi(files, address)
    if is_har(value):
        return read_har(value, files.main, part)
    if is_csdl_json(value):
        return read_csdl_json(value, files, address)
    if is_json_schema(value):
        return read_json_schema(files)
    if (problem := nearly_known(value, files.main)) is not None:
        raise problem
    return read_sample(ReadDocument(value), content, files.main, address)


def fit_to_keep(content: bytes) -> bytes:
    """A file of a definition as it may be stored: a recorded session without its secrets, everything else as it is."""
    if b'"log"' not in content[:4000] or content.lstrip()[:1] != b"{":
        return content
    try:
        value = read_json(content, limits=Limits(size=200 * 1024 * 1024))
    except DocumentError:
        return content
    return json_text(without_secrets_har(value)).encode() if is_har(value) else content


def nearly_known(value: object, name: str) -> DocumentError | None:
    """What to say of a document that seems meant as a definition and is none; None if it may be a sample."""
    if isinstance(value, dict):
        near = [one for one in ("openApi", "OpenAPI", "open-api", "swaggerVersion", "Swagger") if one in value]
        if near:
            words = f'there is "{near[0]}" where "openapi" or "swagger" is expected'
            return DocumentError(words, where=name, hint="correct the name")
        if "paths" in value:
            words = "this looks like OpenAPI, but does not say its version"
            return DocumentError(words, where=name, hint='add openapi: 3.1.0, or swagger: "2.0"')
    if isinstance(value, (dict, list)):
        return None
    return DocumentError(f"no format is recognised: {short(str(value)[:60])}", where=name, hint=READ)
