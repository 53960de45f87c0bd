"""Secrets, keys and certificates of the stand-ins, made once and kept in a folder that only their user reads."""

import ipaddress
import json
import os
import secrets
from dataclasses import asdict, dataclass, replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import rsa
from cryptography.x509.oid import NameOID


@dataclass(frozen=True)
class Papers:
    """What the tree office was given by its outside services. Keys and certificates are PEM texts."""

    crew_client: str
    crew_secret: str
    seeds_client: str
    seeds_secret: str
    seeds_private_key: str
    seeds_public_key: str
    soil_user: str
    soil_password: str
    soil_key: str
    soil_secret: str
    authority: str
    server_certificate: str
    server_private_key: str
    client_certificate: str
    client_private_key: str
    desk_token: str = ""


def papers_in(folder: Path) -> Papers:
    """Those in `standins.json` of the folder, made if there are none."""
    path = folder / "standins.json"
    if path.exists():
        papers = Papers(**json.loads(path.read_text()))
        if papers.desk_token:
            return papers
        papers = replace(papers, desk_token=secrets.token_urlsafe(24))  # those of an earlier version have none
    else:
        papers = _made()
    handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(handle, "w") as file:
        json.dump(asdict(papers), file, indent=1)
    return papers


def _made() -> Papers:
    seeds = rsa.generate_private_key(65537, 2048)
    root_key = rsa.generate_private_key(65537, 2048)
    root = certificate("Olmara test authority", root_key, None, root_key, is_authority=True)
    server_key, client_key = (rsa.generate_private_key(65537, 2048) for _ in range(2))
    server = certificate("soil laboratory", server_key, root, root_key, hosts=["localhost", "127.0.0.1"])
    client = certificate("tree office", client_key, root, root_key)
    public = seeds.public_key().public_bytes(
        serialization.Encoding.PEM, serialization.PublicFormat.SubjectPublicKeyInfo
    )
    return Papers(
        crew_client="tree-office",
        crew_secret=secrets.token_urlsafe(24),
        seeds_client="tree-office",
        seeds_secret=secrets.token_urlsafe(24),
        seeds_private_key=private_pem(seeds),
        seeds_public_key=public.decode(),
        soil_user="tree-office",
        soil_password=secrets.token_urlsafe(15),
        soil_key=secrets.token_hex(12),
        soil_secret=secrets.token_hex(16),
        desk_token=secrets.token_urlsafe(24),
        authority=pem(root),
        server_certificate=pem(server),
        server_private_key=private_pem(server_key),
        client_certificate=pem(client),
        client_private_key=private_pem(client_key),
    )


def certificate(
    name: str,
    key: rsa.RSAPrivateKey,
    issuer: x509.Certificate | None,
    issuer_key: rsa.RSAPrivateKey,
    *,
    hosts: list[str] | None = None,
    is_authority: bool = False,
    days: tuple[int, int] = (-1, 3650),
) -> x509.Certificate:
    """days: from when until when, counted from today; a certificate that has expired ends before 0."""
    now = datetime.now(UTC)
    subject = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, name)])
    builder = (
        x509.CertificateBuilder()
        .subject_name(subject)
        .issuer_name(issuer.subject if issuer else subject)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now + timedelta(days=days[0]))
        .not_valid_after(now + timedelta(days=days[1]))
        .add_extension(x509.BasicConstraints(ca=is_authority, path_length=None), critical=True)
        .add_extension(x509.SubjectKeyIdentifier.from_public_key(key.public_key()), critical=False)
        .add_extension(x509.AuthorityKeyIdentifier.from_issuer_public_key(issuer_key.public_key()), critical=False)
    )
    if hosts:
        names: list[x509.GeneralName] = [
            x509.IPAddress(ipaddress.ip_address(host)) if host[0].isdigit() else x509.DNSName(host) for host in hosts
        ]
        builder = builder.add_extension(x509.SubjectAlternativeName(names), critical=False)
    return builder.sign(issuer_key, hashes.SHA256())


def pem(found: x509.Certificate) -> str:
    return found.public_bytes(serialization.Encoding.PEM).decode()


def private_pem(key: rsa.RSAPrivateKey) -> str:
    form = serialization.PrivateFormat.PKCS8
    return key.private_bytes(serialization.Encoding.PEM, form, serialization.NoEncryption()).decode()
