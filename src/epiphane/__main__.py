"""Where `epiphane` begins."""

from epiphane.collecting import collection_paused
from epiphane.deferred import defer


def main() -> None:
    """Run the command line, which opens the window where no command is given."""
    defer()
    with collection_paused():
        from epiphane import cli
    cli.main()


if __name__ == "__main__":
    main()
