"""Documents about the server itself."""

from pydantic import Field

from .document import Document


class Limits(Document):
    """What one import may bring; shown before anything is sent."""

    most_files: int
    most_file_bytes: int
    most_import_bytes: int
    most_frame_pixels: int
    handoff_folder: str | None = Field(description="The folder that outputs may be written into, if one is set")


class Storage(Document):
    """What is stored on this machine."""

    bytes: int = Field(description="Of frames and outputs, those in the bin among them")
    scratch_bytes: int = Field(description="Of work kept so that it need not be done again")
    most_scratch_bytes: int


class Health(Document):
    ready: bool
    version: str
    demo_waiting: int = Field(description="Projects of the demo that are still being drawn")
