"""``python -m jayflick.demo FOLDER`` draws the demo's files, a folder for each project, to bring in by hand."""

import multiprocessing
import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from . import DEMO
from .load import drawn

if __name__ == "__main__":
    if len(sys.argv) != 2:
        sys.exit("usage: python -m jayflick.demo FOLDER")
    for project, files in drawn(DEMO, ProcessPoolExecutor(2, multiprocessing.get_context("spawn"))):
        folder = Path(sys.argv[1]) / project.folder
        folder.mkdir(parents=True, exist_ok=True)
        for (name, _), data in zip(project.files, files, strict=True):
            (folder / name).write_bytes(data)
        print(f"{folder}: {len(files)} files")
