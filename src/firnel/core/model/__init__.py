"""The grey-box model of a drum roaster: simulated over an ensemble, identified from logs, carried along by readings.

It plans, forecasts and explains. The simulated roaster in `firnel.devices.simulator` is other code with effects
that are left out here, so that figures of accuracy mean something.
"""
