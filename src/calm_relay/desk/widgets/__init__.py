"""Fields, tabs, rows and the theme."""
