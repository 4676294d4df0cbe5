"""Weights of areas in frames, worked out from kept views and remembered while memory lasts."""

import numpy as np

from nuvett.core.area.parts import Area, SkinPart, SubjectPart
from nuvett.core.area.weights import WeightMap, stands_out, weigh
from nuvett.core.drawing.weighing import scene_of
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.framed import Seeing
from nuvett.core.types import Mask01
from nuvett.imaging.proxy import VIEW_EDGE, fit_within
from nuvett.imaging.subject import find_subject
from nuvett.services.engine.arrays import load_array
from nuvett.services.engine.caches import Cache
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
        size = fit_within(frame.width, frame.height, VIEW_EDGE)
        scene = scene_of(lambda: self._sources.view(frame.view), size, frame.domain, plan, lambda: self.subject(frame))
        light = plan.group("light").model_dump_json()
        found = []
        for layer in plan.layers:
            seen = light if "colours" in layer.area.looks_at else ""
            key = ("weights", frame.view, size, seen, layer.area.model_dump_json())
            found.append(self._kept.get(key, lambda area=layer.area: weigh(area, scene)))  # type: ignore[misc]
        return tuple(found)

    def seeing(self, frame: FrameFacts, plan: FramePlan) -> Seeing:
        """How a frame is looked at when it is measured under a plan."""
        return Seeing(frame.proportion, self.weights(frame, plan))

    def missing(self, frame: FrameFacts, area: Area) -> str:
        """What an area looks for and this frame does not have, in words; empty where it has all."""
        if any(isinstance(part, SubjectPart) for part in area.parts) and not stands_out(self.subject(frame)):
            return "Nothing stands out in this frame."
        if any(isinstance(part, SkinPart) for part in area.parts) and not frame.faces:
            return "No face was found in this frame."
        return ""

    def subject(self, frame: FrameFacts) -> Mask01:
        """How far things stand out in a frame (h, w), 0 to 1: as it is kept, else found now."""

        def make() -> Mask01:
            if frame.subject:
                return load_array(self._blobs.read(frame.subject)) * np.float32(1 / 255)
            return find_subject(self._sources.view(frame.view))

        return self._kept.get(("subject", frame.view), make)
