"""Every setting of the server that the environment gives: what it is, how it is checked, what it is where nobody says.

In production they stand in one file of ``NAME=value`` lines that every unit reads. ``docs/settings.md`` is made from this table.
"""

from __future__ import annotations

import re
import secrets
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Any, Literal, Self
from urllib.parse import urlsplit

from pydantic import AfterValidator, BeforeValidator, Field, SecretStr, ValidationError, model_validator
from pydantic.fields import FieldInfo
from pydantic_settings import BaseSettings, NoDecode, SettingsConfigDict

ROOT = Path(__file__).resolve().parents[3]
PREFIX = "VIGILANT_"
#: Characters that a secret has in production.
LEAST_SECRET = 32


def _listed(value: Any) -> Any:
    return [part.strip() for part in value.split(",") if part.strip()] if isinstance(value, str) else value


#: How the address of a Redis begins that sentinels tell.
SENTINEL = "sentinel://"


def _a_redis(value: str) -> str:
    """One Redis, or sentinels that tell which; raises ValueError."""
    parts = value.split(";") if value else []
    for part in parts:
        try:
            split = urlsplit(part)
            whole = bool(split.hostname) and (split.port or 1) > 0
        except ValueError:
            whole = False
        if not whole or not part.startswith(("redis://", "rediss://", SENTINEL)):
            raise ValueError("redis://HOST:PORT/0 is wanted, or sentinel://HOST:PORT of each sentinel with ; between")
    if len(parts) > 1 and not all(part.startswith(SENTINEL) for part in parts):
        raise ValueError("several addresses are those of sentinels: sentinel://HOST:PORT with ; between")
    return value


Names = Annotated[list[str], NoDecode, BeforeValidator(_listed)]
Port = Annotated[int, Field(ge=1, le=65535)]


class Configuration(BaseSettings):
    """Raises :class:`ConfigurationRefused` by :func:`read`, never half a configuration."""

    model_config = SettingsConfigDict(env_prefix=PREFIX, extra="ignore", env_ignore_empty=True)

    production: bool = Field(
        False,
        description="1 on a server for others: TLS alone, cookies for it, and nothing secret made up by a process.",
    )
    secret_key: SecretStr = Field(
        SecretStr(""),
        description=f"Signs sessions and tokens of visits; {LEAST_SECRET} characters at least, the same in all processes. Another one ends every session, and makes second factors worthless: they are set anew.",
    )
    hosts: Names = Field(["127.0.0.1", "localhost"], description="Names by which the server is asked, with commas.")
    proxies: Annotated[int, Field(ge=0, le=9)] = Field(
        0, description="Reverse proxies in front: an address of a client is taken from so many back."
    )
    db_host: str = Field("127.0.0.1", description="Host of the database.")
    db_port: Port = Field(3306, description="Its port.")
    db_name: str = Field("vigilant", description="Its schema.")
    db_user: str = Field("vigilant", description="Its account.")
    db_password: SecretStr = Field(SecretStr(""), description="The password of that account.")
    db_wait: bool = Field(
        False, description="1 on a Galera cluster: what is read waits until this node has all that was written on any."
    )
    redis: Annotated[str, AfterValidator(_a_redis)] = Field(
        "",
        description="Redis that wakes workers and live views, as `redis://:PASSWORD@HOST:PORT/0`; on several hosts their sentinels, `sentinel://:PASSWORD@HOST:PORT` each, with `;` between. Without one a process does its jobs at once.",
    )
    redis_master: str = Field("vigilant", description="What sentinels call the Redis that they watch.")
    threads: Annotated[int, Field(ge=1, le=64)] = Field(
        8, description="Requests that a web process works on at a time."
    )
    var: Path = Field(ROOT / "var", description="Folder of what a host keeps for itself.")
    web: Path = Field(ROOT / "web" / "dist", description="Folder of the built front end.")
    signing_key: Path | None = Field(
        None,
        description="File of the key that signs bundles; the same on all hosts. Unless said, signing-key in the folder of the host.",
    )
    sign_on_issuer: str = Field(
        "",
        description="Provider of accounts that people sign in with (OpenID Connect), as it calls itself: `https://...`. Without one there are local accounts alone.",
    )
    sign_on_client: str = Field("", description="What the provider calls this server.")
    sign_on_secret: SecretStr = Field(SecretStr(""), description="What it knows this server by.")
    sign_on_name: Annotated[str, Field(max_length=40)] = Field(
        "the team's account", description="What the button says one signs in with."
    )
    sign_on_groups: str = Field("groups", description="The claim that holds the groups of a person.")
    sign_on_scopes: str = Field("openid profile email", description="What the provider is asked to tell.")
    second_factor: bool = Field(
        False,
        description="1 where everybody with an account of this server must set a second factor before anything else; who signs in with the team's account is asked by its provider.",
    )
    backups: Path | None = Field(
        None, description="Folder that backups are made into each night, on another disk than the database."
    )
    backup_key: Path | None = Field(
        None, description="File of the key that they are sealed by; made by backup --new-key, and kept elsewhere too."
    )
    metrics: Path | None = Field(
        None,
        description="Folder where the processes of a host put their counts, gone when the host starts anew; without one each web process tells its own.",
    )
    metrics_token: SecretStr = Field(
        SecretStr(""),
        description="Bearer token that /metrics is read with; without one it is answered to this machine alone.",
    )
    log: Literal["lines", "json"] = Field(
        "lines", description="How what happens is written: lines for eyes, or one JSON object a line."
    )
    log_level: Literal["DEBUG", "INFO", "WARNING", "ERROR"] = Field(
        "WARNING", description="The least level that is written; INFO writes every request."
    )

    @model_validator(mode="after")
    def _in_production(self) -> Self:
        if not self.production:
            return self
        secret = self.secret_key.get_secret_value()
        if len(secret) < LEAST_SECRET:
            raise ValueError(
                f"VIGILANT_SECRET_KEY must be set in production, to {LEAST_SECRET} characters or more; got {len(secret)}"
            )
        if not self.redis:
            raise ValueError("VIGILANT_REDIS must name the queue in production")
        return self

    @model_validator(mode="after")
    def _signs_on(self) -> Self:
        if not self.sign_on_issuer:
            return self
        if not self.sign_on_client or not self.sign_on_secret.get_secret_value():
            raise ValueError("VIGILANT_SIGN_ON_CLIENT and VIGILANT_SIGN_ON_SECRET go with VIGILANT_SIGN_ON_ISSUER")
        if self.production and not self.sign_on_issuer.startswith("https://"):
            raise ValueError(
                f"VIGILANT_SIGN_ON_ISSUER must be asked by TLS in production, got {self.sign_on_issuer[:60]!r}"
            )
        return self

    @model_validator(mode="after")
    def _settled(self) -> Self:
        if not self.secret_key.get_secret_value():
            self.secret_key = SecretStr(
                secrets.token_urlsafe(48)
            )  # of this process alone; the launcher sets one that stays
        self.signing_key = self.signing_key or self.var / "signing-key"
        return self


class ConfigurationRefused(Exception):
    """What is wrong, one line each."""


def read() -> Configuration:
    """From the environment. Raises :class:`ConfigurationRefused` with every fault."""
    try:
        return Configuration()
    except ValidationError as error:
        raise ConfigurationRefused("\n".join(_said(error))) from None


def _said(error: ValidationError) -> Iterator[str]:
    for one in error.errors(include_url=False, include_context=False):
        message = one["msg"].removeprefix("Value error, ")
        name = PREFIX + "_".join(str(part) for part in one["loc"][:1]).upper()
        secret = one["loc"] and _secret(str(one["loc"][0]))
        got = "" if secret or not one["loc"] else f", got {str(one['input'])[:60]!r}"
        yield f"{name}: {message[:1].lower()}{message[1:]}{got}" if one["loc"] else message


def _secret(name: str) -> bool:
    """Not to be shown: a secret, or an address that holds one."""
    return name == "redis" or Configuration.model_fields[name].annotation is SecretStr


def unknown(names: Iterator[str] | list[str]) -> list[str]:
    """Names with our prefix that no part of the server reads: mistyped, as a rule."""
    known = {PREFIX + name.upper() for name in Configuration.model_fields} | ELSEWHERE
    return sorted(name for name in names if name.startswith(PREFIX) and name not in known)


#: What recorders and subjects read.
ELSEWHERE = {
    PREFIX + name
    for name in (
        "SERVER", "TOKEN", "SPOOL", "LISTEN", "LAPS", "CHROMIUM", "ARMS", "BUILD", "FRAMES", "LOAD", "SECONDS", "SEED", "STILLS",
        "VALUES", "TAP_FOLDER", "TAP_LIBRARY",
    )
}  # fmt: skip


def document() -> str:
    """The settings as a page of Markdown."""
    lines = [
        "# Settings of the server", "", "Made from the code by `script/schema`. In production they stand in one file, `/etc/vigilant/server.env`, a `NAME=value` a line; an empty",
        "value says nothing. A name or value that cannot be is refused when a process starts, and `doctor` names those that nothing reads.", "",
        "| name | what it is | unless said |", "|---|---|---|",
    ]  # fmt: skip
    for name, field in Configuration.model_fields.items():
        lines.append(f"| `{PREFIX}{name.upper()}` | {field.description} | {_unless(field)} |")
    return "\n".join(lines) + "\n"


def _unless(field: FieldInfo) -> str:
    value = field.default
    if isinstance(value, SecretStr) or value in (None, ""):
        return ""
    if isinstance(value, bool):
        return f"`{int(value)}`"
    if isinstance(value, Path):
        return f"`{value.relative_to(ROOT)}` beside the code"
    text = ",".join(value) if isinstance(value, list) else str(value)
    return f"`{re.sub(r'[|`]', '', text)}`"


if __name__ == "__main__":
    print(document(), end="")
