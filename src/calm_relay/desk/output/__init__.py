"""What leaves the application: the report, pictures and tables."""
