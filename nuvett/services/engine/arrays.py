"""Arrays kept as blobs in the open .npy format; the same array is always the same bytes."""

import io

import numpy as np

from nuvett.core.errors import DocumentError
from nuvett.core.measure.sampling import Sample
from nuvett.core.registration.features import Features
from nuvett.core.types import Linear

_POINT = np.dtype([("place", "<f4", 4), ("descriptor", "u1", 128), ("colour", "<f4", 3)])


def dump_array(array: np.ndarray) -> io.BytesIO:
    """Bytes of an array, ready to be kept as a blob."""
    stream = io.BytesIO()
    np.save(stream, array, allow_pickle=False)
    stream.seek(0)
    return stream


def load_array(data: bytes) -> np.ndarray:
    """Float32 array of `dump_array`'s bytes."""
    return np.asarray(np.load(io.BytesIO(data), allow_pickle=False), dtype=np.float32)


def dump_sample(sample: Sample) -> io.BytesIO:
    """Bytes of a sample with its places, ready to be kept as a blob."""
    return dump_array(np.hstack([sample.colours, sample.places]))


def sample_of_array(array: np.ndarray) -> Sample | None:
    """Sample of a kept array (N, 5); none for one of an earlier version (N, 3), which has no places."""
    return Sample(Linear(array[:, :3]), array[:, 3:]) if array.shape[1] == 5 else None


def load_colours(data: bytes) -> Linear:
    """Linear colours (N, 3) of a kept sample, with places or without."""
    return Linear(np.ascontiguousarray(load_array(data)[:, :3]))


def dump_features(features: Features) -> io.BytesIO:
    """Bytes of a frame's points, ready to be kept as a blob."""
    rows = np.empty(len(features), dtype=_POINT)
    rows["place"], rows["descriptor"], rows["colour"] = features.places, features.descriptors, features.colours
    return dump_array(rows)


def load_features(data: bytes) -> Features:
    """Points of `dump_features`' bytes. Raises DocumentError when they are damaged."""
    try:
        rows = np.load(io.BytesIO(data), allow_pickle=False)
        places, descriptors, colours = (np.ascontiguousarray(rows[name]) for name in _POINT.names or ())
    except (ValueError, KeyError, IndexError, EOFError, OSError) as error:
        raise DocumentError("The kept points of a frame are damaged.") from error
    return Features(places, descriptors, colours)
