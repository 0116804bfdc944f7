"""Intake of green coffee."""
