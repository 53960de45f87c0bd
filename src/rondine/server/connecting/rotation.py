"""Rotation of the encryption key, under load: a new key is added, everything is encrypted again with it, then the
old key is taken away."""

import time
from pathlib import Path
from typing import Any

from django.db import models, transaction

from rondine.server.connecting.encryption import decrypt_secrets, encrypt_secrets, remove_keys, use_newest_key
from rondine.server.connecting.models import AccessToken, Credential, PendingSignIn, UserSession

#: Seconds that an old key stays after the last value was encrypted again: a process may hold a row it has read before.
GRACE = 5.0


def rotate_key(path: Path) -> tuple[int, int, list[int]]:
    """(the version in use now, how many values were encrypted again, the versions taken away). Each row is encrypted
    again in a transaction of its own."""
    version = use_newest_key(path)
    count = 0
    while count_now := _encrypt_all_again(version):
        count += count_now
    time.sleep(GRACE)
    count += _encrypt_all_again(version)
    return version, count, remove_keys(path, _used())


def _encrypt_all_again(version: int) -> int:
    count = 0
    for model, key, encrypted, owner in (
        (Credential, "key_version", "encrypted", lambda row: str(row.pk)),
        (Credential, "second_key_version", "second_encrypted", lambda row: str(row.pk)),
        (AccessToken, "key_version", "encrypted", lambda row: f"token {row.connection_id}"),
        (PendingSignIn, "key_version", "encrypted", lambda row: f"pending {row.connection_id}"),
        (UserSession, "key_version", "encrypted", lambda row: f"session {row.pk}"),
    ):
        manager: models.Manager[Any] = model._default_manager
        for pk in manager.exclude(**{encrypted: b""}).exclude(**{key: version}).values_list("pk", flat=True):
            with transaction.atomic():
                row = manager.select_for_update().filter(pk=pk).first()
                if row is None or not getattr(row, encrypted):
                    continue
                values = decrypt_secrets(getattr(row, key), bytes(getattr(row, encrypted)), owner(row))
                new_version, content = encrypt_secrets(values, owner(row))
                setattr(row, key, new_version)
                setattr(row, encrypted, content)
                row.save(update_fields=[key, encrypted])
                count += 1
    return count


def _used() -> set[int]:
    used: set[int] = set()
    for model, keys in (
        (Credential, ("key_version", "second_key_version")),
        (AccessToken, ("key_version",)),
        (PendingSignIn, ("key_version",)),
        (UserSession, ("key_version",)),
    ):
        for key in keys:
            used |= set(model._default_manager.values_list(key, flat=True))
    return used
