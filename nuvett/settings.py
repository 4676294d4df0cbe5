"""All settings, read once at entry points from the environment (prefix NUVETT_) and passed down."""

from pathlib import Path
from typing import Literal

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """Settings of one running copy; docs/settings.md explains each."""

    model_config = SettingsConfigDict(env_prefix="NUVETT_", frozen=True)

    database: str = Field(
        default="postgresql://localhost/nuvett", repr=False, description="Address of the PostgreSQL database."
    )
    blobs: str = Field(default=".state/blobs", description="Folder or fsspec address where pictures are kept.")
    folders: Path = Field(
        default=Path(".state/folders"),
        description="Folder of this machine below which series are watched for and handed over to.",
    )
    has_folders: bool = Field(
        default=True,
        description="Whether this process reaches the folders; one that does not leaves work there to those that do.",
    )
    demo: Path = Field(default=Path("demo"), description="Folder with the demo pictures and their manifest.")
    host: str = Field(default="127.0.0.1", description="Address to listen on.")
    port: int = Field(default=8760, ge=0, le=65535, description="Port to listen on; the next free one is taken.")
    hosts: tuple[str, ...] = Field(
        default=("127.0.0.1", "localhost", "[::1]"), description="Host names that requests may carry."
    )
    log: Literal["text", "json"] = Field(
        default="text",
        description="How logs are written: text tells what is amiss, json every request and job with its id, too.",
    )
    metrics_key: str = Field(
        default="",
        repr=False,
        description="What a collector of numbers says as a bearer token to read /metrics without signing in.",
    )
    password: str = Field(
        default="", repr=False, description="Argon2 hash of the password to sign in with, from `./run cli password`."
    )
    proxies: tuple[str, ...] = Field(
        default=(), description="Addresses of proxies in front, whose word on client and scheme is trusted."
    )
    connections: int = Field(
        default=0, ge=0, description="Connections that a web server keeps at once; more are turned away. 0: no limit."
    )
    database_connections: int = Field(
        default=8, gt=0, description="Connections to the database that a process keeps; it takes ten more when busy."
    )
    tls: bool = Field(default=False, description="Whether browsers reach it over TLS that ends before it.")
    upload_bytes: int = Field(default=400_000_000, gt=0, description="Largest file accepted, in bytes.")
    upload_pixels: int = Field(default=160_000_000, gt=0, description="Largest picture accepted, in pixels.")
    series_frames: int = Field(default=5000, gt=0, description="Most frames in one series.")
    series_references: int = Field(default=24, gt=0, description="Most references in one series.")
    stalled_seconds: float = Field(
        default=20, gt=0.5, description="Silence after which a worker counts as dead and its task is handed out again."
    )
    task_megabytes: int = Field(
        default=2000,
        gt=0,
        description="Memory that tasks take together; large pictures wait for each other.",
    )
    cache_megabytes: int = Field(default=320, gt=0, description="Memory for decoded views and finished renders.")
