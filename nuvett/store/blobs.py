"""Blobs: files named by the SHA-256 of their content, on any fsspec file system."""

import errno
import hashlib
import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import IO, Any
from uuid import uuid4

import fsspec
from fsspec.implementations.local import LocalFileSystem

from nuvett.core.errors import DiskFullError, MissingBlobError

_CHUNK = 1 << 20
_PART = "part-"
_FULL = (errno.ENOSPC, errno.EDQUOT)


@contextmanager
def _full_disk_in_words() -> Iterator[None]:
    try:
        yield
    except OSError as error:
        if error.errno in _FULL:
            raise DiskFullError from error
        raise


def _digest(stream: IO[bytes]) -> str:
    digest = hashlib.sha256()
    while chunk := stream.read(_CHUNK):
        digest.update(chunk)
    return digest.hexdigest()


class BlobStore:
    """Content-addressed files. Putting the same bytes twice keeps them once, and mends a place that was damaged."""

    def __init__(self, address: str) -> None:
        self._files, root = fsspec.core.url_to_fs(address)
        self._root = root.rstrip("/")
        self._files.makedirs(self._root, exist_ok=True)
        self._is_local = isinstance(self._files, LocalFileSystem)

    def _place(self, name: str) -> str:
        if len(name) != 64 or not set(name) <= set("0123456789abcdef"):
            raise ValueError("a blob is named by 64 hexadecimal digits")
        return f"{self._root}/{name[:2]}/{name}"

    def put(self, stream: IO[bytes]) -> tuple[str, int]:
        """Keep a stream; its name and size. The blob appears whole or not at all, and is on the disk by then.

        Raises DiskFullError.
        """
        digest, size = hashlib.sha256(), 0
        partial = f"{self._root}/{_PART}{uuid4().hex}"
        try:
            with _full_disk_in_words():
                with self._files.open(partial, "wb") as out:
                    while chunk := stream.read(_CHUNK):
                        digest.update(chunk)
                        size += len(chunk)
                        out.write(chunk)
                    self._settle(out)
                name = digest.hexdigest()
                self._move(partial, self._place(name))
        finally:
            with suppress(FileNotFoundError):
                self._files.rm(partial)
        return name, size

    def _settle(self, out: Any) -> None:
        if self._is_local:
            out.flush()
            os.fsync(out.fileno())

    def _move(self, partial: str, place: str) -> None:
        folder = place.rsplit("/", 1)[0]
        self._files.makedirs(folder, exist_ok=True)
        if not self._is_local:
            self._files.mv(partial, place)
            return
        Path(partial).replace(place)
        entry = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(entry)
        finally:
            os.close(entry)

    def put_file(self, path: Path) -> tuple[str, int]:
        """Keep a file's content."""
        with path.open("rb") as stream:
            return self.put(stream)

    def read(self, name: str) -> bytes:
        """All bytes of a blob. Raises MissingBlobError when there is none, or other bytes than were kept."""
        try:
            data = bytes(self._files.cat_file(self._place(name)))
        except FileNotFoundError as error:
            raise MissingBlobError(name) from error
        if hashlib.sha256(data).hexdigest() != name:
            raise MissingBlobError(name)
        return data

    def exists(self, name: str) -> bool:
        return bool(self._files.exists(self._place(name)))

    def is_whole(self, name: str) -> bool:
        """Whether a blob is there with the bytes that were kept."""
        try:
            with self._files.open(self._place(name), "rb") as stream:
                return _digest(stream) == name
        except FileNotFoundError:
            return False

    @contextmanager
    def local(self, name: str) -> Iterator[Path]:
        """A path where libraries can read the blob: its own place, or a temporary copy of a remote one.

        Raises MissingBlobError when there is none.
        """
        if not self.exists(name):
            raise MissingBlobError(name)
        place = self._place(name)
        if self._is_local:
            yield Path(place)
            return
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / name
            self._files.get_file(place, str(path))
            yield path

    def remove(self, name: str) -> None:
        """Forget a blob; none is no error."""
        with suppress(FileNotFoundError):
            self._files.rm(self._place(name))

    def names(self) -> set[str]:
        """Names of all blobs kept."""
        return {found.rsplit("/", 1)[1] for found in self._files.find(self._root) if f"/{_PART}" not in found}

    def parts(self) -> list[str]:
        """Files that were being written when their writer ended, or still are."""
        return [found for found in self._files.ls(self._root, detail=False) if f"/{_PART}" in found]

    def remove_parts(self) -> int:
        """Remove unfinished files, when nobody else writes; how many there were."""
        parts = self.parts()
        for part in parts:
            with suppress(FileNotFoundError):
                self._files.rm(part)
        return len(parts)
