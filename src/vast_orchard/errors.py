"""Every error that Vast Orchard raises on purpose; each says what happened and what to do.

OrchardError
├── InputError                  what a person or program handed in cannot be used
│   ├── ArchiveError            a zip that cannot be read, or must not be
│   ├── PictureError            a file that is not a usable picture
│   ├── DescriptionError        a network that does not hold together
│   ├── MemoryShortError        work that needs more memory than there is
│   ├── SettingError            a setting outside its range
│   ├── ShapeError              an array of the wrong shape or type
│   └── SplitError              pictures that cannot be divided as asked
├── MissingError                the thing named does not exist
├── ConflictError               the thing cannot be done in the present state
├── NonFiniteError              a training produced infinity or not-a-number
├── ProofError                  an export did not answer as the application does
├── StoppedError                a person asked the work to stop
├── PausedError                 other work goes first
├── LeaseLostError              another worker owns the work now
└── ServiceError                a process or place the application needs is not there
    ├── BusyError               more is asked at once than is let in
    ├── DatabaseGoneError       PostgreSQL does not answer
    └── DiskFullError           there is no room to write
"""

__all__ = [
    "ArchiveError",
    "BusyError",
    "ConflictError",
    "DatabaseGoneError",
    "DescriptionError",
    "DiskFullError",
    "InputError",
    "LaterError",
    "LeaseLostError",
    "MemoryShortError",
    "MissingError",
    "NonFiniteError",
    "OrchardError",
    "OutgoingError",
    "PausedError",
    "PictureError",
    "ProofError",
    "ServiceError",
    "SettingError",
    "ShapeError",
    "SplitError",
    "StoppedError",
]


class OrchardError(Exception):
    """The root of the tree.

    Parameters
    ----------
    what : str
        What happened, with the value that caused it.
    mend : str
        What the reader can do about it.
    """

    def __init__(self, what: str, mend: str = "") -> None:
        super().__init__(f"{what} {mend}".strip())
        self.what = what
        self.mend = mend

    def __reduce__(self) -> tuple[type["OrchardError"], tuple[object, ...]]:
        # The quick process hands errors back by pickle, which would otherwise pass the joined text as `what`.
        return type(self), (self.what, self.mend)


class InputError(OrchardError):
    """What was handed in cannot be used."""


class ArchiveError(InputError):
    """A zip that cannot be read, or must not be."""


class PictureError(InputError):
    """A file that is not a usable picture."""


class DescriptionError(InputError):
    """A network description that does not hold together.

    Parameters
    ----------
    what, mend : str
        As of every error.
    line : tuple of int, optional
        Where in the list of layers: the place there, and within a repeated stretch its place there, each from 0.
    repair : Repair, optional
        What mends it at a press, a value of `core.network.repairs`.
    """

    def __init__(
        self, what: str, mend: str = "", *, line: tuple[int, ...] | None = None, repair: object = None
    ) -> None:
        super().__init__(what, mend)
        self.line, self.repair = line, repair


class MemoryShortError(InputError):
    """Work that needs more memory than there is."""


class SettingError(InputError):
    """A setting outside its range."""


class ShapeError(InputError):
    """An array of the wrong shape or type."""


class SplitError(InputError):
    """Pictures that cannot be divided as asked."""


class MissingError(OrchardError):
    """The thing named does not exist."""


class ConflictError(OrchardError):
    """The thing cannot be done in the present state."""


class NonFiniteError(OrchardError):
    """A training produced infinity or not-a-number."""


class ProofError(OrchardError):
    """An export did not answer as the application does."""


class StoppedError(OrchardError):
    """A person asked the work to stop."""


class PausedError(OrchardError):
    """Other work goes first; this one waits where it is."""


class LaterError(OrchardError):
    """It cannot be done now, and is tried again by itself after `in_s` seconds."""

    def __init__(self, what: str, mend: str = "", *, in_s: int) -> None:
        super().__init__(what, mend)
        self.in_s = in_s


class OutgoingError(OrchardError):
    """An address outside does not answer, or must not be asked."""


class LeaseLostError(OrchardError):
    """Another worker owns the work now."""


class ServiceError(OrchardError):
    """A process or place the application needs is not there."""


class BusyError(ServiceError):
    """More is asked at once than is let in."""


class DatabaseGoneError(ServiceError):
    """PostgreSQL does not answer."""


class DiskFullError(ServiceError):
    """There is no room to write.

    Parameters
    ----------
    what, mend : str
    place : str
        The folder on the full disk; empty if that is not known.
    needed_mb : float
        Megabytes that must be free there before it is worth trying again.
    """

    def __init__(self, what: str, mend: str = "", place: str = "", needed_mb: float = 1.0) -> None:
        super().__init__(what, mend)
        self.place = place
        self.needed_mb = needed_mb

    def __reduce__(self) -> tuple[type["OrchardError"], tuple[object, ...]]:
        return type(self), (self.what, self.mend, self.place, self.needed_mb)
