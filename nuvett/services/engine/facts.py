"""Plain facts of frames and looks: taken from the database once, used outside it."""

import hashlib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from uuid import UUID

from nuvett.core.area.faces import FaceSeen
from nuvett.core.area.outline import Ring
from nuvett.core.even.even_light import EvenLight
from nuvett.core.geometry.lens import LensCorrection
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.measure.sampling import Sample
from nuvett.core.planning.series import seed_of
from nuvett.core.reading.reading import Target
from nuvett.core.spaces.rgb import Space
from nuvett.core.thread.colours import Goal
from nuvett.services.caching.caches import Cache

_NAMES_BYTES = 4e6  # about five ways of showing a series of the largest size


def digest(*parts: object) -> str:
    """A name for values that say by their `repr` all that they are."""
    return hashlib.sha256(repr(parts).encode()).hexdigest()[:32]


@dataclass(frozen=True)
class FrameFacts:
    """What planning and rendering need to know of a frame, or of a variant of one.

    first : the frame that it is a variant of; its own where it is none
    original, pixels : blobs of its file, and of what its pixels are decoded from, which a raw file is developed to

    lens : what it did, to be undone; none where nothing is
    kept : keys of what looks did to it when they were carried, by the id of the version
    subject, described : blobs of what stands out in it, and of what kind of place each part is; empty while unknown
    """

    id: UUID
    first: UUID
    original: str
    pixels: str
    view: str
    sample: str
    domain: Space
    width: int
    height: int
    setup: UUID | None
    even: EvenLight
    trim: Trim
    faces: tuple[FaceSeen, ...] = ()
    lens: LensCorrection | None = None
    subject: str = ""
    described: str = ""
    kept: Mapping[UUID, str] = field(default_factory=dict)

    @property
    def proportion(self) -> float:
        """Width over height."""
        return self.width / max(self.height, 1)

    @property
    def seed(self) -> int:
        """Of its grain."""
        return seed_of(self.original)

    @cached_property
    def lens_key(self) -> str:
        """Names what its lens did, where that is undone."""
        return self.lens.model_dump_json() if self.lens else ""

    @property
    def sample_key(self) -> tuple[str, str]:
        """Names its sample as it is measured: with the light that its lens took."""
        return self.sample, self.lens_key

    @cached_property
    def is_trimmed(self) -> bool:
        """Whether its trim changes it."""
        return self.trim.acts

    @cached_property
    def basis(self) -> str:
        """Names all of its own that what a look does to it depends on."""
        faces = tuple((face.box, face.colour) for face in self.faces)
        even = self.even
        return digest(self.original, self.pixels, self.sample, even.gains, even.camera, faces, self.lens_key)

    @cached_property
    def key(self) -> str:
        """Names all that its plan depends on beside the look and the other frames."""
        return digest(self.basis, self.setup, self.trim.model_dump_json())


@dataclass(frozen=True)
class HeldPlace:
    """Where a thing that is held is seen in a frame: its outline, and colours as they came with where they lie.

    key : names the colours
    """

    key: str
    colours: Sample
    rings: tuple[Ring, ...] = ()


@dataclass(frozen=True)
class HeldThread:
    """A thing that is held: what it should be within how many CIEDE2000, and its colours by frame.

    places : in the frames that show it
    hero : the frame that it should be as on, where that is its goal
    """

    name: str
    goal: Goal
    within: float
    places: Mapping[UUID, HeldPlace]
    hero: UUID | None

    @cached_property
    def key(self) -> str:
        """Names all of it."""
        places = sorted((str(frame), place.key, place.rings) for frame, place in self.places.items())
        return digest(self.goal.model_dump_json(), self.within, places, self.hero)


class Facts(list[FrameFacts]):
    """The frames of a series in shooting order, with the things that are held in them; not changed once made."""

    held: tuple[HeldThread, ...] = ()

    @cached_property
    def named(self) -> Cache:
        """Names of what is shown of all frames, by how: the same for as long as these are the facts."""
        return Cache(_NAMES_BYTES)

    def like(self, frames: Iterable[FrameFacts]) -> "Facts":
        """Other states of the same frames."""
        made = Facts(frames)
        made.held = self.held
        return made

    def holding(self, held: Iterable[HeldThread]) -> "Facts":
        """The same frames with things held in them."""
        made = Facts(self)
        made.held = tuple(held)
        return made

    def held_in(self, frame: UUID) -> tuple[HeldThread, ...]:
        """Things that are held in a frame."""
        return tuple(thread for thread in self.held if frame in thread.places)

    def held_key(self, frame: UUID) -> str:
        """Names all that holding things in a frame depends on beside the look; empty where nothing is held."""
        held = self.held_in(frame)
        return digest(*(self._held_keys[thread.key] for thread in held)) if held else ""

    @cached_property
    def _held_keys(self) -> dict[str, str]:
        """Names things that are held, and all of the frames that show them that their plans depend on."""
        shown = {t.key: sorted(self._indices[f] for f in t.places if f in self._indices) for t in self.held}
        return {key: digest(key, *(self[index].key for index in places)) for key, places in shown.items()}

    @cached_property
    def _indices(self) -> dict[UUID, int]:
        return {frame.id: index for index, frame in enumerate(self)}

    @cached_property
    def key(self) -> str:
        """Names all that statistics pooled over the frames depend on, beside the look."""
        return digest(*((f.sample_key, f.even.gains, f.even.camera, f.setup) for f in self.firsts))

    @cached_property
    def _cut_key(self) -> str:
        return digest(self.key, *(f.trim.geometry.model_dump_json() for f in self.firsts))

    def pool_key(self, look: Look) -> str:
        """The same for a look, which may be fitted by what crops leave."""
        return self._cut_key if look.seen == "crop" else self.key

    @cached_property
    def firsts(self) -> list[FrameFacts]:
        """The frames without their variants: those that statistics are pooled over."""
        return [frame for frame in self if frame.id == frame.first]

    @cached_property
    def places(self) -> dict[UUID, int]:
        """Where each frame stands among those without variants."""
        return {frame.id: place for place, frame in enumerate(self.firsts)}

    def index_of(self, frame: UUID | None) -> int | None:
        """Where a frame stands among all of them; none where it is not there."""
        return None if frame is None else self._indices.get(frame)

    def with_trim(self, index: int, trim: Trim) -> "Facts":
        """The same frames, one of them with another trim."""
        return self.like(replace(f, trim=trim) if i == index else f for i, f in enumerate(self))


@dataclass(frozen=True)
class Aimed:
    """A look with the target it aims at; none for a look that is made by hand alone.

    target_key : names the target by its row, empty without one
    version : id of the carried version that this is, none for a draft
    """

    look: Look
    target: Target | None = None
    target_key: str = ""
    version: UUID | None = None
    _own: dict[str, "Aimed"] = field(default_factory=dict, init=False, repr=False, compare=False)

    def with_look(self, look: Look) -> "Aimed":
        """Another look with the same target, which is no carried version then."""
        return replace(self, look=look, version=None)

    def anew(self) -> "Aimed":
        """The same look as it would be carried now, whatever was kept of it."""
        return replace(self, version=None)

    def on(self, frame: FrameFacts) -> "Aimed":
        """What a frame is planned by: the look as it is in its set-up, and what that set-up aims at."""
        setup = str(frame.setup or "")
        if not self.look.setups:
            return self
        if setup not in self._own:
            aim = self.look.of_setup(setup).aim
            target = self.target.alone(aim) if self.target and aim else self.target
            key = self.target_key if target is self.target else f"{self.target_key} {aim}"
            self._own[setup] = replace(self, look=self.look.in_setup(setup), target=target, target_key=key)
        return self._own[setup]

    @cached_property
    def key(self) -> str:
        """Names the look and the target."""
        return digest(self.look.model_dump_json(), self.target_key)
