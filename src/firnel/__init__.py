"""Firnel: plan, drive, record and replicate coffee roasts on drum machines."""

__version__ = "0.1.0"
