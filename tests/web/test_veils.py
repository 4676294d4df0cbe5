"""A veil of light over a set-up: suggested where all its frames have it, taken off in their trims, undone in each."""

import re

import numpy as np
import simplejpeg
from starlette.testclient import TestClient

from nuvett.core.spaces.rgb import Space, from_linear, to_linear
from nuvett.core.steps.veil import VeilStep
from nuvett.core.types import Encoded01, Linear
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import find_series
from nuvett.services.series.frame_facts import trim_of
from tests.conftest import DEMO, drain, load_rgb


def through_glass(name: str, veil: float) -> bytes:
    pixels = np.ascontiguousarray(load_rgb(DEMO / "frames" / f"{name}.jpg")[::3, ::3])
    light = to_linear(Encoded01((pixels / 255).astype(np.float32)), Space.SRGB) * (1 - veil) + veil
    made = (from_linear(Linear(light.astype(np.float32)), Space.SRGB) * 255 + 0.5).astype(np.uint8)
    return bytes(simplejpeg.encode_jpeg(np.ascontiguousarray(made), 95))


def brought_in(client: TestClient, studio: Studio, title: str, veil: float) -> tuple[str, str]:
    """Address of a series of three frames in one set-up, and of that set-up."""
    slug = client.post("/series", data={"title": title}, follow_redirects=False).headers["location"].split("/")[2]
    for name in ("AT-0101", "AT-0103", "AT-0104"):
        client.post(f"/series/{slug}/frames", files={"file": (f"{name}.jpg", through_glass(name, veil))})
    drain(studio)
    client.post(f"/series/{slug}/setups/join")
    drain(studio)
    page = client.get(f"/series/{slug}/by-setup").text
    return slug, re.findall(r'data-part="(/series/[a-z-]+/by-setup/[0-9a-f-]+)/looks"', page)[0]


def test_a_veil_over_a_set_up_is_taken_off_in_its_trims_and_then_told_no_more(
    client: TestClient, studio: Studio
) -> None:
    slug, setup = brought_in(client, studio, "Through glass", 0.04)
    shown = client.get(f"{setup}/looks").text
    assert "none has a place darker than" in shown
    veil = dict(re.findall(r'name="(light|a|b)" value="([^"]+)"', shown))
    assert client.post(f"{setup}/veil", data=veil | {"light": "0"}).status_code == 422
    assert client.post(f"{setup}/veil", data=veil, follow_redirects=False).status_code == 303
    with studio.database.session() as session:
        frames = find_series(session, slug).frames
        assert {trim_of(frame).step(VeilStep).light > 15 for frame in frames} == {True}
        page = client.get(f"/series/{slug}/trim?frame={frames[0].id}").text
    assert "A veil over the set-up" in page
    assert "data-veil" not in client.get(f"{setup}/looks").text


def test_no_veil_is_told_of_frames_without_one(client: TestClient, studio: Studio) -> None:
    _, setup = brought_in(client, studio, "In the room", 0)
    assert "data-veil" not in client.get(f"{setup}/looks").text
