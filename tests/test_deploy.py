"""What `deploy/` holds is true: units and samples name commands and settings that there are, and work together."""

import configparser
import json
import os
import re
import shutil
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import httpx2 as httpx
import pytest
from moto.server import ThreadedMotoServer

from nuvett.services.entry.passwords import hash_password
from nuvett.settings import Settings
from tests.conftest import DEMO, PROJECT
from tests.web.proxy import proxied
from tests.web.test_several_processes import free_port, ready, wait
from tools.cluster import Cluster

DEPLOY = PROJECT / "deploy"
UNITS = sorted((DEPLOY / "systemd").glob("*.service"))
SAMPLES = sorted((DEPLOY / "environment").glob("*.env"))
PAGE = (PROJECT / "docs" / "deploying.md").read_text()
OTHERS = re.compile(r"AWS_\w+|OPENBLAS_NUM_THREADS|MALLOC_ARENA_MAX")
PASSWORD = "correct horse battery"


def unit(path: Path) -> dict[str, list[str]]:
    """What the service part of a unit says, by name."""
    found: dict[str, list[str]] = {}
    section = ""
    for line in path.read_text().splitlines():
        if line.startswith("["):
            section = line
        elif section == "[Service]" and "=" in line and not line.startswith("#"):
            name, value = line.split("=", 1)
            found.setdefault(name, []).append(value)
    return found


def sample(path: Path) -> dict[str, str]:
    """Settings of an environment sample."""
    parser = configparser.RawConfigParser(delimiters="=", comment_prefixes="#", interpolation=None)
    parser.optionxform = str  # type: ignore[assignment,method-assign]
    parser.read_string(f"[all]\n{path.read_text()}")
    return {name: value.strip("'") for name, value in parser["all"].items()}


def module_of(path: Path) -> list[str]:
    """What a unit starts, without the interpreter."""
    (command,) = unit(path)["ExecStart"]
    interpreter, dash, *rest = command.split()
    assert (interpreter, dash) == ("/opt/nuvett/venv/bin/python", "-m")
    return rest


@pytest.mark.parametrize("path", SAMPLES, ids=lambda path: path.name)
def test_samples_name_settings_that_there_are_with_values_that_they_take(path: Path) -> None:
    values = sample(path)
    own = {name for name in values if not OTHERS.fullmatch(name)}
    assert own <= {f"NUVETT_{name.upper()}" for name in Settings.model_fields}
    lists = {"hosts", "proxies"}
    given = {name.removeprefix("NUVETT_").lower(): values[name] for name in own}
    Settings(**{name: json.loads(value) if name in lists else value for name, value in given.items()})


@pytest.mark.parametrize("path", UNITS, ids=lambda path: path.name)
def test_units_can_be_loaded_and_name_samples_that_there_are(path: Path, tmp_path: Path) -> None:
    named = {Path(one).name for one in unit(path)["EnvironmentFile"]}
    assert named <= {one.name for one in SAMPLES} and path.name.split("@")[0].removesuffix(".service") in PAGE
    if shutil.which("systemd-analyze") is None:
        return
    here = tmp_path / path.name
    here.write_text(path.read_text().replace("/opt/nuvett/venv/bin/python", sys.executable))
    command = ["systemd-analyze", "verify", "--man=no", str(here)]
    said = subprocess.run(command, capture_output=True, text=True, check=False)
    assert said.returncode == 0 and str(here) not in said.stderr, said.stderr


def test_the_page_and_the_composition_name_files_and_commands_that_there_are() -> None:
    for path in re.findall(r"deploy/[\w./@*-]+\w", PAGE):
        assert list(PROJECT.glob(path)), path
    composed = (DEPLOY / "container" / "compose.yaml").read_text()
    assert set(re.findall(r"NUVETT_\w+(?=:)", composed)) <= {f"NUVETT_{n.upper()}" for n in Settings.model_fields}
    for module in re.findall(r'command: \["([\w.]+)"\]', composed):
        assert (PROJECT / Path(*module.split(".")) / "__main__.py").exists()
    image = (DEPLOY / "container" / "Containerfile").read_text()
    for lock in re.findall(r"requirements/\w+\.lock", image + PAGE):
        assert (PROJECT / lock).exists()


def test_the_proxy_lets_through_what_the_application_takes() -> None:
    conf = (DEPLOY / "proxy" / "nuvett.conf").read_text()
    (most,) = re.findall(r"client_max_body_size (\d+)m;", conf)
    assert int(most) * 1_000_000 > Settings().upload_bytes
    for block in re.findall(r"location [^{]+\{[^}]*proxy_pass[^}]*\}", conf):
        for header in ("Host $host", "X-Forwarded-For $remote_addr", "X-Forwarded-Proto $scheme", "X-Request-ID"):
            assert f"proxy_set_header {header}" in block
    ports = set(re.findall(r"server 127\.0\.0\.1:(\d+)", conf))
    assert {f"nuvett-web@{port}" for port in ports} <= set(re.findall(r"nuvett-web@\d+", PAGE))


@pytest.fixture
def environment(cluster: Cluster, tmp_path: Path) -> Iterator[dict[str, str]]:
    """The samples, with what is asked to be changed in them changed, on a stand-in for the storage."""
    server = ThreadedMotoServer(ip_address="127.0.0.1", port=0, verbose=False)
    server.start()
    host, port = server.get_host_and_port()
    values: dict[str, str] = {}
    for path in SAMPLES:
        values |= sample(path)
    values |= {
        "NUVETT_DATABASE": cluster.database("deployed"),
        "AWS_ENDPOINT_URL": f"http://{host}:{port}",
        "AWS_DEFAULT_REGION": "us-east-1",
        "NUVETT_FOLDERS": str(tmp_path / "folders"),
        "NUVETT_PASSWORD": hash_password(PASSWORD),
        "NUVETT_METRICS_KEY": "of-the-collector",
    }
    yield os.environ | values
    server.stop()


def test_an_installation_by_these_units_serves_through_its_proxy(environment: dict[str, str], tmp_path: Path) -> None:
    running: list[subprocess.Popen[bytes]] = []

    def start(name: str, **more: str) -> None:
        command = [sys.executable, "-m", *module_of(DEPLOY / "systemd" / name)]
        running.append(subprocess.Popen(command, cwd=PROJECT, env=environment | more, stdin=subprocess.DEVNULL))

    done = subprocess.run(
        [sys.executable, "-m", *module_of(DEPLOY / "systemd" / "nuvett-migrate.service")],
        cwd=PROJECT, env=environment, capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 0 and "up to date" in done.stdout, done.stderr
    ports = [free_port(), free_port()]
    servers = [f"http://127.0.0.1:{port}" for port in ports]
    for port in ports:
        start("nuvett-web@.service", NUVETT_PORT=str(port))
    for number in range(3):
        start("nuvett-worker@.service", NUVETT_HAS_FOLDERS="true" if number == 0 else "false")
    start("nuvett-watch.service")
    try:
        for server in servers:
            ready(server)
        with proxied(servers) as (address, answered):
            _used(address, answered, servers)
    finally:
        for process in running:
            process.terminate()
        ended = [process.wait(30) for process in running]
    assert all(code in (0, -15) for code in ended)


def _used(address: str, answered: list[str], servers: list[str]) -> None:
    with httpx.Client(base_url=address, headers={"origin": "http://photos.studio.example"}, timeout=60) as site:
        site.headers["host"] = "photos.studio.example"
        assert site.get("/", headers={"accept": "text/html"}).headers["location"].startswith("/sign-in")
        cookie = site.post("/sign-in", data={"password": PASSWORD}).headers["set-cookie"]
        assert "secure" in cookie.lower() and "httponly" in cookie.lower()
        site.headers["cookie"] = cookie.split(";")[0]
        assert {site.get("/").status_code for _ in range(4)} == {200}, "a session is known to both servers"
        path = site.post("/series", data={"title": "Fair"}).headers["location"].removesuffix("/gather")
        for number in range(1, 7):
            frame = DEMO / "frames" / f"AT-010{number}.jpg"
            sent = site.post(f"{path}/frames", files={"file": (frame.name, frame.read_bytes())})
            assert sent.status_code == 201
        key = {"authorization": "Bearer of-the-collector"}
        told = lambda: httpx.get(f"{servers[0]}/metrics", headers=key).text  # noqa: E731
        wait(lambda: "nuvett_frames 6.0" in told() and "nuvett_workers 3.0" in told())
        assert httpx.get(f"{servers[0]}/metrics").status_code in (401, 403)
        wait(lambda: "matching the light" not in site.get(f"{path}/gather").text)
        pages = [site.get(f"{path}/{page}").status_code for page in ("gather", "shape", "carry", "trim", "handover")]
        assert set(pages) == {200} and set(answered) == set(servers)
        site.post("/sign-out")
        wait(lambda: {site.get("/").status_code for _ in range(4)} == {401})
