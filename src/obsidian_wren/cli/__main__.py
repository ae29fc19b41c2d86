"""``python -m obsidian_wren.cli``."""

import sys

from obsidian_wren.cli.entry import main

sys.exit(main())
