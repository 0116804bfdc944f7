"""A simulated drum roaster behind a real Modbus TCP server: the stand-in for a machine."""
