"""The scripted user of a drill: brings in, edits in two tabs at once, delivers; like the page it sends again what was not
answered."""

import json
import random
import secrets
import threading
import time
import urllib.error
import urllib.request
from dataclasses import dataclass, field
from typing import Any

_RETRY_S = 0.25
_PATIENCE_S = 180.0


class GaveUp(RuntimeError):
    """The server did not come back within the time that a drill allows."""


@dataclass
class Server:
    """Where the installation answers, and for how long it did not."""

    url: str
    longest_silence_s: float = 0.0
    errors_500: int = 0
    busy_503: int = 0
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def ask(self, method: str, path: str, body: Any = None, timeout: float = 20) -> tuple[int, Any]:
        """Status and answer of one request; 0 when there was none."""
        data = body if isinstance(body, bytes) else None if body is None else json.dumps(body).encode()
        headers = {"X-Zincplate": "1", "Content-Type": "application/json"}
        request = urllib.request.Request(self.url + path, data, headers, method=method)  # noqa: S310  (loopback)
        try:
            with urllib.request.urlopen(request, timeout=timeout) as answer:  # noqa: S310
                content, status = answer.read(), int(answer.status)
        except urllib.error.HTTPError as error:
            content, status = error.read(), error.code
        except (OSError, ValueError, EOFError, urllib.error.URLError):
            return 0, None
        except Exception:  # http.client raises its own when a server dies in the middle of an answer
            return 0, None
        with self._lock:
            self.errors_500 += status == 500
            self.busy_503 += status == 503
        try:
            return status, json.loads(content) if content[:1] in (b"{", b"[") else content
        except ValueError:
            return 0, None

    def surely(self, method: str, path: str, body: Any = None) -> tuple[int, Any]:
        """Asks until there is an answer that is not "later"."""
        started = time.monotonic()
        while True:
            status, answer = self.ask(method, path, body)
            if status and status < 500:
                break
            if time.monotonic() - started > _PATIENCE_S:
                raise GaveUp(f"{method} {path} had no answer for {_PATIENCE_S:.0f} s (last {status}: {str(answer)[:200]})")
            time.sleep(_RETRY_S)
        with self._lock:
            self.longest_silence_s = max(self.longest_silence_s, time.monotonic() - started)
        return status, answer


@dataclass
class Tab:
    """One tab: edits one control of every version, and knows what was acknowledged last."""

    server: Server
    step: str
    control: str
    rng: random.Random
    acknowledged: int = 0
    refused: list[str] = field(default_factory=list)
    last: dict[int, float] = field(default_factory=dict)
    """Version -> value of the newest acknowledged edit."""

    def edit(self, version: int) -> None:
        """One edit, sent again under its own id until it is made."""
        value = round(self.rng.uniform(-1.0, 1.0), 2)
        change = {"id": secrets.token_hex(8), "do": "set", "values": {self.step: {self.control: value}}, "revision": 0}
        status, state = self.server.surely("GET", f"/api/versions/{version}")
        for _ in range(60):
            if status == 200:
                change["revision"] = state["revision"]
            status, state = self.server.surely("POST", f"/api/versions/{version}/changes", change)
            if status == 200:
                self.acknowledged += 1
                self.last[version] = value
                return
            if status != 409:
                self.refused.append(f"{status} {str(state)[:200]}")
                return
            status, state = self.server.surely("GET", f"/api/versions/{version}")
        self.refused.append("sixty times 409")
