"""Which set each picture of a split is in, as one run of bytes that a query looks into.

Joining a hundred thousand pictures with the members of a split takes longer than all else that a field of them needs. A
split's members are read once a process and revision, and a query gets them as one value.
"""

from dataclasses import dataclass
from functools import lru_cache

from sqlalchemy import ColumnElement, Engine, Integer, LargeBinary, bindparam, case, cast, func, literal, select
from sqlalchemy.orm import Session

from vast_orchard.store.schema import Split, SplitMember
from vast_orchard.types import SetName

__all__ = ["SETS", "SetCodes", "set_code", "set_codes"]

# A set's code is its place here; 0 is no set.
SETS = (None, SetName.TRAINING, SetName.VALIDATION, SetName.TEST)
# Ids of one split's pictures may lie further apart when other projects grew meanwhile; beyond this they are looked up.
_LONGEST = 4_000_000


@dataclass(frozen=True, kw_only=True)
class SetCodes:
    """The set of each picture of a split."""

    split_id: int
    first: int  # id of the picture that the first byte is about
    codes: bytes | None  # None: the ids lie too far apart


def set_codes(session: Session, split_id: int) -> SetCodes:
    """The codes of a split, read once for each database and revision."""
    engine = session.get_bind()
    assert isinstance(engine, Engine)
    split = session.get(Split, split_id)
    known = _known(str(engine.url), split_id, split.revision if split else 0)
    if not known:
        known.append(_read(session, split_id))
    return known[0]


@lru_cache(maxsize=64)
def _known(_database: str, _split_id: int, _revision: int) -> list[SetCodes]:
    """Where the codes of a split are kept: empty until they were read."""
    return []


def _read(session: Session, split_id: int) -> SetCodes:
    query = select(SplitMember.picture_id, SplitMember.set_name).where(SplitMember.split_id == split_id)
    rows = session.execute(query).all()
    numbers = {name.value: code for code, name in enumerate(SETS) if name is not None}
    first = min((picture for picture, _ in rows), default=0)
    last = max((picture for picture, _ in rows), default=0)
    if last - first >= _LONGEST:
        return SetCodes(split_id=split_id, first=first, codes=None)
    codes = bytearray(last - first + 1)
    for picture, name in rows:
        codes[picture - first] = numbers[name]
    return SetCodes(split_id=split_id, first=first, codes=bytes(codes))


def set_code(picture_id: ColumnElement[int], sets: SetCodes | None) -> ColumnElement[int]:
    """The code of a picture's set, in SQL."""
    if sets is None:
        return literal(0)
    if sets.codes is None:
        numbers = {name.value: code for code, name in enumerate(SETS) if name is not None}
        member = (SplitMember.picture_id == picture_id) & (SplitMember.split_id == sets.split_id)
        found = select(case(numbers, value=SplitMember.set_name)).where(member).scalar_subquery()
        return func.coalesce(found, 0)
    place = picture_id - sets.first
    # One parameter, however often the statement asks.
    codes = bindparam(f"codes_of_split_{sets.split_id}", sets.codes, type_=LargeBinary)
    return case((place.between(0, len(sets.codes) - 1), func.get_byte(codes, cast(place, Integer))), else_=0)
