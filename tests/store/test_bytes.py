"""Bytes: whole or not at all, by content."""

import hashlib
import resource
from pathlib import Path

import pytest

from vast_orchard.errors import MissingError, ServiceError
from vast_orchard.store.bytes import ByteStore


def test_pictures_lie_under_their_content(tmp_path: Path) -> None:
    store = ByteStore(str(tmp_path))
    name = store.write_picture(b"snow")
    assert name == hashlib.sha256(b"snow").hexdigest()
    assert store.write_picture(b"snow") == name
    assert store.read(store.picture_path(name)) == b"snow"
    assert [path.name for path in tmp_path.rglob("*") if path.is_file()] == [name]


def test_what_is_missing_is_said(tmp_path: Path) -> None:
    with pytest.raises(MissingError, match="nowhere is not in the store"):
        ByteStore(str(tmp_path)).read("nowhere")


def test_a_failed_write_leaves_the_old_file_and_no_draft(tmp_path: Path) -> None:
    store = ByteStore(str(tmp_path))
    store.write("a/file", b"old")
    before = resource.getrlimit(resource.RLIMIT_FSIZE)
    # As on a full disk, some of it is written and then no more.
    resource.setrlimit(resource.RLIMIT_FSIZE, (4096, before[1]))
    try:
        with pytest.raises(ServiceError, match=r"cannot be stored: .*Make room"):
            store.write("a/file", b"new" * 4000)
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, before)
    assert store.read("a/file") == b"old"
    assert [path.name for path in (tmp_path / "a").iterdir()] == ["file"]


def test_removing_what_is_not_there_is_fine(tmp_path: Path) -> None:
    store = ByteStore(str(tmp_path))
    store.remove("a")
    store.write("a/b", b"x")
    store.remove("a")
    assert not store.exists("a/b")


def test_any_address_that_fsspec_knows_will_do() -> None:
    store = ByteStore("memory://orchard-test")
    store.write("x/y", b"1")
    assert store.read("x/y") == b"1"
    store.settle()
