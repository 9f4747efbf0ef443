"""Where alerts go in tests: an HTTP server, a mail server and a receiver of syslog, all real, on loopback."""

import json
import socket
import ssl
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from email.message import EmailMessage, Message
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from queue import Queue
from typing import Any

from aiosmtpd.controller import Controller
from aiosmtpd.handlers import Message as MessageHandler
from aiosmtpd.smtp import AuthResult

from kiteroll.app.certificates import make_self_signed

ARRIVES_S = 20.0


def certificate(folder: Path) -> tuple[Path, Path]:
    """Certificate and key for loopback."""
    files = folder / "receiver.pem", folder / "receiver.key"
    for file, pem in zip(files, make_self_signed(["localhost", "127.0.0.1"], datetime.now(UTC)), strict=True):
        file.write_bytes(pem)
    return files


def server_context(files: tuple[Path, Path]) -> ssl.SSLContext:
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(*files)
    return context


class WebhookReceiver:
    """Keeps what is posted to it; answers with `status`."""

    def __init__(self, context: ssl.SSLContext | None = None) -> None:
        self.got: Queue[tuple[dict[str, str], bytes]] = Queue()
        self.status = 204
        self.answers = threading.Event()
        """Clear: it takes what comes, and says nothing until it is set."""
        self.answers.set()
        outer = self

        class Handler(BaseHTTPRequestHandler):
            def do_POST(self) -> None:
                body = self.rfile.read(int(self.headers["Content-Length"]))
                outer.got.put((dict(self.headers), body))
                outer.answers.wait(ARRIVES_S)
                with suppress(OSError):  # who sent it may be gone
                    self.send_response(outer.status)
                    self.end_headers()

            def log_message(self, *_: object) -> None:
                pass

        self._server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        if context is not None:
            self._server.socket = context.wrap_socket(self._server.socket, server_side=True)
        self.port = self._server.server_port
        threading.Thread(target=self._server.serve_forever, daemon=True).start()

    def document(self) -> Any:
        """The next one that comes."""
        return json.loads(self.got.get(timeout=ARRIVES_S)[1])

    def close(self) -> None:
        self._server.shutdown()
        self._server.server_close()


class MailReceiver:
    """Takes mail for everybody but nobody@; asks for `user` and `password`, and for STARTTLS, where given."""

    def __init__(self, context: ssl.SSLContext | None = None, login: tuple[str, str] | None = None) -> None:
        self.got: Queue[Message] = Queue()
        outer = self

        class Handler(MessageHandler):
            async def handle_RCPT(
                self, server: Any, session: Any, envelope: Any, to: str, options: Any
            ) -> str:
                if to.startswith("nobody@"):
                    return "550 there is nobody"
                envelope.rcpt_tos.append(to)
                return "250 OK"

            def handle_message(self, message: Message) -> None:
                outer.got.put(message)

        def authenticate(server: Any, session: Any, envelope: Any, mechanism: str, data: Any) -> AuthResult:
            said = (data.login.decode(), data.password.decode())
            return AuthResult(success=said == login, handled=False)

        more: dict[str, Any] = {}
        if context is not None:
            more |= {"tls_context": context, "require_starttls": True}
        if login is not None:
            more |= {
                "authenticator": authenticate,
                "auth_required": True,
                "auth_require_tls": context is not None,
            }
        self._controller = Controller(Handler(EmailMessage), hostname="127.0.0.1", port=0, **more)
        with suppress(OSError):  # it tries a connection to port 0, and only this shows which one it got
            self._controller.start()
        self.port: int = self._controller.server.sockets[0].getsockname()[1]  # type: ignore[union-attr]

    def close(self) -> None:
        self._controller.stop(no_assert=True)


class SyslogReceiver:
    """Takes octet-counted messages by TCP or TLS, or datagrams."""

    def __init__(self, context: ssl.SSLContext | None = None, *, udp: bool = False) -> None:
        self.got: Queue[str] = Queue()
        self._context = context
        kind = socket.SOCK_DGRAM if udp else socket.SOCK_STREAM
        self._socket = socket.socket(socket.AF_INET, kind)
        self._socket.bind(("127.0.0.1", 0))
        self.port: int = self._socket.getsockname()[1]
        if not udp:
            self._socket.listen()
        threading.Thread(target=self._datagrams if udp else self._connections, daemon=True).start()

    def _datagrams(self) -> None:
        with suppress(OSError):
            while True:
                self.got.put(self._socket.recv(65535).decode())

    def _connections(self) -> None:
        with suppress(OSError):
            while True:
                connection, _ = self._socket.accept()
                with suppress(OSError), connection:
                    if self._context is not None:
                        connection = self._context.wrap_socket(connection, server_side=True)
                    self._messages(connection)

    def _messages(self, connection: socket.socket) -> None:
        with connection, connection.makefile("rb") as stream:
            while True:
                digits = b""
                while (octet := stream.read(1)) not in (b" ", b""):
                    digits += octet
                if not digits:
                    return
                self.got.put(stream.read(int(digits)).decode())

    def close(self) -> None:
        with suppress(OSError):
            self._socket.shutdown(socket.SHUT_RDWR)
        self._socket.close()


@contextmanager
def closing_all(*receivers: WebhookReceiver | MailReceiver | SyslogReceiver) -> Iterator[None]:
    try:
        yield
    finally:
        for one in receivers:
            one.close()
