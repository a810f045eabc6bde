"""Long runs that try to break the application: `./run stress PART --minutes N`."""
