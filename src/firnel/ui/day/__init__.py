"""The day view: what was roasted on a day."""
