"""What a file really holds, told from its own bytes; what a kind takes to be read is loaded when it comes."""

from typing import Any


def describe_file(data: bytes, name: str) -> dict[str, Any]:
    """The document that ``info`` prints. ``InputError`` when the file is damaged or of no known kind.

    Of a GIF see :func:`.gif.reader.describe`. Elsewhere ``colours`` is ``None`` (not counted), and a frame's
    ``bytes``, ``box`` and ``disposal`` are ``None`` where the format does not say.
    """
    if data.startswith(b"GIF8"):
        from .gif.reader import describe, read_gif

        return describe(read_gif(data, name=name), len(data), name=name)
    from .containers import held_by

    return held_by(data, name).document(len(data))
