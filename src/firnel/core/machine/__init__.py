"""The machine as a thing that is measured, filled and cared for."""
