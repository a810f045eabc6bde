"""The application: its window, its session, its commands and files."""
