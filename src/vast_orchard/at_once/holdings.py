"""What hangs on a run, weighed where its files lie."""

from typing import Any

from vast_orchard.store.bytes import ByteStore
from vast_orchard.store.values import RunHoldings

__all__ = ["weighed_holdings"]


def weighed_holdings(held: RunHoldings, store: ByteStore) -> dict[str, Any]:
    """Counts, and bytes of files; a file that is not there weighs nothing."""
    return {
        "weights_bytes": sum(store.size(path) for path in held.weights),
        "packs": len(held.exports),
        "packs_bytes": sum(store.size(path) for path in held.exports),
        "judged": held.judged,
        "looks": held.looks,
    }
