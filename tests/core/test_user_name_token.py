"""The user name token in a SOAP header (OASIS UsernameToken Profile 1.1.1): what is sent, and what is shown of it."""

import base64
import hashlib

import pytest
from lxml import etree
from tests.core.test_signin import OK, Service

from rondine.core.errors import InputError
from rondine.core.http.messages import Request, Send
from rondine.core.signin import SoapHeader, UserNameToken

WSSE = "{http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-secext-1.0.xsd}"
WSU = "{http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-utility-1.0.xsd}"
SOAP = "http://schemas.xmlsoap.org/soap/envelope/"


def envelope(header):
    return f'<soap:Envelope xmlns:soap="{SOAP}">{header}<soap:Body><Apply/></soap:Body></soap:Envelope>'.encode()


def sent(scheme, header="<soap:Header/>", password="rowan & <oak>"):  # noqa: S107
    service = Service(lambda request: OK, password=password)
    request = Request("POST", "https://permits.example/soap", body=envelope(header))
    assert service.call(scheme, Send(request)) is OK
    return service.sent[0]


@pytest.mark.parametrize("header", ["<soap:Header/>", "<soap:Header><Other/></soap:Header>"])
def test_the_digest_is_of_nonce_time_and_password(header):
    request = sent(UserNameToken(user_name="Rovere & Co"), header)
    root = etree.fromstring(request.sent_body)
    token = root.find(f"{{{SOAP}}}Header/{WSSE}Security/{WSSE}UsernameToken")
    created = token.findtext(f"{WSU}Created")
    nonce = base64.b64decode(token.findtext(f"{WSSE}Nonce"))
    digest = hashlib.sha1(nonce + created.encode() + b"rowan & <oak>", usedforsecurity=False).digest()
    assert token.findtext(f"{WSSE}Username") == "Rovere & Co"
    assert token.find(f"{WSSE}Password").get("Type").endswith("#PasswordDigest")
    assert base64.b64decode(token.findtext(f"{WSSE}Password")) == digest
    assert root.find(f"{{{SOAP}}}Header/{WSSE}Security").get(f"{{{SOAP}}}mustUnderstand") == "1"
    assert len(root.findall(f"{{{SOAP}}}Header")) == 1 and root.find(f"{{{SOAP}}}Body/Apply") is not None


def test_the_password_itself_is_sent_only_if_asked_for_and_never_shown():
    request = sent(UserNameToken(user_name="rovere", password_type="text"))
    found = etree.fromstring(request.sent_body).find(f".//{WSSE}Password")
    assert found.text == "rowan & <oak>" and found.get("Type").endswith("#PasswordText")
    assert b"rowan" not in request.shown_body and "rowan" not in repr(request)
    etree.fromstring(request.shown_body)


def test_a_request_without_an_envelope_is_refused_with_what_to_do():
    service = Service(lambda request: OK, password="x")
    with pytest.raises(InputError, match="no SOAP envelope") as raised:
        service.call(UserNameToken(user_name="rovere"), Send(Request("POST", "https://permits.example", body=b"{}")))
    assert "sign in another way" in raised.value.hint and service.sent == []


NS = "urn:permits"


@pytest.mark.parametrize("header", ["<soap:Header/>", "<soap:Header><Other/></soap:Header>"])
def test_a_block_of_the_services_own_carries_user_and_secret(header):
    scheme = SoapHeader(
        element="AuthHeader", namespace=NS, user_element="User", user_name="Rovere & Co", secret_element="Password"
    )
    service = Service(lambda request: OK, secret="rowan & <oak>")
    service.call(scheme, Send(Request("POST", "https://permits.example/soap", body=envelope(header))))
    block = etree.fromstring(service.sent[0].sent_body).find(f"{{{SOAP}}}Header/{{{NS}}}AuthHeader")
    assert (block.findtext(f"{{{NS}}}User"), block.findtext(f"{{{NS}}}Password")) == ("Rovere & Co", "rowan & <oak>")
    assert b"rowan" not in service.sent[0].shown_body
    etree.fromstring(service.sent[0].shown_body)


def test_the_secret_can_be_the_text_of_the_block_itself():
    service = Service(lambda request: OK, secret="rowan")
    service.call(SoapHeader(element="Key"), Send(Request("POST", "https://permits.example/soap",
    body=envelope("<soap:Header/>"))))  # fmt: skip
    assert etree.fromstring(service.sent[0].sent_body).findtext(f"{{{SOAP}}}Header/Key") == "rowan"
    with pytest.raises(InputError, match="no SOAP envelope"):
        service.call(SoapHeader(element="Key"), Send(Request("POST", "https://permits.example", body=b"{}")))
