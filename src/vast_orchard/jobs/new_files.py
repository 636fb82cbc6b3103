"""Files that belong to records which are not committed yet: whatever goes wrong, none is left that nobody names."""

from collections.abc import Iterable
from types import TracebackType

from vast_orchard.store.bytes import ByteStore

__all__ = ["NewFiles"]


class NewFiles:
    """Writes files, and removes them again when the work within fails, is stopped, or is put off.

    Work that is done again draws other ids, so that what it wrote before would lie there for ever; on a full disk
    every attempt would make that worse.
    """

    def __init__(self, store: ByteStore) -> None:
        self._store = store
        self._written: list[str] = []

    def __enter__(self) -> "NewFiles":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if error is not None:
            for path in self._written:
                self._store.remove(path)

    def write(self, path: str, data: bytes | Iterable[bytes]) -> None:
        """Write a file whole.

        Raises
        ------
        DiskFullError, ServiceError
        """
        self._store.write(path, data)
        self._written.append(path)
