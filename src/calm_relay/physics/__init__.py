"""Numbers: pure functions and compiled kernels on arrays; knows no job, no file, no clock."""
