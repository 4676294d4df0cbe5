"""A copy of the application that is started, asked, killed and started again."""

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import httpx2 as httpx
import psycopg

from tools.cluster import cluster_of
from tools.home import PROJECT

_READY_SECONDS = 120


class Copy:
    """One copy on a state folder of its own."""

    def __init__(self, state: Path, **settings: str) -> None:
        self.state = state
        self._settings = settings
        self.process: subprocess.Popen[str] | None = None
        self.base = ""
        self.peaks: dict[str, int] = {}

    def start(self) -> None:
        """Start it and wait until it answers."""
        environment = os.environ | {"NUVETT_STATE": str(self.state), "NUVETT_STALLED_SECONDS": "3"} | self._settings
        environment.pop("NUVETT_DATABASE", None)
        command = [sys.executable, "-m", "tools.serve", "--port", "0"]
        log = (self.state / "serve.log").open("a")
        with log:
            self.process = subprocess.Popen(
                command, cwd=PROJECT, env=environment, stdout=subprocess.PIPE, stderr=log, text=True
            )
        assert self.process.stdout is not None
        line = self.process.stdout.readline()
        if "http://" not in line:
            raise SystemExit(f"The copy did not start: {line}; see {self.state / 'serve.log'}")
        self.base = line.split()[3].rstrip("/")
        if not wait_until(lambda: self.client().get("/static/app.css").status_code == 200):
            raise SystemExit(f"The copy does not answer; see {self.state / 'serve.log'}")

    def stop(self) -> float:
        """Stop it as Ctrl-C does; how many seconds that took."""
        assert self.process is not None
        started = time.monotonic()
        self.process.send_signal(signal.SIGINT)
        self.process.wait(60)
        return time.monotonic() - started

    def kill(self) -> None:
        """Kill the web process outright."""
        assert self.process is not None
        self.process.kill()
        self.process.wait()

    def workers(self) -> list[int]:
        """Process numbers of its workers."""
        found = []
        for folder in Path("/proc").iterdir():
            try:
                if folder.name.isdecimal() and b"nuvett.jobs" in (folder / "cmdline").read_bytes():
                    environment = (folder / "environ").read_bytes()
                    if f"NUVETT_STATE={self.state}\0".encode() in environment:
                        found.append(int(folder.name))
            except (PermissionError, FileNotFoundError, ProcessLookupError):
                continue
        return found

    def database(self) -> int:
        """Process number of its database server."""
        cluster = cluster_of(self.state)
        return int((cluster.folder / "data" / "postmaster.pid").read_text().splitlines()[0])

    def rows(self, query: str) -> list[tuple[Any, ...]]:
        """What a query answers."""
        with psycopg.connect(cluster_of(self.state).database()) as connection:
            return connection.execute(query).fetchall()

    def client(self) -> httpx.Client:
        return httpx.Client(base_url=self.base, timeout=60)

    def watch_memory(self) -> None:
        """Note the largest memory of its processes so far, in MB."""
        named = {"worker": self.workers(), "web": [self.process.pid] if self.process else []}
        for name, processes in named.items():
            for process in processes:
                try:
                    lines = Path(f"/proc/{process}/status").read_text().splitlines()
                except FileNotFoundError:
                    continue
                size = next((int(line.split()[1]) // 1024 for line in lines if line.startswith("VmRSS")), 0)
                self.peaks[name] = max(self.peaks.get(name, 0), size)


def wait_until(what: Callable[[], bool], seconds: float = _READY_SECONDS) -> bool:
    """Whether something becomes so in time."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        try:
            if what():
                return True
        except (psycopg.OperationalError, httpx.HTTPError, SystemExit):
            pass
        time.sleep(0.2)
    return False
