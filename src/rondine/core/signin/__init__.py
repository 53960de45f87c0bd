"""Sign-in schemes: each one file and one line here. A scheme carries one call: it authorises the request, sends it, and
gives the response."""

from typing import Protocol

from rondine.core.http.messages import Response, Send
from rondine.core.signin.api_key import ApiKey
from rondine.core.signin.authorization_code import AuthorizationCode
from rondine.core.signin.basic import Basic
from rondine.core.signin.bearer import Bearer
from rondine.core.signin.certificate import ClientCertificate
from rondine.core.signin.client_credentials import ClientCredentials
from rondine.core.signin.digest import Digest
from rondine.core.signin.jwt_bearer import JwtBearer
from rondine.core.signin.none import NoSignIn
from rondine.core.signin.oauth import OAuthClient
from rondine.core.signin.operation import SignInOperation
from rondine.core.signin.password_grant import PasswordGrant
from rondine.core.signin.soap_header import SoapHeader
from rondine.core.signin.token import ReadToken, RenewToken, SendForToken, SignInContext, SignInExchange, Token
from rondine.core.signin.user_name_token import UserNameToken

__all__ = [
    "ApiKey",
    "AuthorizationCode",
    "Basic",
    "Bearer",
    "ClientCertificate",
    "ClientCredentials",
    "Digest",
    "JwtBearer",
    "NoSignIn",
    "OAuthClient",
    "PasswordGrant",
    "ReadToken",
    "RenewToken",
    "Scheme",
    "SendForToken",
    "SignIn",
    "SignInContext",
    "SignInExchange",
    "SignInOperation",
    "SoapHeader",
    "Token",
    "UserNameToken",
]

SignIn = (
    NoSignIn
    | ApiKey
    | Bearer
    | Basic
    | Digest
    | ClientCertificate
    | ClientCredentials
    | AuthorizationCode
    | JwtBearer
    | PasswordGrant
    | SignInOperation
    | UserNameToken
    | SoapHeader
)


class Scheme(Protocol):
    """What every scheme offers. secret_names: the secrets it needs, by the names they are stored under."""

    def secret_names(self) -> tuple[str, ...]: ...

    def exchange(self, ask: Send, context: SignInContext) -> SignInExchange[Response]: ...
