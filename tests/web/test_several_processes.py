"""Several processes of one installation: web servers that are started at once, each on its own, beside a worker."""

import json
import os
import shutil
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

_PATIENCE = 180.0


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class Processes:
    """Processes of one installation on a new database; what they log is kept."""

    def __init__(self, database: str, folder: Path) -> None:
        self.folder = folder
        self._environment = os.environ | {
            "NUVETT_DATABASE": database,
            "NUVETT_BLOBS": str(folder / "blobs"),
            "NUVETT_FOLDERS": str(folder / "folders"),
            "NUVETT_LOG": "json",
        }
        self._running: list[subprocess.Popen[bytes]] = []

    def start(self, module: str, **more: str) -> None:
        """Start one of them."""
        command = [sys.executable, "-m", module]
        with (self.folder / f"{module}.log").open("ab") as log:
            process = subprocess.Popen(
                command, cwd=PROJECT, env=self._environment | more, stdin=subprocess.PIPE, stderr=log
            )
        self._running.append(process)

    def start_web(self) -> str:
        """Start a web server; where it answers."""
        port = free_port()
        self.start("nuvett.web", NUVETT_PORT=str(port))
        return f"http://127.0.0.1:{port}"

    def logged(self, module: str) -> list[dict[str, object]]:
        """What processes of a module logged."""
        return [json.loads(line) for line in (self.folder / f"{module}.log").read_text().splitlines()]

    def stop(self) -> None:
        """Stop all of them as their keeper does; each has to end well."""
        for process in self._running:
            process.terminate()
            if process.stdin is not None:
                process.stdin.close()
        assert all(process.wait(30) in (0, -15) for process in self._running)


@pytest.fixture
def processes(cluster: Cluster, tmp_path: Path, request: pytest.FixtureRequest) -> Iterator[Processes]:
    made = Processes(cluster.database(f"several{abs(hash(request.node.name)) % 10**8}"), tmp_path)
    yield made
    made.stop()


@pytest.fixture
def addresses(processes: Processes) -> list[str]:
    """Two web servers, started at once, and a worker."""
    found = [processes.start_web(), processes.start_web()]
    for address in found:
        ready(address)
    processes.start("nuvett.jobs")
    return found


def ready(address: str) -> None:
    wait(lambda: httpx.get(f"{address}/ready").json()["ready"])


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


def test_two_web_servers_and_a_worker_serve_one_installation(addresses: list[str], processes: Processes) -> None:
    first, second = addresses
    made = httpx.post(f"{first}/series", data={"title": "Fair"}, headers={"origin": first})
    assert made.status_code == 303
    path = made.headers["location"].removesuffix("/gather")
    with (DEMO / "frames" / "AT-0101.jpg").open("rb") as stream:
        sent = httpx.post(f"{second}{path}/frames", files={"file": ("AT-0101.jpg", stream)}, headers={"origin": second})
    assert sent.status_code == 201
    wait(lambda: "nuvett_frames 1.0" in httpx.get(f"{first}/metrics").text)
    assert "AT-0101" in httpx.get(f"{second}{path}/gather").text
    name = httpx.get(f"{second}{path}/carry").headers["x-request-id"]

    def answered() -> list[dict[str, object]]:
        return [one for one in processes.logged("nuvett.web") if one.get("request") == name]

    wait(answered)  # an answer may be here before it is written down
    (line,) = answered()
    assert (line["path"], line["status"]) == (f"{path}/carry", 200)
    jobs = [one for one in processes.logged("nuvett.jobs") if one.get("task") == "ingest_frame"]
    assert [(one["message"], one["process_kind"]) for one in jobs] == [("job", "worker")] and jobs[0]["job"]


def test_work_in_folders_waits_for_a_process_that_reaches_them(processes: Processes) -> None:
    web = processes.start_web()
    ready(web)
    processes.start("nuvett.jobs", NUVETT_HAS_FOLDERS="false")
    with httpx.Client(base_url=web, headers={"origin": web}, timeout=30) as site:
        path = site.post("/series", data={"title": "Fair"}).headers["location"].removesuffix("/gather")
        assert site.post(f"{path}/watch", data={"folder": "shoot"}).status_code == 303
        shutil.copy(DEMO / "frames" / "AT-0101.jpg", processes.folder / "folders" / "shoot" / "AT-0101.jpg")
        processes.start("nuvett.jobs.watch")
        wait(lambda: "nuvett_frames 1.0" in site.get("/metrics").text)
        site.post(f"{path}/watch/stop")
        wait(lambda: "AT-0101" in site.get(f"{path}/gather").text)
        assert site.post(f"{path}/carry").status_code == 303
        made = processes.folder / "folders" / "finished"
        settings = {"outputs": [{"resize": {"by": "long", "pixels": 64}}], "folder": "finished"}
        asked = {"settings": settings, "credits": {}, "frames": None}
        assert site.post(f"{path}/deliveries", json=asked).status_code == 201
        waiting = 'nuvett_jobs_waiting{task="deliver_file"} 1.0'
        wait(lambda: waiting in site.get("/metrics").text)
        time.sleep(2)
        assert waiting in site.get("/metrics").text and not list(made.glob("*.jpg"))
        processes.start("nuvett.jobs")
        wait(lambda: [one.name for one in made.glob("*.jpg")] == ["AT-0101.jpg"])
