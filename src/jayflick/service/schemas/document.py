"""What all documents of the API share."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from ...core.sequence.project_file import MOST_NUMBER

Position = Annotated[int, Field(ge=1, le=MOST_NUMBER, description="Of a frame, from 1")]


class Document(BaseModel):
    model_config = ConfigDict(json_schema_serialization_defaults_required=True)


class Problem(Document):
    """What went wrong, with which file, and what will help."""

    kind: str = Field(examples=["input"])
    message: str = Field(examples=["the file is empty (0 bytes)"])
    file: str | None = Field(None, examples=["wave_0012.png"])
    remedy: str = Field("", examples=["render or copy the file again"])


MOST_LISTED = 100_000
Number = Annotated[int, Field(ge=0, le=MOST_NUMBER)]
SizeName = Annotated[str, Field(pattern=r"^[0-9]{1,6}x[0-9]{1,6}$")]
