"""A page for the phones in the room: a small server for one session, only in the local network, plain or by TLS."""

from __future__ import annotations

import http.server
import ipaddress
import logging
import socket
import ssl
import tempfile
import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from http.cookies import CookieError, SimpleCookie
from pathlib import Path
from urllib.parse import parse_qs, urlsplit

from firnel.core.words import tr

log = logging.getLogger(__name__)

#: A form is never longer than this [bytes], and nobody waits longer for one [s].
MOST_BYTES, PATIENCE_S = 20_000, 20.0
#: A certificate of our own holds for a session. [days]
CERTIFICATE_DAYS = 2


@dataclass(frozen=True)
class Asked:
    """What a browser asks: GET or POST, path, fields of query and form, cookies, and from where."""

    method: str
    path: str
    fields: Mapping[str, str]
    cookies: Mapping[str, str]
    remote: str


@dataclass(frozen=True)
class Answer:
    """What it gets: status, a page, and headers such as a cookie or where to go on."""

    status: int
    page: str = ""
    headers: Mapping[str, str] = field(default_factory=dict)


#: Nothing is loaded from anywhere, nothing is kept, nothing else may frame it.
SAFE = {
    "Content-Type": "text/html; charset=utf-8",
    "Content-Security-Policy": "default-src 'none'; style-src 'unsafe-inline'; form-action 'self'; frame-ancestors 'none'",
    "Cache-Control": "no-store",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
}


class LocalPage:
    """Serves what ``answer`` says from a thread of its own until it is stopped.

    Parameters
    ----------
    answer : called for each request, from several threads.
    host : address to be reached at; one of this computer's in the local network.
    port : 0 for any free one.
    tls : whether it is encrypted, with a certificate that is made for this session.

    Raises
    ------
    OSError : if the address is taken or not ours.
    """

    def __init__(self, answer: Callable[[Asked], Answer], host: str, port: int = 0, tls: bool = False) -> None:
        page = self

        class Handler(http.server.BaseHTTPRequestHandler):
            timeout = PATIENCE_S
            server_version, sys_version = "Firnel", ""

            def do_GET(self) -> None:
                page._serve(self, answer, "")

            def do_POST(self) -> None:
                try:
                    length = int(self.headers.get("Content-Length", "0"))
                except ValueError:
                    length = MOST_BYTES + 1
                if not 0 <= length <= MOST_BYTES:
                    page._send(self, Answer(413, tr("That is too much.")))
                    return
                page._serve(self, answer, self.rfile.read(length).decode("utf-8", "replace"))

            def log_message(self, format: str, *args: object) -> None:
                log.debug(format, *args)

        self._server = http.server.ThreadingHTTPServer((host, port), Handler)
        self._server.daemon_threads = True
        self.fingerprint = ""
        if tls:
            try:
                self._encrypt(host)
            except (OSError, ValueError):
                self._server.server_close()
                raise
        self.host, self.port = host, self._server.server_address[1]
        self.url = f"{'https' if tls else 'http'}://{host}:{self.port}/"
        self._thread = threading.Thread(target=self._server.serve_forever, args=(0.1,), name="phones", daemon=True)
        self._thread.start()

    def _encrypt(self, host: str) -> None:
        certificate, key, self.fingerprint = own_certificate(host)
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "session.pem"
            path.touch(mode=0o600)
            path.write_bytes(key + certificate)
            context.load_cert_chain(path)
        self._server.socket = context.wrap_socket(self._server.socket, server_side=True, do_handshake_on_connect=False)

    def _serve(self, handler: http.server.BaseHTTPRequestHandler, answer: Callable[[Asked], Answer], body: str) -> None:
        remote = handler.client_address[0]
        if not near(remote):
            self._send(handler, Answer(403, tr("Only from the local network.")))
            return
        parts = urlsplit(handler.path)
        try:
            fields = parse_qs(parts.query, max_num_fields=60) | parse_qs(body, max_num_fields=60)
            cookies = {name: morsel.value for name, morsel in SimpleCookie(handler.headers.get("Cookie", "")).items()}
        except (ValueError, CookieError):
            self._send(handler, Answer(400, tr("That was not understood.")))
            return
        asked = Asked(handler.command, parts.path, {n: values[-1] for n, values in fields.items()}, cookies, remote)
        try:
            self._send(handler, answer(asked))
        except Exception:
            log.exception("The page for phones could not answer %s.", parts.path)
            self._send(handler, Answer(500, tr("That could not be done; the log says why.")))

    @staticmethod
    def _send(handler: http.server.BaseHTTPRequestHandler, answer: Answer) -> None:
        body = answer.page.encode()
        try:
            handler.send_response(answer.status)
            for name, value in (SAFE | dict(answer.headers) | {"Content-Length": str(len(body))}).items():
                handler.send_header(name, value)
            handler.end_headers()
            handler.wfile.write(body)
        except OSError as error:  # the phone has gone
            log.debug("A phone went away: %s", error)

    def stop(self) -> None:
        """Answer no more."""
        self._server.shutdown()
        self._server.server_close()
        self._thread.join(5.0)


def near(address: str) -> bool:
    """Whether an address lies in the local network or is this computer."""
    try:
        known = ipaddress.ip_address(address.partition("%")[0])
    except ValueError:
        return False
    mapped = known.ipv4_mapped if isinstance(known, ipaddress.IPv6Address) else None
    known = mapped or known
    return known.is_loopback or known.is_link_local or (known.is_private and not known.is_unspecified)


def own_address() -> str:
    """This computer's address in the local network; its own where it is in none."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        try:
            probe.connect(("10.255.255.255", 9))  # nothing is sent: the way there tells which address is ours
            address = str(probe.getsockname()[0])
        except OSError:
            return "127.0.0.1"
    return address if near(address) else "127.0.0.1"


def own_certificate(host: str) -> tuple[bytes, bytes, str]:
    """A certificate for an address, signed by itself, its key, and the fingerprint by which a person can tell it."""
    from cryptography import x509
    from cryptography.hazmat.primitives import hashes, serialization
    from cryptography.hazmat.primitives.asymmetric import ec
    from cryptography.x509.oid import NameOID

    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Firnel, this session")])
    now = datetime.now(UTC)
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(hours=1))
        .not_valid_after(now + timedelta(days=CERTIFICATE_DAYS))
        .add_extension(x509.SubjectAlternativeName([x509.IPAddress(ipaddress.ip_address(host))]), critical=False)
        .sign(key, hashes.SHA256())
    )
    pem = serialization.Encoding.PEM
    secret = key.private_bytes(pem, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    return made.public_bytes(pem), secret, made.fingerprint(hashes.SHA256()).hex(":", 2).upper()[:24]
