"""One line of a bench: what was measured, against what, and whether it is reached."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Line:
    """A figure, its baseline and its aim; printed when made."""

    what: str
    value: float
    unit: str
    aim: float
    baseline: str = ""

    def __post_init__(self) -> None:
        against = f" (baseline: {self.baseline})" if self.baseline else ""
        print(f"  {self.what}: {self.value:.3g} {self.unit}, aim at most {self.aim:g}{'' if self.met else '  MISSED'}{against}")

    @property
    def met(self) -> bool:
        """Whether the aim is reached."""
        return self.value <= self.aim
