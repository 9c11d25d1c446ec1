"""What can be set, with defaults that suit one person's machine. Environment names begin with JAYFLICK_."""

from pathlib import Path

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict

from ..core.content import MAX_BYTES
from ..core.sequence.files import MAX_FILES


class Settings(BaseSettings):
    """One server's settings, handed to every part that needs them."""

    model_config = SettingsConfigDict(env_prefix="JAYFLICK_", frozen=True)

    data: Path = Field(Path(".data"), description="Where the database, the pictures and stage results live")
    database: str = Field("", description="SQLAlchemy URL of the private MariaDB; set by the start command")
    web: Path = Field(Path("web/dist"), description="The built web client")
    workers: int = Field(2, ge=1, le=64, description="Renders carried out side by side")
    scheduler: str = Field(
        "", description="A Dask scheduler whose workers carry out renders, tls://… or tcp://…"
    )
    cluster_share: str = Field("", description="What they share with this machine: a folder, or an fsspec URL")
    uploads: int = Field(32, ge=1, le=256, description="Uploads received side by side")
    most_files: int = Field(MAX_FILES, ge=1, description="Files one import may bring")
    most_file_bytes: int = Field(MAX_BYTES, ge=1, description="Bytes one file may have")
    most_import_bytes: int = Field(8 << 30, ge=1, description="Bytes one import may bring")
    decoders: int = Field(2, ge=1, le=64, description="Files read side by side")
    decode_bytes: int = Field(960 << 20, ge=256 << 20, description="Memory that reading one file may take")
    decode_seconds: int = Field(10, ge=1, description="Seconds of computing that reading one frame may take")
    most_stage_bytes: int = Field(8 << 30, ge=0, description="Stage results kept on disk")

    port: int | None = Field(None, description="Where it is served; set by the start command")
    share: bool = Field(False, description="Answer every user of this machine, not only who started it")
    frames: tuple[Path, ...] = Field((), description="Folders that frames may be opened in, and nothing else")
    handoff: Path | None = Field(None, description="A folder that outputs may be written into")
    demo: bool = Field(False, description="Put the demo on a new shelf")
    standins: bool = Field(False, description="Run the stand-ins")
    send_beyond: bool = Field(False, description="Outputs may be sent to addresses beyond this machine")
    sweep_seconds: float = Field(600, gt=0, description="Pause between two rounds of clearing away")

    @property
    def store(self) -> Path:
        return self.data / "store"

    @property
    def uploads_folder(self) -> Path:
        return self.data / "uploads"

    @property
    def stages(self) -> Path:
        return self.data / "stages"

    @property
    def growing(self) -> Path:
        return self.data / "growing"
