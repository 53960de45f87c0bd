"""A credential: what it is for."""

from rondine.core.settings import Document


class CredentialDocument(Document, frozen=True):
    """What a credential is for. Its secrets are no part of it."""

    description: str = ""
