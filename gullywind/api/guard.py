"""Who may come in: known host names, the program's own pages, and whoever has the access key where one is set.

The server listens on loopback, but every page of the web can send requests there: to a name of its own that leads to
127.0.0.1 (DNS rebinding), or across sites without being able to read the reply. See the Fetch standard, section 3.2,
and W3C Fetch Metadata.
"""

import base64
import binascii
import secrets
from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from gullywind.api.errors import problem

SAFE_METHODS = frozenset({"GET", "HEAD", "OPTIONS"})
#: Pages elsewhere may send these without being asked whether they may.
FORM_TYPES = frozenset({"application/x-www-form-urlencoded", "multipart/form-data", "text/plain"})
#: Styles are made in the page by its components; scripts are files of the program, never part of a page.
POLICY = "; ".join(
    (
        "default-src 'self'",
        "script-src 'self'",
        "style-src 'self' 'unsafe-inline'",
        "img-src 'self' data: blob:",
        "media-src 'self' blob:",
        "worker-src 'self' blob:",
        "object-src 'none'",
        "base-uri 'none'",
        "form-action 'self'",
        "frame-ancestors 'none'",
    )
)
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
}


class Guard:
    """Middleware around the whole application.

    Parameters
    ----------
    hosts : names that this server goes by, without ports.
    access_key : asked for as the password of HTTP basic authentication (RFC 7617), any user name; None: nobody is.
    """

    def __init__(self, app: ASGIApp, *, hosts: frozenset[str], access_key: str | None) -> None:
        self._app, self._hosts, self._access_key = app, hosts, access_key

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Refuse or pass on; every reply gets the headers."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return

        async def send_guarded(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    headers.setdefault(name, value)
            await send(message)

        headers = Headers(scope=scope)
        refusal = self._refusal(scope["method"], headers)
        if refusal is None:
            await self._app(scope, receive, send_guarded)
            return
        status, sentence = refusal
        response = problem("not-allowed", sentence, status)
        if status == 401:
            response.headers["WWW-Authenticate"] = 'Basic realm="Gullywind", charset="UTF-8"'
        await response(scope, receive, send_guarded)

    def _refusal(self, method: str, headers: Headers) -> tuple[int, str] | None:
        host = headers.get("host", "")
        if _name_of(host) not in self._hosts:
            return 421, "This server does not go by that name. Team servers set their names in GULLYWIND_HOSTS."
        if self._access_key is not None and not _has_key(headers, self._access_key):
            return 401, "This server asks for its access key."
        if method in SAFE_METHODS:
            return None
        site, origin = headers.get("sec-fetch-site"), headers.get("origin")
        elsewhere = origin is not None and urlsplit(origin).netloc.lower() != host.lower()
        if site not in (None, "same-origin", "none") or elsewhere:
            return 403, "Changes are taken from the program's own pages only."
        if headers.get("content-type", "").partition(";")[0].strip().lower() in FORM_TYPES:
            return 415, "Send JSON, or a file as application/octet-stream."
        return None


def _name_of(host: str) -> str:
    """The host without its port, in small letters; empty where it is none."""
    try:
        return (urlsplit(f"//{host}").hostname or "").lower()
    except ValueError:
        return ""


def _has_key(headers: Headers, access_key: str) -> bool:
    scheme, _, encoded = headers.get("authorization", "").partition(" ")
    if scheme.lower() != "basic":
        return False
    try:
        given = base64.b64decode(encoded, validate=True).partition(b":")[2]
    except (binascii.Error, ValueError):
        return False
    return secrets.compare_digest(given, access_key.encode())
