"""Open formats in and out, one module a format."""
