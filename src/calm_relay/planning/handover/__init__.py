"""What goes with a plan that was chosen: materials, settings, the order of work, the application, the offer."""
