"""The one error of a device in the field: which, what is wrong and what would be right."""


class FieldError(ValueError):
    """A device that cannot be read.

    Attributes
    ----------
    where : str
        The device's address, as typed.
    problem : str
        What is wrong, and what would be right.
    """

    def __init__(self, where: str, problem: str) -> None:
        self.where, self.problem = where, problem
        super().__init__(f"{where}: {problem}" if where else problem)
