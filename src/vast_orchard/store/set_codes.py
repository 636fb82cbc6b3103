"""Which set each picture of a split is in, as one run of bytes that a query looks into.

Joining a hundred thousand pictures with the members of a split takes longer than all else that a field of them needs. A
split's members are read once a process and revision, and a query gets them as one value.
"""

from dataclasses import dataclass
from decimal import Decimal
from functools import lru_cache

from sqlalchemy import (
    BigInteger,
    ColumnElement,
    Engine,
    Integer,
    LargeBinary,
    bindparam,
    case,
    cast,
    false,
    func,
    literal,
    select,
    true,
)
from sqlalchemy.orm import Session

from vast_orchard.store.schema import Split, SplitMember
from vast_orchard.types import SetName

__all__ = ["SETS", "SetCodes", "counts_by_set", "in_set", "set_code", "set_codes", "summed_sets"]

# A set's code is its place here; 0 is no set.
SETS = (None, SetName.TRAINING, SetName.VALIDATION, SetName.TEST)
# Bits for the count of one set in a sum of all.
_COUNT_BITS = 21
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


def in_set(picture_id: ColumnElement[int], sets: SetCodes | None, name: SetName | None) -> ColumnElement[bool]:
    """Whether a picture is in a set, or in none, in SQL."""
    is_it = set_code(picture_id, sets) == SETS.index(name)
    # Of a comparison with something computed PostgreSQL guesses that it holds for one in two hundred, of this that it
    # holds for half, which is much nearer and makes it count in several processes.
    return case((is_it, true()), else_=false())


def summed_sets(picture_id: ColumnElement[int], sets: SetCodes | None) -> ColumnElement[Decimal]:
    """How many pictures are in each set as one number, in SQL, for `counts_by_set`.

    Grouping by sets takes half as long again: PostgreSQL guesses that there are as many sets as pictures, because the
    code is computed from their ids, and hands every picture to one process. A count for each set takes twice as long.
    """
    one = literal(1, BigInteger).op("<<")(set_code(picture_id, sets) * _COUNT_BITS)
    return func.sum(one)


def counts_by_set(count: int, summed: Decimal) -> tuple[int, ...]:
    """The counts in the order of `SETS`, of the number of all pictures (below two million) and `summed_sets`."""
    mask = 2**_COUNT_BITS - 1
    counts = [int(summed) >> _COUNT_BITS * code & mask for code in range(len(SETS) - 1)]
    # The last set's count begins at the sign, where nothing more can be read: it is what is left.
    return (*counts, count - sum(counts))
