"""``python -m obsidian_wren.cli``."""

import sys

from obsidian_wren.cli.main import main

sys.exit(main())
