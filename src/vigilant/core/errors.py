"""The errors of the core: each has a stable code and names the value it met."""


class CoreError(ValueError):
    """Base of every error raised by :mod:`vigilant.core`."""

    code = "core-error"


class InvalidSeries(CoreError):
    """A frame series that cannot be one: empty, not finite, negative, unequal columns."""

    code = "invalid-series"


class InvalidPolicy(CoreError):
    """A policy that names an unknown figure or a value outside its range."""

    code = "invalid-policy"


class InvalidComparison(CoreError):
    """Arms or an order that do not fit together."""

    code = "invalid-comparison"


class RepeatedRun(InvalidComparison):
    """One run counted twice in an arm: ``first`` and ``second`` name what holds the same frames."""

    code = "run-repeated"

    def __init__(self, arm: str, first: str, second: str) -> None:
        self.arm, self.first, self.second = arm, first, second
        super().__init__(
            f"{first} and {second} of arm {arm} hold the same frames: they are one run and count once; take one out"
        )
