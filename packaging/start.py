"""What the installed program begins with."""

import sys

from olive_almanac.__main__ import main

sys.exit(main())
