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
    with pytest.raises(MissingError, match=r"exports/3\.zip is not in the store"):
        ByteStore(str(tmp_path)).read("exports/3.zip")


def test_with_a_model_go_its_features(tmp_path: Path) -> None:
    store = ByteStore(str(tmp_path))
    model, other = "runs/5/kept-00012.safetensors", "runs/5/last-00012.safetensors"
    features = store.features_path(model)
    assert features == "runs/5/features-00012.safetensors"
    assert store.features_path(other) is None
    for path in (model, other, features):
        store.write(path, b"x")
    store.remove(model)
    assert [store.exists(path) for path in (model, other, features)] == [False, True, False]
    store.remove(other)
    assert [path for path in tmp_path.rglob("*") if path.is_file()] == []


@pytest.mark.parametrize(
    "name",
    ["/etc/passwd", "../x", "runs/5/..", "runs/5/../../x", "runs/5", "pictures/ab/../../../x", "exports/1.zip/x", "",
     "a/b", "runs/5/last-1.safetensors\n", "runs/٣/last-1.safetensors"],
)  # fmt: skip
def test_names_that_are_not_ours_never_meet_the_disk(tmp_path: Path, name: str) -> None:
    store = ByteStore(str(tmp_path / "store"))
    store.write("runs/5/last-00001.safetensors", b"kept")
    for use in (store.read, store.exists, store.remove, store.size, lambda path: store.write(path, b"x")):
        with pytest.raises(MissingError, match="is no name of the store"):
            use(name)
    assert [path.name for path in tmp_path.rglob("*") if path.is_file()] == ["last-00001.safetensors"]


def test_a_failed_write_leaves_the_old_file_and_no_draft(tmp_path: Path) -> None:
    store = ByteStore(str(tmp_path))
    store.write("exports/1.zip", b"old")
    before = resource.getrlimit(resource.RLIMIT_FSIZE)
    # As on a disk that fails, some of it is written and then no more.
    resource.setrlimit(resource.RLIMIT_FSIZE, (4096, before[1]))
    try:
        for new in (b"new" * 4000, iter([b"new"] * 4000)):
            with pytest.raises(ServiceError, match=r"cannot be stored: .*Make room"):
                store.write("exports/1.zip", new)
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, before)
    assert store.read("exports/1.zip") == b"old"
    assert [path.name for path in (tmp_path / "exports").iterdir()] == ["1.zip"]


def test_removing_what_is_not_there_is_fine(tmp_path: Path) -> None:
    store = ByteStore(str(tmp_path))
    store.remove("exports/1.zip")
    store.write("exports/1.zip", b"x")
    store.remove("exports/1.zip")
    assert not store.exists("exports/1.zip")


def test_any_address_that_fsspec_knows_will_do() -> None:
    store = ByteStore("memory://orchard-test")
    store.write("exports/1.zip", iter([b"1", b"2"]))
    assert store.read("exports/1.zip") == b"12"
    store.settle()
