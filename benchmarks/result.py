"""One line of what was measured."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Result:
    """A figure, and the aim it is held against; `aim` is empty where the figure only informs."""

    what: str
    figure: str
    aim: str = ""
    is_met: bool = True

    def line(self) -> str:
        """Return the line that is printed."""
        state = "" if not self.aim else f"aim {self.aim}: {'met' if self.is_met else 'MISSED'}"
        return f"  {self.what:<58} {self.figure:>24}  {state}".rstrip()


def at_most(what: str, value: float, aim: float, unit: str) -> Result:
    """Return a result that is met when the value is not over the aim."""
    return Result(what, f"{value:.2f} {unit}".rstrip(), f"<= {aim:g} {unit}".rstrip(), value <= aim)


def at_least(what: str, value: float, aim: float, unit: str) -> Result:
    """Return a result that is met when the value is not under the aim."""
    return Result(what, f"{value:.2f} {unit}".rstrip(), f">= {aim:g} {unit}".rstrip(), value >= aim)
