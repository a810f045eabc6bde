"""What is studied beside the plan, each on demand."""
