"""Blobs: files named by the SHA-256 of their content, on any fsspec file system."""

import hashlib
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import IO
from uuid import uuid4

import fsspec
from fsspec.implementations.local import LocalFileSystem

_CHUNK = 1 << 20


class BlobStore:
    """Content-addressed files. Putting the same bytes twice keeps them once."""

    def __init__(self, address: str) -> None:
        self._files, root = fsspec.core.url_to_fs(address)
        self._root = root.rstrip("/")
        self._files.makedirs(self._root, exist_ok=True)

    def _place(self, name: str) -> str:
        if len(name) != 64 or not set(name) <= set("0123456789abcdef"):
            raise ValueError("a blob is named by 64 hexadecimal digits")
        return f"{self._root}/{name[:2]}/{name}"

    def put(self, stream: IO[bytes]) -> tuple[str, int]:
        """Keep a stream; its name and size. The blob appears whole or not at all."""
        digest, size = hashlib.sha256(), 0
        partial = f"{self._root}/part-{uuid4().hex}"
        try:
            with self._files.open(partial, "wb") as out:
                while chunk := stream.read(_CHUNK):
                    digest.update(chunk)
                    size += len(chunk)
                    out.write(chunk)
            name = digest.hexdigest()
            place = self._place(name)
            if not self._files.exists(place):
                self._files.makedirs(place.rsplit("/", 1)[0], exist_ok=True)
                self._files.mv(partial, place)
        finally:
            with suppress(FileNotFoundError):
                self._files.rm(partial)
        return name, size

    def put_file(self, path: Path) -> tuple[str, int]:
        """Keep a file's content."""
        with path.open("rb") as stream:
            return self.put(stream)

    def read(self, name: str) -> bytes:
        """All bytes of a blob. Raises FileNotFoundError when there is none."""
        return bytes(self._files.cat_file(self._place(name)))

    def exists(self, name: str) -> bool:
        return bool(self._files.exists(self._place(name)))

    @contextmanager
    def local(self, name: str) -> Iterator[Path]:
        """A path where libraries can read the blob: its own place, or a temporary copy of a remote one."""
        place = self._place(name)
        if isinstance(self._files, LocalFileSystem):
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
        return {found.rsplit("/", 1)[1] for found in self._files.find(self._root) if "/part-" not in found}
