"""``script/serve cluster``: what lies on each machine of a cluster, made from the same templates as one machine and rehearsed by ``script/cluster``."""

from __future__ import annotations

import base64
import re
import tomllib
from collections.abc import Mapping
from ipaddress import IPv4Address
from pathlib import Path
from string import Template
from typing import Annotated, Self

from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric.x25519 import X25519PrivateKey
from cryptography.hazmat.primitives.kdf.hkdf import HKDF
from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationError, model_validator

from . import galera
from .serve import FIRST_PORT, REDIS_PORT, SETTINGS, TEMPLATES, Host, ServeFailed, accounts, buffer_pool

DB_PORT, PROXY_PORT, PEER_PORT, SENTINEL_PORT, TUNNEL_PORT = 3306, 3307, 10000, 26379, 51820
#: What a machine's end of the tunnel is written to; it holds a key.
TUNNEL = "etc/wireguard/vigilant.conf"
ADDRESS = re.compile(r"[0-9A-Za-z]([0-9A-Za-z.-]{0,251}[0-9A-Za-z])?")


def _an_address(value: str) -> str:
    if not ADDRESS.fullmatch(value):
        raise ValueError("a host's name or IPv4 address is wanted")
    return value


def _odd(value: list[str]) -> list[str]:
    if len(value) < 3 or len(value) % 2 == 0:
        raise ValueError(f"3 or 5 are wanted, an odd number, so that most of them can be told; got {len(value)}")
    return value


def _apart(value: list[str]) -> list[str]:
    if len(set(value)) < len(value):
        raise ValueError("each machine once")
    return value


Address = Annotated[str, AfterValidator(_an_address)]
Machines = Annotated[list[Address], AfterValidator(_apart)]


class Layout(BaseModel):
    """Which machines there are, by what each does; one may do several things. Times of day, disks and backups are of each machine's own."""

    model_config = ConfigDict(extra="forbid")

    name: Address
    front: Address
    nodes: Annotated[Machines, AfterValidator(_odd)]
    redis: Annotated[Machines, Field(min_length=2)]
    sentinels: Annotated[Machines, AfterValidator(_odd)]
    web: Annotated[Machines, Field(min_length=1)]
    workers: Annotated[Machines, Field(min_length=1)]
    certificate: str = "/etc/vigilant/tls/certificate.pem"
    key: str = "/etc/vigilant/tls/key.pem"
    #: Web processes a web host.
    processes: Annotated[int, Field(ge=1, le=64)] = 2
    #: Where machines reach each other's tunnel, by their addresses within it; without them they share a network that is theirs alone.
    outside: dict[Address, Address] = Field(default_factory=dict)

    @property
    def machines(self) -> list[str]:
        every = (self.front, *self.nodes, *self.redis, *self.sentinels, *self.web, *self.workers)
        return list(dict.fromkeys(every))

    @model_validator(mode="after")
    def _all_outside(self) -> Self:
        if self.outside:
            missing = sorted(set(self.machines) ^ set(self.outside))
            if missing:
                raise ValueError(f"outside: every machine and no other; see {', '.join(missing)}")
            for one in self.outside:
                try:
                    IPv4Address(one)
                except ValueError:
                    raise ValueError(f"outside: {one} is no IPv4 address within the tunnel") from None
        return self


def read(path: Path) -> Layout:
    """The machines of a file. Raises :class:`ServeFailed` with every fault."""
    try:
        return Layout.model_validate(tomllib.loads(path.read_text(encoding="utf-8")))
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise ServeFailed(f"{path}: {error}") from None
    except ValidationError as error:
        faults = (
            f"{'.'.join(map(str, one['loc']))}: {one['msg'].removeprefix('Value error, ')}"
            for one in error.errors(include_url=False)
        )
        raise ServeFailed(f"{path}: " + "; ".join(faults)) from None


def files(told: Layout, secret: Mapping[str, str]) -> dict[str, dict[str, str]]:
    """What each machine has, by its address: texts by their path from the root."""
    found: dict[str, dict[str, str]] = {}
    for address in told.nodes:
        values = {
            "address": address,
            "buffer_pool": buffer_pool(),
            "wsrep": galera.as_file(galera.wsrep(address, told.nodes, address, told.nodes)),
        }
        _put(found, address, "etc/mysql/mariadb.conf.d/60-vigilant.cnf", "galera.cnf", values)
    # Once, on the node that begins the cluster; the others get it with all else.
    found[told.nodes[0]]["root/vigilant-accounts.sql"] = accounts(secret["db_password"], "%")
    first = told.redis[0]
    for address in told.redis:
        values = {
            **secret, "redis_bind": address, "redis_port": str(REDIS_PORT),
            "replica": f"masterauth {secret['redis_password']}" + ("" if address == first else f"\nreplicaof {first} {REDIS_PORT}"),
        }  # fmt: skip
        _put(found, address, "etc/redis/redis-vigilant.conf", "redis.conf", values)
    for address in told.sentinels:
        values = {
            **secret, "address": address, "sentinel_port": str(SENTINEL_PORT), "redis_address_first": first, "redis_port": str(REDIS_PORT)
        }  # fmt: skip
        _put(found, address, "etc/redis/sentinel.conf", "sentinel.conf", values)
    hosts = list(dict.fromkeys([*told.web, *told.workers]))
    for address in hosts:
        _host(found, told, secret, address, hosts)
    for address in told.outside:
        _put(found, address, TUNNEL, "tunnel.conf", _tunnel(told, secret["tunnel"], address))
    asked = tuple(f"{web}:{FIRST_PORT + i}" for web in told.web for i in range(told.processes))
    front = Host(told.name, told.certificate, told.key, asked=asked)
    found.setdefault(told.front, {})["etc/nginx/conf.d/vigilant.conf"] = front.files(secret)[
        "etc/nginx/conf.d/vigilant.conf"
    ]
    return found


def _tunnel(told: Layout, secret: str, address: str) -> dict[str, str]:
    """One machine's end of the WireGuard tunnel that all of them are in."""
    others = (
        f"[Peer]\nPublicKey = {_public(_key(secret, other))}\nAllowedIPs = {other}/32\nEndpoint = {place}:{TUNNEL_PORT}\n"
        for other, place in told.outside.items()
        if other != address
    )
    return {"address": address, "port": str(TUNNEL_PORT), "key": _key(secret, address), "peers": "\n".join(others)}


def _key(secret: str, address: str) -> str:
    """A machine's private key: all come of one secret, so that files written again fit those that are there."""
    made = HKDF(hashes.SHA256(), 32, salt=None, info=f"tunnel of {address}".encode()).derive(secret.encode())
    return base64.b64encode(made).decode()


def _public(key: str) -> str:
    private = X25519PrivateKey.from_private_bytes(base64.b64decode(key))
    return base64.b64encode(private.public_key().public_bytes_raw()).decode()


def _put(found: dict[str, dict[str, str]], address: str, place: str, template: str, values: Mapping[str, str]) -> None:
    found.setdefault(address, {})[place] = Template((TEMPLATES / template).read_text()).substitute(values)


def _host(
    found: dict[str, dict[str, str]], told: Layout, secret: Mapping[str, str], address: str, hosts: list[str]
) -> None:
    """A machine of ours: units of what it does, and its way to the database."""
    sentinels = ";".join(
        f"sentinel://:{secret['redis_password']}@{sentinel}:{SENTINEL_PORT}" for sentinel in told.sentinels
    )
    roles = [role for role, machines in (("web", told.web), ("worker", told.workers)) if address in machines]
    host = Host(
        told.name, told.certificate, told.key, web=told.processes, db_port=PROXY_PORT, listen=address, front=told.front,
        redis=sentinels, roles=tuple(roles), more="VIGILANT_DB_WAIT=1\nVIGILANT_REDIS_MASTER=vigilant\nVIGILANT_SIGNING_KEY=/etc/vigilant/signing-key",
        local=("haproxy.service",),
    )  # fmt: skip
    made = host.files(secret)
    for place in [SETTINGS, *(place for place in made if place.startswith("etc/systemd/"))]:
        found.setdefault(address, {})[place] = made[place]
    account = "/etc/haproxy/asks.cnf"
    values = {
        "port": str(PROXY_PORT), "socket": "/run/haproxy/vigilant.sock", "check": "/etc/haproxy/node-is-synced",
        "run_as": "  user haproxy\n  group haproxy",
        "peers": "\n".join(f"  peer {one} {one}:{PEER_PORT}" for one in hosts),
        "nodes": "\n".join(f"  server {node} {node}:{DB_PORT} check" for node in told.nodes),
    }  # fmt: skip
    _put(found, address, "etc/haproxy/haproxy.cfg", "haproxy.cfg", values)
    _put(found, address, "etc/haproxy/node-is-synced", "node-is-synced", {"account": account})
    found[address][account.lstrip("/")] = f"[client]\nuser=vigilant\npassword={secret['db_password']}\n"
    # By this name a proxy knows itself among the others.
    found[address]["etc/default/haproxy"] = f'EXTRAOPTS="-L {address}"\n'
