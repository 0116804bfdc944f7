"""Widgets that several views share."""
