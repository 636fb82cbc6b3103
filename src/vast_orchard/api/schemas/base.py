"""What all bodies of the wire have in common: reading by attribute, refusing what is unknown, ids."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

__all__ = ["JudgedSet", "PictureId", "Read", "RecordId", "SetName", "Write"]


class Read(BaseModel):
    """Read by attribute from a value of the store."""

    model_config = ConfigDict(from_attributes=True)


# Ids as the records number them: pictures and steps by 64 bits, everything else by 32.
PictureId = Annotated[int, Field(ge=1, le=2**62)]


RecordId = Annotated[int, Field(ge=1, le=2**31 - 1)]


class Write(BaseModel):
    """Sent by a client; what is not known is refused."""

    model_config = ConfigDict(extra="forbid")


SetName = Literal["training", "validation", "test"]


JudgedSet = Literal["training", "validation", "test", "outside", "unlabelled"]
