"""The day: coffees and orders, what is to be roasted for them, on which machine, in which order and when."""
