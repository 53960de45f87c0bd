"""Signed assertions: JSON Web Tokens (RFC 7519) with a private key or a shared secret, for private_key_jwt,
client_secret_jwt and the JWT bearer grant (RFC 7523; OpenID Connect Core 1.0, section 9)."""

from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any, Literal

from joserfc import jwt
from joserfc.errors import JoseError
from joserfc.jwk import ECKey, OctKey, OKPKey, RSAKey

from rondine.core.errors import InputError
from rondine.core.secret import Secret

Algorithm = Literal[
    "RS256", "RS384", "RS512", "PS256", "PS384", "PS512", "ES256", "ES384", "ES512", "EdDSA", "HS256", "HS384", "HS512"
]
#: How long an assertion holds: long enough for clocks that differ, short enough to be of no use later.
LIFETIME = timedelta(minutes=5)


def assertion(
    claims: Mapping[str, Any], key: Secret, algorithm: Algorithm, key_id: str, *, now: datetime, unique: bytes
) -> Secret:
    """The signed claims, with iat, exp and jti added. Raises InputError if the key is none for the algorithm."""
    whole = {**claims, "iat": int(now.timestamp()), "exp": int((now + LIFETIME).timestamp()), "jti": unique.hex()}
    header = {"alg": algorithm, "typ": "JWT", **({"kid": key_id} if key_id else {})}
    kind: Any = {"RS": RSAKey, "PS": RSAKey, "ES": ECKey, "HS": OctKey}.get(algorithm[:2], OKPKey)
    try:
        private = kind.import_key(key.reveal())
        signed = jwt.encode(header, whole, private, algorithms=[algorithm])
    except (JoseError, ValueError, TypeError, KeyError) as error:
        if kind is OctKey:
            raise InputError(
                f"the secret of credential {key.label} cannot sign with {algorithm}",
                where="client_secret",
                hint="set it again; such a secret is as long as the digest, 32 characters or more",
            ) from error
        raise InputError(
            f"the private key of credential {key.label} cannot sign with {algorithm}",
            where="private_key",
            hint=(
                f"give the {kind.kty if hasattr(kind, 'kty') else kind.key_type} key in PEM, beginning with -----BEGIN"
                " PRIVATE KEY-----, without a passphrase"
            ),
        ) from error
    return Secret(signed, key.label)
