"""The error of a job that is well-formed but cannot be planned."""


class PlanError(ValueError):
    """Which field of the job stands in the way, and what would be right."""

    def __init__(self, field: str, problem: str) -> None:
        self.field = field
        self.problem = problem
        super().__init__(f"{field}: {problem}")
