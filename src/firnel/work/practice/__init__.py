"""A batch on the model of the machine, thrown away afterwards."""
