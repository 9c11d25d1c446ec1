"""``python -m jayflick.cli``."""

import sys

from . import main

sys.exit(main())
