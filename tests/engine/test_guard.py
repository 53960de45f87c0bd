import pytest

from rondine.core.errors import HostRefused
from rondine.engine.guard import Guard, PermittedHost, is_public


@pytest.mark.parametrize(
    "address",
    [
        "127.0.0.1",
        "10.1.2.3",
        "169.254.169.254",
        "192.168.1.1",
        "0.0.0.0",  # noqa: S104
        "100.64.0.1",
        "224.0.0.1",
        "::1",
        "fe80::1%eth0",
        "fc00::1",
        "::ffff:127.0.0.1",
        "64:ff9b::7f00:1",
        "64:ff9b:1::1",
        "2002:7f00:1::",
        "::",
        "::127.0.0.1",
        "::10.0.0.1",
        "::ffff:0:127.0.0.1",
        "fec0::1",
        "feff::1",
        "2001:db8::1",
        "3fff:fff::1",
        "5f00::1",
        "2001:2::1",
        "198.18.0.1",
        "192.0.2.1",
        "198.51.100.1",
        "203.0.113.9",
        "192.88.99.1",
        "no address",
    ],
)
def test_addresses_that_are_not_public(address):
    assert not is_public(address)


@pytest.mark.parametrize(
    "address",
    ["93.184.215.14", "2606:2800:21f::1", "::ffff:93.184.215.14", "64:ff9b::5db8:d70e", "::ffff:0:93.184.215.14"],
)
def test_addresses_that_are_public(address):
    assert is_public(address)


def test_a_host_is_permitted_by_name_and_port():
    guard = Guard([PermittedHost("register.example"), PermittedHost("127.0.0.1", 18210, True)])
    assert guard.permission("https://Register.Example./x").host == "register.example"
    guard.permission("http://127.0.0.1:18210/")
    for url in (
        "https://register.example.elsewhere.example/",
        "http://127.0.0.1:18211/",
        "ftp://register.example/",
        "https://0x7f000001/",
    ):
        with pytest.raises(HostRefused):
            guard.permission(url)


def test_a_permitted_name_may_not_lead_to_a_private_address():
    guard = Guard([PermittedHost("register.example")])
    with pytest.raises(HostRefused, match=r"leads to 10\.0\.0\.1"):
        guard.check_address("10.0.0.1", guard.permission("https://register.example/"))
