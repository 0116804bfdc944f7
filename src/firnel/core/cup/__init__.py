"""The bench: cups scored, told apart, and agreed upon."""
