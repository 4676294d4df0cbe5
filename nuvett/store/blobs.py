"""Blobs: files named by the SHA-256 of their content, on any fsspec file system.

A store carries a mark with the identity of the installation that it belongs to. Where the mark is gone, the store is
taken for absent (a mount that came late, a bucket that cannot be reached) and not for empty: nothing is said to be
missing and nothing is written then.
"""

import errno
import hashlib
import json
import os
import re
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import IO, Any
from uuid import uuid4

import fsspec
from fsspec.implementations.local import LocalFileSystem

from nuvett.core.errors import DiskFullError, MissingBlobError, StoreAbsentError

_CHUNK = 1 << 20
_PART = "part-"
_MARK = "nuvett-store.json"
_ABOUT = "Names the installation of Nuvett that these files belong to. Without it they are taken for absent."
_TRIES = 2  # of a request to a storage elsewhere
_FULL = (errno.ENOSPC, errno.EDQUOT)
_NAME = re.compile(r"[0-9a-f]{64}")
_PLACE = re.compile(r"/([0-9a-f]{2})/(\1[0-9a-f]{62})$")


def is_full_disk(error: OSError) -> bool:
    """Whether a file could not be written because no room, or none of the user's share, is left."""
    return error.errno in _FULL


@contextmanager
def _full_disk_in_words() -> Iterator[None]:
    try:
        yield
    except OSError as error:
        if is_full_disk(error):
            raise DiskFullError from error
        raise


def _options(address: str) -> dict[str, Any]:
    """How a storage is asked, where that can be told: a page that waits for one that is gone has to end soon."""
    if not address.startswith("s3:"):
        return {}
    return {"config_kwargs": {"connect_timeout": 3, "read_timeout": 30, "retries": {"max_attempts": 2}}}


class _Remote:
    """A file system elsewhere, or a file there: whatever goes wrong beyond its control, it counts as absent then.

    A file that is not there is told from a storage that fails, is slow, or takes our keys no more: of that nothing is
    said to be missing, and work waits.
    """

    def __init__(self, of: Any) -> None:
        self._of = of

    def __getattr__(self, name: str) -> Any:
        found = getattr(self._of, name)
        return _or_absent(found) if callable(found) else found

    def __enter__(self) -> "_Remote":
        _or_absent(self._of.__enter__)()
        return self

    def __exit__(self, *amiss: Any) -> Any:
        return _or_absent(self._of.__exit__)(*amiss)


def _or_absent(call: Callable[..., Any]) -> Callable[..., Any]:
    def asked(*given: Any, **named: Any) -> Any:
        try:
            found = call(*given, **named)
        except FileNotFoundError:
            raise
        except Exception as error:  # whatever its client library calls it
            raise StoreAbsentError from error
        return _Remote(found) if hasattr(found, "__enter__") else found

    return asked


def digest_of(stream: IO[bytes]) -> str:
    """SHA-256 of a stream, which is the name of a blob of its bytes."""
    digest = hashlib.sha256()
    while chunk := stream.read(_CHUNK):
        digest.update(chunk)
    return digest.hexdigest()


class BlobStore:
    """Content-addressed files. Putting the same bytes twice keeps them once, and mends a place that was damaged.

    Files of other origin in the folder are left alone. With an identity that is expected, every method that reads or
    writes raises StoreAbsentError while the store does not carry it.
    """

    def __init__(self, address: str) -> None:
        self.address = address
        root: str
        files, root = fsspec.core.url_to_fs(address, use_listings_cache=False, **_options(address))  # others write, too
        self._root = root.rstrip("/")
        self._is_local = isinstance(files, LocalFileSystem)
        if hasattr(files, "retries"):
            files.retries = _TRIES
        self._files = files if self._is_local else _Remote(files)
        self._expected: str | None = None

    @property
    def files(self) -> Any:
        """The file system that the blobs lie on."""
        return self._files

    @property
    def root(self) -> str:
        """The folder that the blobs lie in, without a slash at its end."""
        return self._root

    def identity(self) -> str | None:
        """Identity in the store's mark; none without a mark, or when the store cannot be reached."""
        try:
            found = json.loads(self._files.cat_file(f"{self._root}/{_MARK}"))
            return str(found["installation"])
        except (OSError, ValueError, KeyError, TypeError, StoreAbsentError):
            return None

    def mark(self, identity: str) -> None:
        """Write the store's mark; the folder is made if it is not there."""
        self._files.makedirs(self._root, exist_ok=True)
        text = json.dumps({"installation": identity, "about": _ABOUT}, indent=2)
        if not self._is_local:
            self._files.pipe_file(f"{self._root}/{_MARK}", text.encode())
            return
        partial = f"{self._root}/{_MARK}.{uuid4().hex}"
        with self._files.open(partial, "wb") as out:
            out.write(text.encode())
            self._settle(out)
        self._rename(partial, f"{self._root}/{_MARK}")

    def expect(self, identity: str | None) -> None:
        """Work only while the store carries this identity."""
        self._expected = identity

    def is_present(self) -> bool:
        """Whether the store carries the identity that is expected; any does while none is."""
        return self._expected is None or self.identity() == self._expected

    def require(self) -> None:
        """Raise StoreAbsentError while the store is not there."""
        if not self.is_present():
            raise StoreAbsentError

    def place(self, name: str) -> str:
        """Where a blob lies."""
        if not _NAME.fullmatch(name):
            raise ValueError("a blob is named by 64 hexadecimal digits")
        return f"{self._root}/{name[:2]}/{name}"

    def put(self, stream: IO[bytes]) -> tuple[str, int]:
        """Keep a stream; its name and size. The blob appears whole or not at all, and is on the disk by then.

        Raises DiskFullError, StoreAbsentError.
        """
        self.require()
        digest, size = hashlib.sha256(), 0
        partial = f"{self._root}/{_PART}{int(time.time())}-{uuid4().hex}"
        try:
            with _full_disk_in_words():
                self._files.makedirs(self._root, exist_ok=True)
                with self._files.open(partial, "wb") as out:
                    while chunk := stream.read(_CHUNK):
                        digest.update(chunk)
                        size += len(chunk)
                        out.write(chunk)
                    self._settle(out)
                name = digest.hexdigest()
                self._move(partial, self.place(name))
        finally:
            with suppress(OSError, StoreAbsentError):
                self._files.rm(partial)
        return name, size

    def _settle(self, out: IO[bytes]) -> None:
        if self._is_local:
            out.flush()
            os.fsync(out.fileno())

    def _move(self, partial: str, place: str) -> None:
        self._files.makedirs(place.rsplit("/", 1)[0], exist_ok=True)
        if self._is_local:
            self._rename(partial, place)
        else:
            self._files.mv(partial, place)

    def _rename(self, partial: str, place: str) -> None:
        Path(partial).replace(place)
        entry = os.open(Path(place).parent, os.O_RDONLY)
        try:
            os.fsync(entry)
        finally:
            os.close(entry)

    def move(self, source: str, place: str) -> bool:
        """Move a file inside the store; whether it was there. Raises StoreAbsentError."""
        self.require()
        try:
            self._move(source, place)
        except FileNotFoundError:
            return False
        return True

    def put_file(self, path: Path) -> tuple[str, int]:
        """Keep a file's content."""
        with path.open("rb") as stream:
            return self.put(stream)

    def read(self, name: str) -> bytes:
        """All bytes of a blob. Raises MissingBlobError when there is none, or other bytes than were kept.

        Raises StoreAbsentError.
        """
        try:
            data = bytes(self._files.cat_file(self.place(name)))
        except OSError as error:
            self.require()
            raise MissingBlobError(name) from error
        if hashlib.sha256(data).hexdigest() != name:
            raise MissingBlobError(name)
        return data

    def exists(self, name: str) -> bool:
        """Whether a blob is there. Raises StoreAbsentError."""
        found = bool(self._files.exists(self.place(name)))
        if not found:
            self.require()
        return found

    def is_whole(self, name: str) -> bool:
        """Whether a blob is there with the bytes that were kept. Raises StoreAbsentError."""
        try:
            with self._files.open(self.place(name), "rb") as stream:
                return digest_of(stream) == name
        except OSError:
            self.require()
            return False

    @contextmanager
    def local(self, name: str) -> Iterator[Path]:
        """A path where libraries can read the blob: its own place, or a temporary copy of a remote one.

        Raises MissingBlobError when there is none, StoreAbsentError.
        """
        if not self.exists(name):
            raise MissingBlobError(name)
        if self._is_local:
            yield Path(self.place(name))
            return
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / name
            self._files.get_file(self.place(name), str(path))
            yield path

    def remove(self, name: str) -> None:
        """Forget a blob for good; none is no error. Raises StoreAbsentError."""
        self.require()
        with suppress(FileNotFoundError):
            self._files.rm(self.place(name))

    def names(self) -> set[str]:
        """Names of all blobs kept. Raises StoreAbsentError."""
        self.require()
        return {found.group(2) for path in self._found() if (found := _PLACE.search(f"/{path}"))}

    def _found(self) -> list[str]:
        try:
            return [path for path in self._files.find(self._root) if f"{self._root}/quarantine/" not in path]
        except FileNotFoundError:  # nothing was ever put there
            return []

    def parts(self, seconds: float = 0) -> list[str]:
        """Files that have been written for so many seconds, or were when their writer ended."""
        try:
            listed = self._files.ls(self._root, detail=False)
        except FileNotFoundError:
            return []
        found = [(path, re.search(rf"/{_PART}(\d*)", f"/{path}")) for path in listed]
        newest = time.time() - seconds
        return [path for path, part in found if part and int(part.group(1) or 0) <= newest]

    def remove_parts(self, seconds: float = 0) -> int:
        """Remove files that have been written for so many seconds, which nobody does any more; how many."""
        parts = self.parts(seconds)
        for part in parts:
            with suppress(FileNotFoundError):
                self._files.rm(part)
        return len(parts)
