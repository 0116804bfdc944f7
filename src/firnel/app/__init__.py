"""Start-up, command line, wiring: the only place that knows everything."""
