"""`python -m all_even.cli`."""

import sys

from all_even.cli import main

sys.exit(main())
