"""Prints the resident memory of a running application's processes.

Usage: .venv/bin/python bench/memory.py SUPERVISOR_PID      the process of `orchard up`
"""

import sys
from pathlib import Path


def _children(pid: str) -> list[str]:
    return Path(f"/proc/{pid}/task/{pid}/children").read_text().split()


def main() -> None:
    """One line a process, children of children too."""
    waiting = [sys.argv[1]]
    while waiting:
        pid = waiting.pop(0)
        waiting += _children(pid)
        words = Path(f"/proc/{pid}/cmdline").read_bytes().decode(errors="replace").split("\0")
        facts = dict(line.split(":", 1) for line in Path(f"/proc/{pid}/status").read_text().splitlines() if ":" in line)
        if "VmRSS" in facts:
            print(f"{int(facts['VmRSS'].split()[0]) / 1024:7.0f} MB  {' '.join(words[:6])[:100]}")


if __name__ == "__main__":
    main()
