"""What speed is promised, measured: ``python -m bench``, or with the names of some measurements."""
