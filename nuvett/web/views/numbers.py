"""Numbers of an installation in Prometheus' text format."""

from prometheus_client import CollectorRegistry, Gauge, generate_latest

from nuvett.services.upkeep.state import UpkeepState


def prometheus_text(state: UpkeepState) -> bytes:
    """All numbers of a state, each with what it means."""
    registry = CollectorRegistry()

    def gauge(name: str, words: str, value: float) -> None:
        Gauge(f"nuvett_{name}", words, registry=registry).set(value)

    gauge("store_present", "Whether the store of pictures is there.", not state.absent)
    if state.free is not None:
        gauge("store_free_bytes", "Bytes free on the disk of pictures.", state.free)
    gauge("workers", "Workers that gave a sign of life lately.", state.workers)
    gauge("workers_silent", "Workers that did not.", state.silent)
    gauge("jobs_oldest_seconds", "Seconds that the oldest job waits that could be done now.", state.oldest)
    gauge("jobs_failed", "Jobs that were given up.", state.failed)
    gauge("frames", "Frames that are measured.", state.frames)
    gauge("series", "Series, also those put away or in the bin.", state.series)
    gauge("quarantined_files", "Files in quarantine.", state.quarantined)
    gauge("quarantined_bytes", "Their bytes.", state.quarantined_bytes)
    for name, words, jobs in (
        ("jobs_waiting", "Jobs that wait, by task.", state.waiting),
        ("jobs_doing", "Jobs at work, by task.", state.doing),
    ):
        family = Gauge(f"nuvett_{name}", words, ["task"], registry=registry)
        for task, count in jobs.items():
            family.labels(task).set(count)
    return generate_latest(registry)
