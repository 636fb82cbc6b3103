"""The one way out: requests to an address that a person named.

The address that was looked at is the one that is connected to, so that a name which answers differently the second time
leads nowhere else. A redirect is followed by `fetch` alone, and each of its addresses is looked at like the first.
"""

import ipaddress
import socket
import time
from collections.abc import Mapping
from dataclasses import dataclass
from http import HTTPStatus
from urllib.parse import SplitResult, urljoin, urlsplit

import urllib3

from vast_orchard.errors import OutgoingError, SettingError

__all__ = ["Answer", "allowed_hosts", "check_address", "fetch", "request"]

_PORTS = {"http": 80, "https": 443}
_PIECE = 2**16
_REDIRECTS = frozenset({301, 302, 303, 307, 308})
_MOST_REDIRECTS = 4


@dataclass(frozen=True, kw_only=True)
class Answer:
    """What came back."""

    status: int
    body: bytes
    location: str | None = None


def allowed_hosts(setting: str) -> frozenset[str]:
    """Hosts that may be inside, from `name` or `name:port` joined by commas."""
    return frozenset(entry.strip().lower() for entry in setting.split(",") if entry.strip())


def check_address(url: str) -> SplitResult:
    """An address taken apart.

    Raises
    ------
    SettingError
        It is not one of http or https, or carries a name and password.
    """
    try:
        parts = urlsplit(url)
        port = parts.port
    except ValueError as error:
        raise SettingError(f"{url!r} is no address: {error}.", "Write it like https://host.example/path.") from error
    if parts.scheme not in _PORTS or not parts.hostname or port == 0:
        raise SettingError(f"{url!r} is no address of http or https.", "Write it like https://host.example/path.")
    if parts.username or parts.password:
        raise SettingError("The address carries a name or a password.", "Leave them out of it.")
    return parts


def _connected_to(parts: SplitResult, port: int, allowed: frozenset[str]) -> str:
    """The address of the host to connect to; every one that it has must be public."""
    host = parts.hostname or ""
    try:
        found = {str(entry[4][0]) for entry in socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)}
    except OSError as error:
        raise OutgoingError(f"{host} has no address here: {error}.", "See whether its name is right.") from error
    if not {host, f"{host}:{port}"} & allowed:
        inside = sorted(address for address in found if not _is_public(address))
        if inside:
            raise OutgoingError(
                f"{host} is {inside[0]}, which is not a public address.",
                f"If it should be told, list {host}:{port} in VAST_ORCHARD_OUTGOING_ALLOWED.",
            )
    return sorted(found)[0]


def _is_public(address: str) -> bool:
    found = ipaddress.ip_address(address.partition("%")[0])
    if isinstance(found, ipaddress.IPv6Address) and found.ipv4_mapped:
        found = found.ipv4_mapped
    return found.is_global and not found.is_multicast


def request(
    method: str,
    url: str,
    *,
    headers: Mapping[str, str],
    body: bytes = b"",
    allowed: frozenset[str] = frozenset(),
    limit_s: float = 10.0,
    limit_bytes: int = 65_536,
) -> Answer:
    """Ask once; a redirect is an answer like any other and is not followed.

    Parameters
    ----------
    method, url : str
    headers : mapping
    body : bytes
    allowed : frozenset of str
        Hosts that need not be public, see `allowed_hosts`.
    limit_s : float
        Seconds for all of it.
    limit_bytes : int
        Of the answer.

    Raises
    ------
    SettingError
        The address is none.
    OutgoingError
        The host is unknown or inside, does not answer in time, or answers with too much.
    """
    parts = check_address(url)
    host, port = parts.hostname or "", parts.port or _PORTS[parts.scheme]
    address, began = _connected_to(parts, port, allowed), time.monotonic()
    timeout = urllib3.Timeout(total=limit_s)
    pool: urllib3.HTTPConnectionPool
    if parts.scheme == "https":
        # The certificate is held against the name, whatever address it is reached by.
        pool = urllib3.HTTPSConnectionPool(
            address, port, timeout=timeout, retries=False, server_hostname=host, assert_hostname=host
        )
    else:
        pool = urllib3.HTTPConnectionPool(address, port, timeout=timeout, retries=False)
    target = (parts.path or "/") + (f"?{parts.query}" if parts.query else "")
    shown = f"[{host}]" if ":" in host else host
    own = {"Host": shown if port == _PORTS[parts.scheme] else f"{shown}:{port}", **headers}
    with pool:
        try:
            answer = pool.urlopen(
                method, target, body=body, headers=own, redirect=False, preload_content=False, assert_same_host=False
            )
            taken = bytearray()
            # What is there by now, not a full piece: a host that drips is stopped when its time is over.
            while piece := answer.read1(_PIECE):
                taken += piece
                if len(taken) > limit_bytes:
                    raise OutgoingError(f"{host} answers with more than {limit_bytes:,} bytes.", "See what is there.")
                if time.monotonic() - began > limit_s:
                    raise OutgoingError(f"{host} did not end its answer within {limit_s:g} s.", "See what is there.")
            return Answer(status=answer.status, body=bytes(taken), location=answer.headers.get("Location"))
        except (urllib3.exceptions.HTTPError, OSError) as error:
            raise OutgoingError(
                f"{host} did not answer within {limit_s:g} s: {_cause(error)}.", "See whether it is up."
            ) from error


def fetch(url: str, *, allowed: frozenset[str] = frozenset(), limit_s: float = 20.0, limit_bytes: int = 2**26) -> bytes:
    """What lies at an address; up to four redirects are followed.

    Parameters
    ----------
    url : str
    allowed : frozenset of str
        Hosts that need not be public, see `allowed_hosts`.
    limit_s : float
        Seconds for all of it, redirects included.
    limit_bytes : int

    Raises
    ------
    SettingError
        The address, or one that it leads to, is none.
    OutgoingError
        As of `request`; or it leads on and on, or its host has nothing there.
    """
    ends = time.monotonic() + limit_s
    for _ in range(_MOST_REDIRECTS + 1):
        left = max(0.001, ends - time.monotonic())
        answer = request("GET", url, headers={}, allowed=allowed, limit_s=left, limit_bytes=limit_bytes)
        if answer.status in _REDIRECTS and answer.location:
            url = urljoin(url, answer.location)
            continue
        if answer.status != HTTPStatus.OK:
            host = urlsplit(url).hostname
            raise OutgoingError(f"{host} answers with {answer.status}, not with a file.", "See what is there.")
        return answer.body
    raise OutgoingError(f"The address leads on more than {_MOST_REDIRECTS} times.", "Name the last address itself.")


def _cause(error: Exception) -> str:
    """Without the connection's own name in front."""
    return str(error).rpartition(">: ")[2] or type(error).__name__
