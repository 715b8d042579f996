"""The looks from outside, at a server that does everything wrong: none of them may find it good. (test_serve.py has the one that is right.)"""

import json
import ssl
import threading
import warnings
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import assess
import pytest

from vigilant.server.launch import serve
from vigilant.server.launch.ports import free_port

NAME = "weak.example"
SCHEMA = {"paths": {"/api/books/{book}/": {"get": {}, "delete": {}}}}


class Wrong(BaseHTTPRequestHandler):
    """Lets everybody in, tells everything, believes what it is told."""

    server_version, protocol_version = "weak/1.0", "HTTP/1.1"

    def answer(self):
        body = self.rfile.read(int(self.headers.get("Content-Length", 0)))
        status, text = 200, "<html>DEBUG = True</html>"
        if self.path.startswith("/api/schema/"):
            text = json.dumps(SCHEMA)
        elif self.path.endswith("/sign-in/"):
            status, text = self.sign_in(body)
        self.send_response(status)
        self.send_header("Content-Type", "text/html")
        self.send_header("Content-Length", str(len(text)))
        self.send_header("Access-Control-Allow-Origin", self.headers.get("Origin", "*"))
        self.send_header("Location", f"//{self.headers.get('X-Forwarded-Host', 'elsewhere.example')}/")
        self.send_header("Set-Cookie", "sessionid=1; Domain=weak.example; Path=/api")
        self.end_headers()
        self.wfile.write(text.encode() if self.command != "HEAD" else b"")

    def sign_in(self, body):
        try:
            return (200, "in") if json.loads(body)["username"] == "mira" else (401, "no")
        except Exception:
            return 500, 'Traceback: File "weak.py", line 3, in sign_in'

    do_GET = do_POST = do_PUT = do_DELETE = do_OPTIONS = do_TRACE = do_TRACK = do_MOVE = do_HEAD = answer

    def log_message(self, *told):
        pass


@pytest.fixture
def wrong(tmp_path):
    certificate, key = serve.own_certificate(tmp_path, NAME, days=3)
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.set_ciphers(assess.WEAK)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", DeprecationWarning)
        context.minimum_version = ssl.TLSVersion.TLSv1
    context.load_cert_chain(certificate, key)
    servers = [ThreadingHTTPServer(("127.0.0.1", 0), Wrong) for _ in range(2)]
    servers[0].socket = context.wrap_socket(servers[0].socket, server_side=True)
    threads = [threading.Thread(target=server.serve_forever, args=(0.01,)) for server in servers]
    for thread in threads:
        thread.start()
    yield assess.Server(
        NAME, "127.0.0.1", servers[0].server_port, servers[1].server_port, str(certificate), "mira", "a lantern by the river"
    )  # fmt: skip
    for server, thread in zip(servers, threads, strict=True):
        server.shutdown()
        thread.join()
        server.server_close()


def test_no_look_finds_a_server_good_that_does_everything_wrong(wrong):
    found = {what: one for what, _, one in assess.assess(wrong)}
    assert {what: one.said for what, one in found.items() if one.good is not False} == {}
    assert len(found) == len(assess.LOOKS)


def test_what_cannot_be_asked_is_said_and_is_not_good(wrong, monkeypatch, capsys):
    wrong.account = None
    shut = free_port()
    assert assess.session(wrong) == assess.Found(None, "no --account was named")
    for arguments, code, said in (
        ([NAME, "--at", "127.0.0.1", "--port", str(shut)], 2, "does not answer"),
        ([NAME, "--at", "127.0.0.1", "--port", str(wrong.port), "--trust", wrong.trust], 1, "BAD"),
    ):
        monkeypatch.setattr("sys.argv", ["assess", *arguments])
        assert assess.main() == code
        told = capsys.readouterr()
        assert said in told.out + told.err
