"""Weights of areas in frames, worked out from kept views and remembered while memory lasts."""

import numpy as np

from nuvett.core.area.area import Area
from nuvett.core.area.faces import SkinSeen
from nuvett.core.area.scene import Found, Scene
from nuvett.core.area.weights import WeightMap, weigh
from nuvett.core.drawing.weighing import scene_of
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.framed import Seeing
from nuvett.core.types import Floats, Mask01
from nuvett.imaging.person import find_people
from nuvett.imaging.proxy import VIEW_EDGE, fit_within
from nuvett.imaging.sky import find_sky
from nuvett.imaging.subject import find_subject
from nuvett.services.caching.caches import Cache
from nuvett.services.engine.arrays import load_array
from nuvett.services.engine.facts import FrameFacts
from nuvett.services.engine.sources import Sources
from nuvett.store.blobs import BlobStore


class Areas:
    """Where areas of a plan lie in a frame."""

    def __init__(self, blobs: BlobStore, sources: Sources, kept: Cache) -> None:
        self._blobs, self._sources, self._kept = blobs, sources, kept

    def weights(self, frame: FrameFacts, plan: FramePlan) -> tuple[WeightMap, ...]:
        """Weights of each layer of a plan in the frame that it is for."""
        if not plan.layers:
            return ()
        scene = self._scene(frame, plan)
        light = plan.group("light").model_dump_json()
        found = []
        for layer in plan.layers:
            seen = light if "colours" in layer.area.looks_at else ""
            key = ("weights", frame.view, scene.size, seen, layer.area.model_dump_json())
            found.append(self._kept.get(key, lambda area=layer.area: weigh(area, scene)))  # type: ignore[misc]
        return tuple(found)

    def seeing(self, frame: FrameFacts, plan: FramePlan) -> Seeing:
        """How a frame is looked at when it is measured under a plan."""
        return Seeing(frame.proportion, self.weights(frame, plan))

    def missing(self, frame: FrameFacts, area: Area) -> str:
        """What an area looks for and this frame does not have, in words; empty where it has all."""
        scene = self._scene(frame, FramePlan())
        faces = tuple(SkinSeen(box=face.box, centre=(0.0, 0.0, 0.0)) for face in frame.faces)
        return next((part.lacking for part in area.parts if not part.finds(scene, faces)), "")

    def _scene(self, frame: FrameFacts, plan: FramePlan) -> Scene:
        size = fit_within(frame.width, frame.height, VIEW_EDGE)
        view = lambda: self._sources.view(frame.view)  # noqa: E731
        found = Found(lambda: self.subject(frame), lambda: self.people(frame), lambda: self.sky(frame))
        return scene_of(view, size, frame.domain, plan, found)

    def people(self, frame: FrameFacts) -> Mask01:
        """Where people are in a frame (h, w), 0 to 1."""
        return self._kept.get(("people", frame.view), lambda: find_people(self._sources.view(frame.view)))

    def sky(self, frame: FrameFacts) -> Floats:
        """How likely each part of a frame is sky (h, w), log-odds."""
        return self._kept.get(("sky", frame.view), lambda: find_sky(self._sources.view(frame.view)))

    def subject(self, frame: FrameFacts) -> Mask01:
        """How far things stand out in a frame (h, w), 0 to 1: as it is kept, else found now."""

        def make() -> Mask01:
            if frame.subject:
                return load_array(self._blobs.read(frame.subject)) * np.float32(1 / 255)
            return find_subject(self._sources.view(frame.view))

        return self._kept.get(("subject", frame.view), make)
