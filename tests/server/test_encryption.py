"""Secrets at rest: bound to their credential, by versioned keys in a file that only the service reads."""

import base64
import json

import pytest

from rondine.core.secret import Secret
from rondine.server.connecting.encryption import KeyMissing, decrypt_secrets, encrypt_secrets, make_keys_file


@pytest.fixture(autouse=True)
def keys(tmp_path, settings):
    settings.KEYS_FILE = tmp_path / "keys.json"
    make_keys_file(settings.KEYS_FILE)
    return settings.KEYS_FILE


def test_what_is_sealed_is_opened_again_and_looks_like_nothing(keys):
    version, encrypted = encrypt_secrets({"key": "canary-ünïcode"}, "credential-1")
    assert b"canary" not in encrypted
    assert encrypt_secrets({"key": "canary-ünïcode"}, "credential-1")[1] != encrypted
    assert decrypt_secrets(version, encrypted, "credential-1") == {"key": "canary-ünïcode"}
    assert keys.stat().st_mode & 0o777 == 0o600


def test_a_sealed_secret_cannot_be_moved_or_changed():
    version, encrypted = encrypt_secrets({"key": "x"}, "credential-1")
    for owner, content in (("credential-2", encrypted), ("credential-1", encrypted[:-1] + bytes([encrypted[-1] ^ 1]))):
        with pytest.raises(KeyMissing):
            decrypt_secrets(version, content, owner)


def test_old_secrets_open_under_a_new_key_and_a_lost_key_is_told(keys):
    version, encrypted = encrypt_secrets({"key": "old"}, "c")
    stored = json.loads(keys.read_text())
    stored["keys"]["2"] = base64.b64encode(b"2" * 32).decode()
    keys.write_text(json.dumps({**stored, "current": 2}))
    assert encrypt_secrets({"key": "new"}, "c")[0] == 2
    assert decrypt_secrets(version, encrypted, "c") == {"key": "old"}
    keys.write_text(json.dumps({"current": 2, "keys": {"2": stored["keys"]["2"]}}))
    with pytest.raises(KeyMissing, match="encryption key 1 is missing"):
        decrypt_secrets(version, encrypted, "c")


def test_an_existing_keys_file_is_left_alone(keys):
    before = keys.read_text()
    make_keys_file(keys)
    assert keys.read_text() == before


def test_a_secret_is_not_printed_formatted_or_pickled():
    import pickle

    secret = Secret("canary", "tree-key")
    for shown in (str(secret), repr(secret), f"{secret:>30}", f"{[secret]}", "%s" % secret):  # noqa: UP031
        assert "canary" not in shown and "tree-key" in shown
    with pytest.raises(TypeError):
        pickle.dumps(secret)
    assert secret.reveal() == "canary"
