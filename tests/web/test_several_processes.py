"""Several processes of one installation: web servers that are started at once, each on its own, beside a worker."""

import os
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import httpx2 as httpx
import pytest

from tests.conftest import DEMO, PROJECT
from tools.cluster import Cluster

_PATIENCE = 60.0


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@pytest.fixture
def addresses(cluster: Cluster, tmp_path: Path) -> Iterator[list[str]]:
    """Two web servers and a worker on a new database, started at once."""
    environment = os.environ | {
        "NUVETT_DATABASE": cluster.database("several"),
        "NUVETT_BLOBS": str(tmp_path / "blobs"),
        "NUVETT_FOLDERS": str(tmp_path / "folders"),
    }
    ports = [free_port(), free_port()]
    processes = []

    def start(module: str, **more: str) -> None:
        command = [sys.executable, "-m", module]
        process = subprocess.Popen(command, cwd=PROJECT, env=environment | more, stdin=subprocess.PIPE)
        processes.append(process)

    for port in ports:
        start("nuvett.web", NUVETT_PORT=str(port))
    found = [f"http://127.0.0.1:{port}" for port in ports]
    for address in found:
        wait(lambda address=address: httpx.get(f"{address}/ready").json()["ready"])  # type: ignore[misc]
    start("nuvett.jobs")
    yield found
    for process in processes:
        process.terminate()
        if process.stdin is not None:
            process.stdin.close()
    assert all(process.wait(30) in (0, -15) for process in processes)


def wait(answers) -> None:  # type: ignore[no-untyped-def]
    until = time.monotonic() + _PATIENCE
    while time.monotonic() < until:
        try:
            if answers():
                return
        except httpx.HTTPError:
            pass
        time.sleep(0.2)
    raise AssertionError("nobody answered in time")


def test_two_web_servers_and_a_worker_serve_one_installation(addresses: list[str]) -> None:
    first, second = addresses
    made = httpx.post(f"{first}/series", data={"title": "Fair"}, headers={"origin": first})
    assert made.status_code == 303
    path = made.headers["location"].removesuffix("/gather")
    with (DEMO / "frames" / "AT-0101.jpg").open("rb") as stream:
        sent = httpx.post(f"{second}{path}/frames", files={"file": ("AT-0101.jpg", stream)}, headers={"origin": second})
    assert sent.status_code == 201
    wait(lambda: "nuvett_frames 1.0" in httpx.get(f"{first}/metrics").text)
    assert "AT-0101" in httpx.get(f"{second}{path}/gather").text
