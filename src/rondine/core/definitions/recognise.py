"""Which format a definition has, told by its content alone; and reading it."""

from rondine.core.definitions.files import Files
from rondine.core.definitions.model import Definition
from rondine.core.definitions.openapi import read_openapi, version_of
from rondine.core.errors import DocumentError, short


def read_definition(files: Files, address: str = "") -> Definition:
    """Whatever is sound in a definition. address: where it came from, empty if it was uploaded.

    Raises DocumentError with the place if it cannot be read, or is none.
    """
    value = files.value(files.main)
    if version_of(value):
        return read_openapi(files, address)
    raise unknown(value, files.main)


def unknown(value: object, name: str) -> DocumentError:
    """What to say of a document that is no definition."""
    if isinstance(value, dict):
        near = [one for one in ("openApi", "OpenAPI", "open-api", "swaggerVersion", "Swagger") if one in value]
        if near:
            return DocumentError(
                f'there is "{near[0]}" where "openapi" or "swagger" is expected', where=name, hint="correct the name"
            )
        if "paths" in value:
            return DocumentError(
                "this looks like OpenAPI, but does not say its version",
                where=name,
                hint='add openapi: 3.1.0, or swagger: "2.0"',
            )
        seen = ", ".join(map(str, list(value)[:6]))
        return DocumentError(f"no format is recognised; the document has: {seen}", where=name, hint="OpenAPI is read")
    return DocumentError(f"no format is recognised: {short(str(value)[:60])}", where=name, hint="OpenAPI is read")
