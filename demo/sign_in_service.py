"""A small stand-in for a company's sign-in service: OpenID Connect with invented people, on loopback.

`python -m demo.sign_in_service PORT` serves discovery, keys, the authorization code flow with PKCE, and what
it knows of a person. Whoever asks chooses whom they are, on its page or by `as`. With `fault` it answers as
no service should: `audience`, `issuer`, `nonce`, `key`, `unsigned`, `expired`, `other-person`, `status`.
"""

from __future__ import annotations

import json
import secrets
import sys
import time
from base64 import urlsafe_b64encode
from hashlib import sha256
from html import escape
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlencode, urlsplit

import jwt
from cryptography.hazmat.primitives.asymmetric import rsa

from demo.__main__ import PEOPLE

CLIENT, SECRET = "pine", "simulated"
LASTS = 300


class Service(ThreadingHTTPServer):
    """Its keys, and the codes that it has given out: each is used once."""

    daemon_threads = True

    def __init__(self, port: int = 0) -> None:
        super().__init__(("127.0.0.1", port), SignOnAnswers)
        self.key = rsa.generate_private_key(public_exponent=65537, key_size=2048)
        self.other_key = rsa.generate_private_key(public_exponent=65537, key_size=2048)
        self.codes: dict[str, dict[str, str]] = {}
        self.tokens: dict[str, dict[str, str]] = {}

    @property
    def issuer(self) -> str:
        return f"http://127.0.0.1:{self.server_address[1]}"

    def discovery(self) -> dict[str, Any]:
        at = self.issuer
        return {
            "issuer": at,
            "authorization_endpoint": f"{at}/authorize",
            "token_endpoint": f"{at}/token",
            "userinfo_endpoint": f"{at}/person",
            "jwks_uri": f"{at}/keys",
            "response_types_supported": ["code"],
            "id_token_signing_alg_values_supported": ["RS256"],
        }

    def id_token(self, asked: dict[str, str]) -> str:
        fault = asked.get("fault", "")
        now = int(time.time())
        content = {
            "iss": "https://elsewhere.example" if fault == "issuer" else self.issuer,
            "aud": "another" if fault == "audience" else CLIENT,
            "sub": asked["as"],
            "iat": now - 2 * LASTS if fault == "expired" else now,
            "exp": now - LASTS if fault == "expired" else now + LASTS,
            "nonce": "stale" if fault == "nonce" else asked.get("nonce", ""),
        }
        if fault == "unsigned":
            return jwt.encode(content, "", algorithm="none", headers={"kid": "one"})
        key = self.other_key if fault == "key" else self.key
        return jwt.encode(content, key, algorithm="RS256", headers={"kid": "one"})


class SignOnAnswers(BaseHTTPRequestHandler):
    """The addresses that discovery names."""

    server: Service

    def do_GET(self) -> None:
        asked = urlsplit(self.path)
        given = {name: values[0] for name, values in parse_qs(asked.query).items()}
        if asked.path == "/.well-known/openid-configuration":
            self._json(self.server.discovery())
        elif asked.path == "/keys":
            public = json.loads(jwt.algorithms.RSAAlgorithm.to_jwk(self.server.key.public_key()))
            self._json({"keys": [{**public, "kid": "one", "alg": "RS256", "use": "sig"}]})
        elif asked.path == "/authorize":
            self._authorize(given)
        elif asked.path == "/person":
            self._person()
        else:
            self.send_error(404)

    def do_POST(self) -> None:
        size = int(self.headers.get("Content-Length") or 0)
        given = {name: values[0] for name, values in parse_qs(self.rfile.read(size).decode()).items()}
        asked = self.server.codes.pop(given.get("code", ""), None)
        known = (given.get("client_id"), given.get("client_secret")) == (CLIENT, SECRET)
        if urlsplit(self.path).path != "/token" or asked is None or not known or not _proves(asked, given):
            self._json({"error": "invalid_grant"}, 400)
            return
        if asked.get("fault") == "status":
            self._json({"error": "server_error"}, 500)
            return
        if asked.get("fault") == "list":
            self._json([])
            return
        token = secrets.token_urlsafe(24)
        self.server.tokens[token] = asked
        self._json({"access_token": token, "token_type": "Bearer", "id_token": self.server.id_token(asked)})

    def _authorize(self, given: dict[str, str]) -> None:
        if given.get("client_id") != CLIENT or "redirect_uri" not in given or "state" not in given:
            self.send_error(400)
            return
        if "as" not in given:
            self._page(given)
            return
        code = secrets.token_urlsafe(24)
        self.server.codes[code] = given
        self.send_response(302)
        query = urlencode({"code": code, "state": given["state"]})
        self.send_header("Location", f"{given['redirect_uri']}?{query}")
        self.end_headers()

    def _page(self, given: dict[str, str]) -> None:
        links = "".join(
            f'<p><a href="/authorize?{escape(urlencode({**given, "as": name}))}">{escape(first)}</a></p>'
            for name, first, *_ in PEOPLE
        )
        content = f"<!doctype html><title>Simulated sign-in</title><h1>Who are you?</h1>{links}".encode()
        self._send(content, "text/html; charset=utf-8", 200)

    def _person(self) -> None:
        token = self.headers.get("Authorization", "").removeprefix("Bearer ")
        asked = self.server.tokens.get(token)
        if asked is None:
            self.send_error(401)
            return
        sub = "somebody-else" if asked.get("fault") == "other-person" else asked["as"]
        self._json({"sub": sub, "preferred_username": asked["as"]})

    def _json(self, content: Any, status: int = 200) -> None:
        self._send(json.dumps(content).encode(), "application/json", status)

    def _send(self, content: bytes, kind: str, status: int) -> None:
        self.send_response(status)
        self.send_header("Content-Type", kind)
        self.send_header("Content-Length", str(len(content)))
        self.end_headers()
        self.wfile.write(content)

    def log_message(self, *_: object) -> None:
        """Nothing is told of each request."""


def _proves(asked: dict[str, str], given: dict[str, str]) -> bool:
    """Whether who asks for the token is who asked for the code (PKCE)."""
    digest = sha256(given.get("code_verifier", "").encode()).digest()
    return urlsafe_b64encode(digest).rstrip(b"=").decode() == asked.get("code_challenge", "")


if __name__ == "__main__":
    Service(int(sys.argv[1])).serve_forever()
