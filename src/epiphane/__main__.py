"""Run the command line with ``python -m epiphane``."""

from epiphane.cli import main

if __name__ == "__main__":
    main()
