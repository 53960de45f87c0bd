"""Private keys in files: with a passphrase, and as PKCS#12 with their certificate; made by OpenSSL, used for a real TLS
sign-in."""

import subprocess

import pytest

from rondine_client import RondineProblem

PASSPHRASE = "canary-passphrase-4711"


def openssl(folder, *words):
    subprocess.run(["openssl", *words], cwd=folder, check=True, capture_output=True)


@pytest.fixture
def files(rondine, tmp_path):
    papers = rondine.papers
    (tmp_path / "key.pem").write_text(papers.client_private_key)
    (tmp_path / "cert.pem").write_text(papers.client_certificate)
    openssl(tmp_path, "pkcs12", "-export", "-inkey", "key.pem", "-in", "cert.pem", "-out", "client.p12", "-passout",
    f"pass:{PASSPHRASE}")  # fmt: skip
    openssl(tmp_path, "pkcs12", "-export", "-inkey", "key.pem", "-in", "cert.pem", "-out", "open.p12", "-passout",
    "pass:")  # fmt: skip
    openssl(tmp_path, "pkcs8", "-topk8", "-in", "key.pem", "-out", "locked.pem", "-passout", f"pass:{PASSPHRASE}")
    return tmp_path


def connect(rondine, name, certificate):
    """The laboratory's door with mutual TLS, which also wants a user name and password."""
    papers = rondine.papers
    return rondine.sign_in(
        name,
        rondine.outside("soil-tls"),
        {"type": "basic", "user_name": papers.soil_user},
        {},
        tls={"authority": papers.authority, "certificate": certificate},
    )


@pytest.mark.parametrize("file", ["client.p12", "open.p12", "locked.pem", "key.pem"])
def test_a_key_signs_in_from_every_kind_of_file_and_its_passphrase_is_kept_nowhere(rondine, files, file):
    papers, office = rondine.papers, rondine.office()
    name = connect(rondine, f"key-in-{file.replace('.', '-')}", papers.client_certificate)
    passphrase = PASSPHRASE if file in ("client.p12", "locked.pem") else ""
    made = office.credentials.set_secrets(
        f"{name}-key",
        key_files={"tls_private_key": ((files / file).read_bytes(), passphrase)},
        password=papers.soil_password,
    )
    assert made["names"] == ["password", "tls_private_key"]
    if file.endswith("p12"):
        assert made["certificates"]["tls_private_key"].strip() == papers.client_certificate.strip()
    assert office.connections.check(name)["works"], office.connections.check(name)
    assert office.trials.send(service=name, document={"path": "/results"})["call"]["status"] == 200
    log = "".join(path.read_text(errors="replace") for path in rondine.home.glob("*.log"))
    assert PASSPHRASE not in log and PASSPHRASE not in str(office.credentials.get(f"{name}-key"))


@pytest.mark.parametrize(
    ("file", "passphrase", "where", "words"),
    [
        ("client.p12", "", "passphrase", "passphrase"),
        ("client.p12", "wrong", "passphrase", "does not open"),
        ("locked.pem", "", "passphrase", "locked"),
        ("locked.pem", "wrong", "passphrase", "does not open"),
        ("cert.pem", "", "base64", "no private key"),
    ],
)
def test_a_file_that_cannot_be_opened_says_why_and_changes_nothing(rondine, files, file, passphrase, where, words):
    office = rondine.office()
    name = f"no-key-{file.replace('.', '-')}-{passphrase or 'none'}"
    office.credentials.make(name, environment="test")
    with pytest.raises(RondineProblem) as raised:
        office.credentials.set_secrets(name, key_files={"tls_private_key": ((files / file).read_bytes(), passphrase)})
    assert raised.value.where == f"/key_files/tls_private_key/{where}" and words in raised.value.message
    assert office.credentials.get(name)["names"] == []


def test_by_command_the_certificate_is_written_where_it_is_wanted(rondine, files):
    rondine.cli("credential", "make", "p12-key")
    words = ["credential", "set", "p12-key", "--key-file", f"tls_private_key={files / 'client.p12'}"]
    found = rondine.cli(*words, "--certificate-to", str(files / "out.pem"), stdin=f"{PASSPHRASE}\n")
    assert "its certificate is in" in found.stderr
    assert (files / "out.pem").read_text().strip() == rondine.papers.client_certificate.strip()
    refused = rondine.cli(*words, stdin="wrong\n", check=False)
    assert refused.returncode == 1 and "does not open the file" in refused.stderr
