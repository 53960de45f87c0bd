"""Definitions of services (OpenAPI and others), read into operations, schemas, servers and sign-ins."""

from rondine.core.definitions.files import Files
from rondine.core.definitions.model import Definition, DescribedOperation, Server, SignInOffer
from rondine.core.definitions.recognise import fit_to_keep, read_definition

__all__ = ["Definition", "DescribedOperation", "Files", "Server", "SignInOffer", "fit_to_keep", "read_definition"]
