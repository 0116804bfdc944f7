"""The plan view: plans, and their moves as sentences."""
