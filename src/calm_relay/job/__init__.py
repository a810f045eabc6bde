"""What a job is: frozen, validated models and their schema version."""
