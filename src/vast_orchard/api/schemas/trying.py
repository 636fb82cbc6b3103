"""What goes over the wire where pictures to try are fetched from elsewhere, and their true classes read."""

from pydantic import BaseModel, Field, SecretStr

from vast_orchard.api.schemas.base import Write

__all__ = [
    "BucketPicturesRequest",
    "PictureToTryRead",
    "SiftedToTryRead",
    "SiftedToTryRequest",
    "TableClassesRead",
    "WebPictureRequest",
]


class WebPictureRequest(Write):
    """Where on the web a picture lies."""

    address: str = Field(max_length=2000, description="Of http or https.")


class BucketPicturesRequest(Write):
    """Where in a bucket pictures lie, and as whom it is asked; the secret is used once and kept nowhere."""

    location: str = Field(min_length=1, max_length=1200, description="bucket/prefix")
    key: str = Field("", max_length=200, description="Empty: that of the settings.")
    secret: SecretStr = Field(SecretStr(""), max_length=200)


class SiftedToTryRequest(Write):
    """Which pictures of the project are tried."""

    sift: str = Field("", max_length=2000)
    limit: int = Field(200, ge=1, le=1000)


class PictureToTryRead(BaseModel):
    """A picture of the project that can be tried."""

    name: str
    sha256: str
    class_name: str | None


class SiftedToTryRead(BaseModel):
    """Pictures of the project that a Sift lets through, but for the model's test set."""

    pictures: list[PictureToTryRead]
    left_out: int = Field(description="Of the model's test set: outcomes on it are shown by a counted look alone.")
    more: bool = Field(description="There are further ones beyond the limit.")


class TableClassesRead(BaseModel):
    """The classes that a table says of files."""

    classes: dict[str, str] = Field(description="By path.")
    notes: list[str] = Field(description="What is odd about the table.")
