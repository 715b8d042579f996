"""A stand-in for a team's provider of accounts: OpenID Connect with made-up people, to try signing in with.

``python -m vigilant.subjects.accounts --port 8480`` serves it on loopback. Nobody has a password here: whoever asks chooses who they are.
"""

from __future__ import annotations

import argparse
import base64
import hashlib
import html
import json
import secrets
import time
from dataclasses import dataclass, field
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlencode, urlsplit

import jwt
from cryptography.hazmat.primitives.asymmetric import rsa

CLIENT, SECRET = "ledger", "a stand-in's secret"
PEOPLE: dict[str, dict[str, Any]] = {
    "p-101": {
        "preferred_username": "mira.quill",
        "name": "Mira Quill",
        "email": "mira@lanternfall.example",
        "groups": ["render", "leads"],
    },
    "p-102": {
        "preferred_username": "tomas.reed",
        "name": "Tomas Reed",
        "email": "tomas@lanternfall.example",
        "groups": ["render"],
    },
    "p-103": {"preferred_username": "ada.wren", "name": "Ada Wren", "email": "ada@lanternfall.example", "groups": []},
}


@dataclass
class Provider:
    """Its key, its people, the codes it gave and what they are for. ``says`` replaces claims of a token, to play one that lies."""

    issuer: str
    people: dict[str, dict[str, Any]] = field(default_factory=lambda: {key: dict(one) for key, one in PEOPLE.items()})
    says: dict[str, Any] = field(default_factory=dict)
    algorithms: tuple[str, ...] = ("RS256",)
    key: Any = field(default_factory=lambda: rsa.generate_private_key(65537, 2048))
    codes: dict[str, dict[str, str]] = field(default_factory=dict)
    tokens: dict[str, str] = field(default_factory=dict)

    def itself(self) -> dict[str, Any]:
        return {
            "issuer": self.issuer,
            "authorization_endpoint": f"{self.issuer}/authorize",
            "token_endpoint": f"{self.issuer}/token",
            "userinfo_endpoint": f"{self.issuer}/userinfo",
            "jwks_uri": f"{self.issuer}/keys",
            "id_token_signing_alg_values_supported": list(self.algorithms),
        }

    def keys(self) -> dict[str, Any]:
        public = json.loads(jwt.algorithms.RSAAlgorithm.to_jwk(self.key.public_key()))
        return {"keys": [{**public, "kid": "1", "alg": "RS256", "use": "sig"}]}

    def token(self, asked: dict[str, str]) -> dict[str, Any] | None:
        """None for a code that is not known, was used, or is somebody else's."""
        for_code = self.codes.pop(asked.get("code", ""), None)
        made = hashlib.sha256(asked.get("code_verifier", "").encode()).digest()
        challenge = base64.urlsafe_b64encode(made).rstrip(b"=").decode()
        if (
            for_code is None
            or asked.get("client_secret") != SECRET
            or for_code["redirect_uri"] != asked.get("redirect_uri")
        ):
            return None
        if challenge != for_code["code_challenge"]:
            return None
        now, subject = int(time.time()), for_code["subject"]
        claims = {
            "iss": self.issuer,
            "sub": subject,
            "aud": CLIENT,
            "iat": now,
            "exp": now + 300,
            "nonce": for_code["nonce"],
            **self.says,
        }
        access = secrets.token_urlsafe(16)
        self.tokens[access] = subject
        signed = jwt.encode({k: v for k, v in claims.items() if v is not None}, self.key, "RS256", {"kid": "1"})
        return {"access_token": access, "token_type": "Bearer", "id_token": signed}

    def page(self, asked: dict[str, str]) -> str:
        kept = {name: asked.get(name, "") for name in ("redirect_uri", "state", "nonce", "code_challenge")}
        who = "".join(
            f'<p><a href="/chosen?{html.escape(urlencode({**kept, "subject": key}))}">{html.escape(one["name"])}</a></p>'
            for key, one in self.people.items()
        )
        back = html.escape(f"{kept['redirect_uri']}?{urlencode({'error': 'access_denied', 'state': kept['state']})}")
        return f'<!doctype html><title>Who are you?</title><h1>Who are you?</h1>{who}<p><a href="{back}">nobody</a></p>'


class Answers(BaseHTTPRequestHandler):
    """What the provider is asked over HTTP."""

    provider: Provider

    def do_GET(self) -> None:
        path, asked = urlsplit(self.path).path, _one_each(urlsplit(self.path).query)
        if path == "/.well-known/openid-configuration":
            self._json(self.provider.itself())
        elif path == "/keys":
            self._json(self.provider.keys())
        elif path == "/authorize":
            self._send(200, "text/html; charset=utf-8", self.provider.page(asked).encode())
        elif path == "/chosen":
            code = secrets.token_urlsafe(16)
            self.provider.codes[code] = asked
            self.send_response(302)
            self.send_header(
                "Location", f"{asked['redirect_uri']}?{urlencode({'code': code, 'state': asked['state']})}"
            )
            self.end_headers()
        elif path == "/userinfo":
            subject = self.provider.tokens.get(self.headers.get("Authorization", "").removeprefix("Bearer "))
            self._json({"sub": subject, **self.provider.people[subject]} if subject else None)
        else:
            self._send(404, "text/plain", b"nothing here")

    def do_POST(self) -> None:
        body = self.rfile.read(int(self.headers.get("Content-Length", 0))).decode()
        self._json(self.provider.token(_one_each(body)))

    def _json(self, value: Any) -> None:
        self._send(200 if value is not None else 400, "application/json", json.dumps(value).encode())

    def _send(self, status: int, kind: str, body: bytes) -> None:
        self.send_response(status)
        self.send_header("Content-Type", kind)
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, *args: Any) -> None:
        """Nothing is written."""


def _one_each(query: str) -> dict[str, str]:
    return {name: values[0] for name, values in parse_qs(query).items()}


def serve(port: int = 0) -> tuple[ThreadingHTTPServer, Provider]:
    """A provider on loopback, and what it plays by; ``serve_forever`` lets it answer."""
    server = ThreadingHTTPServer(("127.0.0.1", port), Answers)
    provider = Provider(f"http://127.0.0.1:{server.server_port}")
    server.RequestHandlerClass = type("Own", (Answers,), {"provider": provider})
    return server, provider


def main() -> None:
    parser = argparse.ArgumentParser(description="A stand-in for a team's provider of accounts, on loopback.")
    parser.add_argument("--port", type=int, default=8480)
    server, provider = serve(parser.parse_args().port)
    print(
        f"VIGILANT_SIGN_ON_ISSUER={provider.issuer}\nVIGILANT_SIGN_ON_CLIENT={CLIENT}\nVIGILANT_SIGN_ON_SECRET={SECRET}",
        flush=True,
    )
    server.serve_forever()


if __name__ == "__main__":
    main()
