"""One module or folder a format, behind one protocol (:mod:`.format`), found in one table (:mod:`.table`)."""
