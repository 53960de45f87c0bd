"""Secrets encrypted with a versioned key: AES-256-GCM, bound to the credential they belong to.

The keys stand in a file that only the service reads: {"current": 1, "keys": {"1": "<base64 of 32 bytes>"}}.
"""

import base64
import json
import os
import secrets
from pathlib import Path

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF
from django.conf import settings

from rondine.core.errors import RondineError
from rondine.engine.connection import Seal


class KeyMissing(RondineError):
    code, status = "encryption_key_missing", 500


def make_keys_file(path: Path) -> None:
    """A first key, if there is none."""
    if path.exists():
        return
    path.parent.mkdir(parents=True, exist_ok=True)
    handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(handle, "w") as file:
        json.dump({"current": 1, "keys": {"1": base64.b64encode(secrets.token_bytes(32)).decode()}}, file)


def encrypt_secrets(values: dict[str, str], owner: str) -> tuple[int, bytes]:
    """(key version, nonce and ciphertext). owner: the credential's id; what is encrypted for one cannot be opened as
    another's."""
    version, key = _keys()
    nonce = secrets.token_bytes(12)
    return version, nonce + AESGCM(key[version]).encrypt(nonce, json.dumps(values).encode(), owner.encode())


def decrypt_secrets(version: int, encrypted: bytes, owner: str) -> dict[str, str]:
    _, keys = _keys()
    if version not in keys:
        raise KeyMissing(
            f"encryption key {version} is missing",
            where=str(settings.KEYS_FILE),
            hint="put the key back, or enter the secret again",
        )
    try:
        values: dict[str, str] = json.loads(
            AESGCM(keys[version]).decrypt(encrypted[:12], encrypted[12:], owner.encode())
        )
    except InvalidTag as error:
        raise KeyMissing(
            f"encryption key {version} does not open this credential",
            where=str(settings.KEYS_FILE),
            hint="put the right key back, or enter the secret again",
        ) from error
    return values


def sealed(values: dict[str, str], seal: Seal) -> dict[str, str]:
    """Values that nobody reads without the seal's key, not even by the keys of the file (RFC 5869, AES-256-GCM)."""
    nonce = secrets.token_bytes(12)
    content = AESGCM(_key_of(seal)).encrypt(nonce, json.dumps(values).encode(), seal.id.encode())
    return {"sealed": base64.b64encode(nonce + content).decode()}


def unsealed(values: dict[str, str], seal: Seal) -> dict[str, str]:
    content = base64.b64decode(values["sealed"])
    found: dict[str, str] = json.loads(AESGCM(_key_of(seal)).decrypt(content[:12], content[12:], seal.id.encode()))
    return found


def _key_of(seal: Seal) -> bytes:
    derivation = HKDF(algorithm=SHA256(), length=32, salt=None, info=b"session of a user")
    return derivation.derive(seal.key.reveal().encode())


def prepare_key(path: Path) -> int:
    """A key beside the others that nothing uses yet, so that the file can be copied to other machines first; gives its
    version."""
    make_keys_file(path)
    stored = json.loads(path.read_text())
    version = max(map(int, stored["keys"])) + 1
    stored["keys"][str(version)] = base64.b64encode(secrets.token_bytes(32)).decode()
    _replace(path, stored)
    return version


def use_newest_key(path: Path) -> int:
    """Makes the newest key current, a new one if the newest is in use already; gives its version."""
    make_keys_file(path)
    stored = json.loads(path.read_text())
    if max(map(int, stored["keys"])) == stored["current"]:
        prepare_key(path)
        stored = json.loads(path.read_text())
    stored["current"] = max(map(int, stored["keys"]))
    _replace(path, stored)
    return int(stored["current"])


def remove_keys(path: Path, used: set[int]) -> list[int]:
    """Takes the keys away that nothing is encrypted with any more; gives their versions. The file is replaced in one
    step."""
    stored = json.loads(path.read_text())
    gone = [int(version) for version in stored["keys"] if int(version) not in used | {stored["current"]}]
    for version in gone:
        del stored["keys"][str(version)]
    _replace(path, stored)
    return gone


def _replace(path: Path, stored: dict[str, object]) -> None:
    beside = path.with_suffix(".new")
    handle = os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(handle, "w") as file:
        json.dump(stored, file)
        file.flush()
        os.fsync(file.fileno())
    beside.replace(path)


def _keys() -> tuple[int, dict[int, bytes]]:
    make_keys_file(settings.KEYS_FILE)
    stored = json.loads(settings.KEYS_FILE.read_text())
    return stored["current"], {int(version): base64.b64decode(key) for version, key in stored["keys"].items()}
