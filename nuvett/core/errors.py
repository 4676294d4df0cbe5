"""Every error the application raises on purpose, on one page.

Each class's docstring is its default message; raise with a string to be more exact. Messages are shown to
people as they stand: they say what happened and what to do, in one or two sentences.
"""


class NuvettError(Exception):
    """Something went wrong."""

    def __init__(self, message: str | None = None) -> None:
        super().__init__(message or (type(self).__doc__ or "").strip())

    @property
    def message(self) -> str:
        return str(self.args[0])


class ReadingError(NuvettError):
    """The reference could not be read."""


class TooFewPixelsError(ReadingError):
    """Too few pixels are sampled to say anything reliable; take a larger patch or a wider tolerance."""


class TargetError(NuvettError):
    """The target needs at least one reference with a weight above zero."""


class TableError(NuvettError):
    """The lookup table is not valid."""


class PairError(NuvettError):
    """The two pictures of a pair do not show the same scene."""


class DocumentError(NuvettError):
    """The document is damaged or not of a kind this version reads."""


class FileError(NuvettError):
    """The file could not be used."""


class EmptyFileError(FileError):
    """The file is empty. Nothing was kept of it."""


class UnreadableFileError(FileError):
    """This is not a picture that can be read."""


class TruncatedFileError(FileError):
    """The picture is damaged or cut short. Copy it again from its source."""


class DuplicateFileError(FileError):
    """The same file is in this series already; it was not added again."""


class TooLargeError(FileError):
    """The file is larger than the limit set for this installation."""


class TooManyError(FileError):
    """The series holds as many pictures as this installation allows."""


class OutputExistsError(FileError):
    """The output exists already; pass --overwrite to replace it."""


class MissingBlobError(NuvettError):
    """The file is missing from the store of this installation, or damaged there. Bring it in again."""

    def __init__(self, name: str = "") -> None:
        super().__init__()
        self.name = name


class StoreAbsentError(NuvettError):
    """The storage of pictures cannot be reached. Nothing is lost: bring it back, and everything goes on by itself."""


class ForeignStoreError(NuvettError):
    """The storage of pictures and the database do not belong together. Nothing was changed."""


class BackupError(NuvettError):
    """The backup could not be made or restored."""


class DiskFullError(NuvettError):
    """The disk is full. Nothing is lost: make room, and it goes on by itself."""


class StoppingError(NuvettError):
    """The application is being stopped; this goes on when it is started again."""


class NotFoundError(NuvettError):
    """There is nothing at this address. It may have been removed."""


class ConflictError(NuvettError):
    """This was changed in another window meanwhile. The newer state is kept; look at it and try again."""


class InvalidChangeError(NuvettError):
    """The value is outside what is possible here; nothing was changed."""


class NameTakenError(InvalidChangeError):
    """A file of this name is there already, and was not made by this delivery."""


class StoreError(NuvettError):
    """The database could not be reached. Nothing was changed; try again in a moment."""
