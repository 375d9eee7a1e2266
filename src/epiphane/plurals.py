"""Words that hang on a number, in one place: what other languages need more than two forms for."""


def plural(number: int, one: str, many: str) -> str:
    """Return what is said of one thing, or of `number` of them, which stands for the braces in `many`."""
    return one if number == 1 else many.format(number)
