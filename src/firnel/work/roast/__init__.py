"""The running batch: its session, what is told of it, and what lies ahead of it."""
