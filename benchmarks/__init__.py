"""What speed is promised, measured: ``python -m benchmarks``, or with the names of some measurements."""

import epiphane  # noqa: F401  (before NumPy, whose threads it limits)
