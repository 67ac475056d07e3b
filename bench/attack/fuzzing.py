"""Nonsense of every kind, made from the published description of the API: no answer may be a mistake of the server.

Source: schemathesis, which makes requests that fit an OpenAPI document and such that just do not.
"""

from __future__ import annotations

import http.client
import json
import sys
import time
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Protocol

import requests
import schemathesis
from hypothesis import HealthCheck, Phase, given, seed, settings
from hypothesis import strategies as st

from bench.attack.shop import ROOT, children_of, shop
from mavrik.jobs.demo import DEMO_PASSWORD

LOGINS = ("tobin", "mara", "ines")
OWN_SHARE = 0.7
"""So many requests name things that are there; the others whatever comes."""

SLOW_S, LEAST = 0.15, 150
"""An operation whose requests take longer to make and answer, as printing does, is asked so many times a round, and the quicker ones
more often instead."""

MOST_TOLD = 20
MOST_ROUNDS = 10
MOST_WRONG_SIGN_INS = 20
"""Each waits longer than the one before."""

PATIENCE_S = 90.0
MOST_WAITS, LONGEST_WAIT_S = 20, 30.0

SIGN_IN = "/api/session"
SKIPPED = frozenset(
    {
        # What would sign the attacker out.
        ("DELETE", "/api/session"), ("PUT", "/api/session/password"), ("DELETE", "/api/sign-ins/{sign_in_id}"), ("DELETE", "/api/sign-ins"),
        # Goes on for two minutes by itself.
        ("GET", "/api/instruments/{instrument_id}/live"),
    }
)  # fmt: skip


@dataclass(frozen=True)
class Answer:
    """What came back."""

    status: int
    media_type: str
    body: bytes
    headers: Mapping[str, str] = field(default_factory=dict)


class Sender(Protocol):
    """Sends a request as somebody."""

    def __call__(self, login: str, method: str, path: str, media_type: str | None, body: bytes | None) -> Answer:
        """login: who; path: with its query."""


@dataclass
class Fuzzed:
    """How it went."""

    answers: Counter[int] = field(default_factory=Counter)
    mistakes: list[str] = field(default_factory=list)
    unsendable: int = 0
    slowest: tuple[float, str] = (0.0, "")


def operations(document: Mapping[str, Any]) -> list[Any]:
    """Everything the API does that an attacker may try."""
    every = [result.ok() for result in schemathesis.openapi.from_dict(dict(document)).get_all_operations()]
    return [o for o in every if (o.method.upper(), o.path) not in SKIPPED]


def wrong_with(answer: Answer) -> str:
    """Why an answer is none that a server should give; empty where it is one."""
    if answer.status >= 500:
        # A meter that does not answer, room that is not there, and work that has to wait are said as such, and when to come again.
        allowed = {502, 507} | ({503} if answer.headers.get("Retry-After") else set())
        if answer.status not in allowed:
            return f"answered {answer.status}"
    if answer.status >= 400:
        if answer.media_type != "application/problem+json":
            return f"{answer.status} as {answer.media_type}"
        if not json.loads(answer.body).get("detail"):
            return f"{answer.status} without a word"
    if answer.media_type == "application/json":
        json.loads(answer.body)
    return ""


def fuzz(
    send: Sender, document: Mapping[str, Any], ids: Mapping[str, Sequence[Any]], count: int, start: int = 1,
    fuzzed: Fuzzed | None = None,
) -> Fuzzed:  # fmt: skip
    """Send so many requests, spread over all operations, half of them such as the description forbids.

    ids: of things that are there, by the name of the parameter in a path; start: what the choice depends on
    found: what is counted in, for whoever wants to know how far it came should it give up
    """
    fuzzed, every = fuzzed or Fuzzed(), operations(document)
    # Failed sign-ins delay everybody at this address, whatever is asked next: they come once, at the very end.
    others, last = [o for o in every if o.path != SIGN_IN], [o for o in every if o.path == SIGN_IN]
    for_last = min(count // len(every), MOST_WRONG_SIGN_INS)
    # An operation with few different questions comes to its end early: what is left is asked in another round.
    for round_ in range(MOST_ROUNDS):
        left = count - for_last * len(last) - sum(fuzzed.answers.values()) - fuzzed.unsendable
        if left <= 0:
            break
        for operation in others:
            _fuzz_one(send, operation, ids, max(1, left // len(others)), start + round_, fuzzed)
    for operation in last:
        _fuzz_one(send, operation, ids, max(1, for_last), start, fuzzed)
    return fuzzed


def _fuzz_one(send: Sender, operation: Any, ids: Mapping[str, Sequence[Any]], count: int, start: int, fuzzed: Fuzzed) -> None:
    sound = operation.as_strategy(generation_mode=schemathesis.GenerationMode.POSITIVE)
    able = bool(operation.body or operation.query or operation.path_parameters)
    unsound = operation.as_strategy(generation_mode=schemathesis.GenerationMode.NEGATIVE) if able else sound

    begun, sent = time.monotonic(), 0
    # In two parts: what is asked must not depend on how long an answer took while it is being chosen.
    for part, most in enumerate((min(count, LEAST), count - LEAST)):
        if most > 0 and (part == 0 or time.monotonic() - begun <= SLOW_S * sent):
            sent += _ask(send, operation, (sound, unsound), ids, most, 2 * start + part, fuzzed)


def _ask(
    send: Sender, operation: Any, kinds: tuple[Any, Any], ids: Mapping[str, Sequence[Any]], count: int, start: int, fuzzed: Fuzzed
) -> int:  # fmt: skip
    """Send so many requests to one operation; returns how many were sent."""
    attempts = 0

    @seed(start)
    @settings(max_examples=count, phases=(Phase.generate,), database=None, deadline=None, suppress_health_check=list(HealthCheck))
    @given(data=st.data())
    def one(data: st.DataObject) -> None:
        nonlocal attempts
        attempts += 1
        case = data.draw(kinds[0] if data.draw(st.booleans()) else kinds[1])
        for name in case.path_parameters or {}:
            if ids.get(name) and data.draw(st.floats(0, 1)) < OWN_SHARE:
                case.path_parameters[name] = data.draw(st.sampled_from(ids[name]))
        login = data.draw(st.sampled_from(LOGINS))
        try:
            request = requests.Request(
                **{k: v for k, v in case.as_transport_kwargs(base_url="http://shop").items() if k != "cookies"}
            ).prepare()
        except (ValueError, requests.RequestException):
            fuzzed.unsendable += 1
            return
        raw = request.body.encode() if isinstance(request.body, str) else request.body
        sent = time.monotonic()
        answer = send(login, str(request.method), request.path_url, request.headers.get("Content-Type"), raw)
        took = time.monotonic() - sent
        fuzzed.answers[answer.status] += 1
        fuzzed.slowest = max(fuzzed.slowest, (took, f"{operation.method.upper()} {operation.path}"))
        if (why := wrong_with(answer)) and len(fuzzed.mistakes) < MOST_TOLD:
            fuzzed.mistakes.append(
                f"{operation.method.upper()} {request.path_url[:300]} {(raw or b'')[:600]!r}: {why}: {answer.body[:300]!r}"
            )

    one()
    return attempts


class _GoneError(Exception):
    """Somebody cannot sign in any more."""


class OverHttp:
    """People signed in to a running server."""

    def __init__(self, port: int) -> None:
        self._port = port
        self._as: dict[str, tuple[http.client.HTTPConnection, str, str]] = {}
        self._gone: set[str] = set()

    def __call__(self, login: str, method: str, path: str, media_type: str | None, body: bytes | None) -> Answer:
        if login not in self._as and login not in self._gone:
            try:
                self._as[login] = self._sign_in(login)
            except _GoneError:
                # Its account was changed or locked by what was sent: the others go on.
                self._gone.add(login)
        left = self._as.get(login) or next(iter(self._as.values()), None)
        if left is None:
            raise AssertionError("nobody can sign in any more")
        link, cookie, token = left
        answer = self._ask(link, method, path, cookie, token, media_type, body)
        if answer.status == 401:
            # Somebody's account was changed meanwhile, or all places were signed out.
            self._as = {who: kept for who, kept in self._as.items() if kept is not left}
        return answer

    def _ask(
        self, link: http.client.HTTPConnection, method: str, path: str, cookie: str, token: str, media_type: str | None, body: bytes | None
    ) -> Answer:  # fmt: skip
        headers = {"Cookie": cookie, "X-CSRFToken": token, "User-Agent": "fuzz"}
        if media_type is not None:
            headers["Content-Type"] = media_type
        for attempt in (1, 2):
            try:
                link.request(method, path, body, headers)
                response = link.getresponse()
                return Answer(response.status, response.headers.get_content_type(), response.read(), dict(response.headers))
            except (http.client.HTTPException, OSError):
                link.close()
                if attempt == 2:
                    raise
        raise AssertionError

    def _sign_in(self, login: str) -> tuple[http.client.HTTPConnection, str, str]:
        link = http.client.HTTPConnection("127.0.0.1", self._port, timeout=PATIENCE_S)

        def session(cookie: str) -> tuple[str, str]:
            link.request("GET", "/api/session", headers={"Cookie": cookie, "User-Agent": "fuzz"})
            response = link.getresponse()
            kept = response.headers.get("Set-Cookie", cookie).partition(";")[0]
            return kept, json.loads(response.read())["csrf_token"]

        cookie, token = session("")
        body = json.dumps({"login": login, "password": DEMO_PASSWORD}).encode()
        headers = {"Cookie": cookie, "X-CSRFToken": token, "Content-Type": "application/json", "User-Agent": "fuzz"}
        for _ in range(MOST_WAITS):
            link.request("POST", "/api/session", body, headers)
            response = link.getresponse()
            response.read()
            if response.status not in (429, 503):
                break
            # Somebody here has guessed too often, or the shop is busy: it says when to come again. It may hang up meanwhile.
            link.close()
            time.sleep(min(float(response.headers.get("Retry-After", "1")), LONGEST_WAIT_S))
        if response.status != 200:
            raise _GoneError(f"{login} cannot sign in any more: {response.status}")
        cookie, token = session(response.headers["Set-Cookie"].partition(";")[0])
        return link, cookie, token


def _ids(send: Sender) -> dict[str, list[Any]]:
    """What is there, by the name of the parameter in a path."""

    def got(path: str) -> Any:
        return json.loads(send("mara", "GET", path, None, None).body)

    jobs = [j["id"] for j in got("/api/jobs?limit=100")["jobs"]]
    return {
        "job_id": jobs,
        "instrument_id": [i["instrument"]["id"] for i in got("/api/instruments")["instruments"]],
        "customer_id": [c["id"] for c in got("/api/customers?limit=100")["customers"]],
        # The attackers' own accounts stay as they are.
        "person_id": [],
    }


@contextmanager
def _memory_of(var: Path) -> Iterator[Callable[[], dict[str, float]]]:
    """The most that each process of a shop's server has held since the beginning, above what it held then [MB]."""

    def held() -> dict[int, float]:
        supervisor = int(json.loads((var / "server.json").read_text())["pid"])
        memory = {}
        for server in children_of(supervisor, b"uvicorn"):
            for pid in children_of(server, b"spawn_main"):
                line = next(s for s in Path(f"/proc/{pid}/status").read_text().splitlines() if s.startswith("VmHWM"))
                memory[pid] = int(line.split()[1]) / 1024
        return memory

    before = held()
    yield lambda: {f"process {k}": round(now - before.get(pid, 0.0)) for k, (pid, now) in enumerate(held().items(), 1)}


def _told(fuzzed: Fuzzed) -> dict[str, Any]:
    return {
        "requests": sum(fuzzed.answers.values()),
        "answers": {str(s): n for s, n in sorted(fuzzed.answers.items())},
        "mistakes": fuzzed.mistakes,
        "slowest answer, s": round(fuzzed.slowest[0], 2),
        "slowest": fuzzed.slowest[1],
    }


def fuzz_test(count: int = 20_000, start: int = 1) -> dict[str, Any]:
    """So much nonsense against a product of its own. Returns the answers by status, mistakes in words, the slowest answer, memory.

    Where it gives up itself, what was answered until then is printed, and the server's log is kept.
    """
    document = json.loads((ROOT / "docs" / "formats" / "openapi.json").read_text(encoding="utf-8"))
    with shop() as (var, port):
        send = OverHttp(port)
        ids = _ids(send)
        log = ROOT / "var" / f"fuzz-{start}.log"
        fuzzed, whole = Fuzzed(), False
        try:
            with _memory_of(var) as grown:
                fuzz(send, document, ids, count, start, fuzzed)
                memory = grown()
            whole = not fuzzed.mistakes
        finally:
            if not whole:
                # It says why, and would go with the shop; the oldest part of it first.
                parts = sorted(var.glob("server.log*"), key=lambda p: p.stat().st_mtime)
                log.write_bytes(b"".join(p.read_bytes() for p in parts))
                print(json.dumps({**_told(fuzzed), "whole": False}, indent=2), file=sys.stderr)
    return {
        **_told(fuzzed),
        "the server's log of them": str(log) if fuzzed.mistakes else "",
        "memory above the beginning, MB": memory,
    }
