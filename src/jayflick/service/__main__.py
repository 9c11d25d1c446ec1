"""``python -m jayflick.service`` serves; a module of this name is not loaded again in each worker process."""

import sys

from .launch import main

sys.exit(main())
