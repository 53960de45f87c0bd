"""Private keys as people have them: PEM with or without a passphrase, and PKCS#12 files (RFC 7292), which hold the
certificate too."""

from base64 import b64decode
from binascii import Error as Base64Error
from dataclasses import dataclass

from cryptography import x509
from cryptography.exceptions import UnsupportedAlgorithm
from cryptography.hazmat.primitives.asymmetric.types import PrivateKeyTypes
from cryptography.hazmat.primitives.serialization import (
    Encoding,
    NoEncryption,
    PrivateFormat,
    load_pem_private_key,
    pkcs12,
)

from rondine.core.errors import InputError


@dataclass(frozen=True, slots=True)
class KeyFile:
    """key: PKCS#8 in PEM, without a passphrase, to be encrypted by Rondine.  certificates: in PEM, the key's own first;
    empty if the file has none."""

    key: str
    certificates: str


def read_key_file(base64: str, passphrase: str, where: str) -> KeyFile:
    """Raises InputError for what is not a key file, or if the passphrase is missing or does not open it."""
    try:
        content = b64decode(base64, validate=True)
    except (Base64Error, ValueError):
        raise InputError("the file is not given in base64", where=f"{where}/base64", hint="encode its bytes") from None
    secret = passphrase.encode() or None
    try:
        return _from_pem(content, secret) if b"-----BEGIN " in content else _from_pkcs12(content, secret)
    except (ValueError, TypeError, UnsupportedAlgorithm) as error:
        words = str(error).lower()
        if "password" in words or "passphrase" in words or "decrypt" in words or "mac" in words:
            raise InputError(
                "the passphrase does not open the file" if secret else "the file is locked with a passphrase",
                where=f"{where}/passphrase",
                hint="give the passphrase that the file was made with",
            ) from None
        raise InputError(
            "the file holds no private key that can be read",
            where=f"{where}/base64",
            hint="give a private key in PEM, or a PKCS#12 file (.p12, .pfx)",
        ) from None


def _from_pem(content: bytes, secret: bytes | None) -> KeyFile:
    encrypted = b"ENCRYPTED" in content
    key = load_pem_private_key(content, password=secret if encrypted else None)
    certificates = x509.load_pem_x509_certificates(content) if b"-----BEGIN CERTIFICATE-----" in content else []
    return KeyFile(_pem(key), _chain(certificates))


def _from_pkcs12(content: bytes, secret: bytes | None) -> KeyFile:
    key, own, others = pkcs12.load_key_and_certificates(content, secret)
    if key is None:
        raise ValueError("no key")
    return KeyFile(_pem(key), _chain([*([own] if own else []), *others]))


def _pem(key: PrivateKeyTypes) -> str:
    return key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption()).decode()


def _chain(certificates: list[x509.Certificate]) -> str:
    return "".join(certificate.public_bytes(Encoding.PEM).decode() for certificate in certificates)
