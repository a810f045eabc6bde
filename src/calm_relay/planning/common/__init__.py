"""What every room of planning may use: progress, errors, severities, cautions."""
