"""A server that keeps the sessions that senders of the field deliver, and answers as told."""

import json
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer


class Server(ThreadingHTTPServer):
    """Keeps what comes, and answers as told."""

    def __init__(self):
        super().__init__(("127.0.0.1", 0), Handler)
        self.bodies, self.keys, self.status = [], [], 201

    @property
    def address(self):
        return f"http://127.0.0.1:{self.server_port}"


class Handler(BaseHTTPRequestHandler):
    def do_POST(self):
        body = self.rfile.read(int(self.headers["Content-Length"]))
        self.server.bodies.append(json.loads(body))
        self.server.keys.append(self.headers["Authorization"])
        answer = b'{"seq":1,"next_s":300}'
        self.send_response(self.server.status)
        self.send_header("Content-Length", str(len(answer)))
        self.end_headers()
        self.wfile.write(answer)

    def log_message(self, *args):
        pass
