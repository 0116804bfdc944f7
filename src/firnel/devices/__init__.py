"""Drivers for probes and machines, and the simulated stand-in."""
