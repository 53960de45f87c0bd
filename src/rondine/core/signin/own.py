"""Sign-ins that each user of an application can do with an account of their own."""

from msgspec import structs

from rondine.core.signin import (
    ApiKey,
    AuthorizationCode,
    Basic,
    Bearer,
    Digest,
    PasswordGrant,
    SignIn,
    UserNameToken,
)

#: With a user name and a password.
_BY_PASSWORD = (Basic, Digest, PasswordGrant, UserNameToken)


def may_be_own(sign_in: SignIn) -> bool:
    """Whether each user can sign in so; others are those of programs."""
    return isinstance(sign_in, (AuthorizationCode, ApiKey, Bearer, *_BY_PASSWORD))


def has_user_name(sign_in: SignIn) -> bool:
    return isinstance(sign_in, _BY_PASSWORD)


def own_secrets(sign_in: SignIn) -> tuple[str, ...]:
    """The secrets that a user gives; none where the user consents at the service. The others, such as a client's, are
    the connection's."""
    if isinstance(sign_in, _BY_PASSWORD):
        return ("password",)
    return sign_in.secret_names() if isinstance(sign_in, ApiKey | Bearer) else ()


def with_user_name(sign_in: SignIn, name: str) -> SignIn:
    """The sign-in of another user; the same where there is no user name."""
    return structs.replace(sign_in, user_name=name) if isinstance(sign_in, _BY_PASSWORD) else sign_in
