"""Green coffee at intake: what is measured, what follows from it, and how the lot wants to be handled."""
