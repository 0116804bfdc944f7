"""What waits to be roasted, and the labels of its loads."""
